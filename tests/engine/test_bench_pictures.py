"""Board, tally, probe, mattes, worker and cache."""

import json

import cv2
import numpy as np

from escala.core.errors import UnknownChoice
from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from escala.engine.balance.board import ALL, Board, board_recipes, draw_board
from escala.engine.beauty.tally import difference_picture, tally_of, tally_sheet
from escala.engine.looking.look import whole_look
from escala.engine.looking.probe import hue_of, probe_at
from escala.engine.looking.screen import resting_bytes
from escala.engine.mattes.objects import matte_of_objects
from escala.model.balance import Balance, Level
from escala.model.variant import Variant
from tests.engine.made_shot import engine_for, grid_engine, grid_passes, one_axis_passes
from tests.made import FolderTest, add_up, light, write_layers


def decoded(file: bytes) -> np.ndarray:
    """(H, W, 3) bytes of a picture file."""
    return cv2.imdecode(np.frombuffer(file, np.uint8), cv2.IMREAD_COLOR)[:, :, ::-1]


def blocks(pixels: np.ndarray) -> np.ndarray:
    """Means of 8 × 8 pixels: what JPEG keeps of noise."""
    high, wide, _ = pixels.shape
    return pixels.reshape(high // 8, 8, wide // 8, 8, 3).mean(axis=(1, 3))


def tiles_of(sheet: bytes, board: Board) -> dict[tuple[int, int], np.ndarray]:
    """The small pictures of a board by row and column."""
    pixels = decoded(sheet)
    high, wide = board.tile_height, board.tile_width
    places = {(cell.row, cell.column) for cell in board.cells}
    return {(r, c): pixels[r * high : (r + 1) * high, c * wide : (c + 1) * wide] for r, c in places}


class BoardTest(FolderTest):
    def test_shares_add_up_and_follow_the_levels(self) -> None:
        engine = grid_engine(self.folder)
        board, sheet = draw_board(engine, Variant())
        self.assertTrue(board.is_grid)
        cells = [c for c in board.cells if ALL not in (c.light, c.component)]
        self.assertAlmostEqual(sum(c.share for c in cells), 1.0, places=5)
        louder, brighter = draw_board(engine, Variant(balance=Balance(lights={"key": Level(stops=3)})))
        whole = whole_look(engine.render)
        for shown, stops in ((tiles_of(sheet, board), 0), (tiles_of(brighter, louder), 3)):
            for cell in board.cells:
                if ALL in (cell.light, cell.component):
                    continue
                asked = engine.ask(Variant(), whole)
                recipe = board_recipes(engine)[0]
                term = next(t for t in recipe.terms if (t.light, t.component) == (cell.light, cell.component))
                lit = engine.head.term(term, asked) * np.float32(2 ** (stops if cell.light == "key" else 0))
                expected = resting_bytes(lit, asked.colouring)
                with self.subTest(light=cell.light, component=cell.component, stops=stops):
                    np.testing.assert_allclose(blocks(shown[cell.row, cell.column]), blocks(expected), atol=4)
        share = {c.light: c.share for c in louder.cells if c.component == ALL}
        self.assertGreater(share["key"], 0.8)

    def test_a_render_with_one_axis_at_a_time_has_strips(self) -> None:
        board, _ = draw_board(engine_for(write_layers(self.folder / "one.exr", one_axis_passes())), Variant())
        self.assertFalse(board.is_grid)
        self.assertEqual({c.row for c in board.cells}, {0, 1})


class TallyTest(FolderTest):
    def test_the_sum_is_laid_out_and_proven(self) -> None:
        engine = grid_engine(self.folder)
        tally = tally_of(engine, Variant())
        assert tally and tally.verdict
        self.assertTrue(tally.verdict.exact)
        self.assertRegex(tally.verdict.words, r"Matches\. Largest difference .*half-float rounding allows")
        self.assertAlmostEqual(sum(line.share for line in tally.lines), 1.0, places=5)

    def test_pictures_run_from_the_first_term_to_the_reference(self) -> None:
        engine = grid_engine(self.folder)
        asked = engine.ask(Variant(), whole_look(engine.render))
        terms = engine.head.terms(engine.render.recipes[0].recipe, asked)
        sheet = decoded(tally_sheet(engine, Variant()))
        rows = np.split(sheet, len(terms) + 2)
        reference = resting_bytes(engine.at("source", asked), asked.colouring)
        running = np.cumsum(terms, axis=0)
        expected = [
            (resting_bytes(t, asked.colouring), resting_bytes(r, asked.colouring))
            for t, r in zip(terms, running, strict=True)
        ]
        expected += [(np.zeros_like(reference), reference), (reference, reference)]
        for row, pair in zip(rows, expected, strict=True):
            np.testing.assert_allclose(blocks(row), blocks(np.concatenate(pair, axis=1)), atol=4)

    def test_the_difference_is_that_of_the_sum_and_the_reference(self) -> None:
        passes = grid_passes()
        passes[""] = passes[""] + np.float32(0.25)
        passes[""][:, 10:20, 30:50] += np.float32(0.5)
        engine = engine_for(write_layers(self.folder / "off.exr", passes, np.float32))
        found = decoded(difference_picture(engine, Variant(), 1, 64)).astype(int)
        self.assertEqual(found.shape, (48, 64, 3))
        inside = np.zeros((48, 64), bool)
        inside[10:20, 30:50] = True
        np.testing.assert_allclose(found[inside], round(0.75 * 255), atol=3)
        np.testing.assert_allclose(found[~inside], round(0.25 * 255), atol=3)
        stronger = decoded(difference_picture(engine, Variant(), 2, 64)).astype(int)
        np.testing.assert_allclose(stronger[~inside], round(0.5 * 255), atol=5)

    def test_a_baked_exposure_is_named(self) -> None:
        passes = grid_passes()
        passes[""] = (passes[""] * 1.5).astype(np.float16).astype(np.float32)
        tally = tally_of(engine_for(write_layers(self.folder / "baked.exr", passes)), Variant())
        assert tally and tally.verdict
        self.assertFalse(tally.verdict.exact)
        np.testing.assert_allclose(tally.verdict.factor, 1.5, rtol=1e-2)
        self.assertIn("times 1.5", tally.verdict.causes[0].message)
        self.assertEqual(tally.verdict.causes[0].repair, "multiply the sum by it")


class ProbeTest(FolderTest):
    def test_values_and_make_up_of_a_pixel(self) -> None:
        engine, p = grid_engine(self.folder), grid_passes()
        probe = probe_at(engine, Variant(), 5, 7)
        np.testing.assert_allclose(probe.source, p[""][:, 7, 5], rtol=1e-4, atol=1e-5)
        self.assertAlmostEqual(sum(part.share for part in probe.lights), 1.0, places=5)
        alone = probe_at(engine, Variant(balance=Balance(lights={"key": Level(solo=True)})), 5, 7)
        self.assertEqual(alone.lights[0].name, "key")
        self.assertAlmostEqual(alone.lights[0].share, 1.0)

    def test_places_outside_move_to_the_edge(self) -> None:
        probe = probe_at(grid_engine(self.folder), Variant(), 10_000, -5, 9)
        self.assertEqual((probe.x, probe.y), (63, 0))

    def test_hues_go_round_by_the_hexagon(self) -> None:
        for colour, hue, saturation in (
            ((1, 0, 0), 0, 1), ((1, 1, 0), 60, 1), ((0, 2, 0), 120, 1), ((0, 1, 1), 180, 1), ((0, 0, 0.5), 240, 1),
            ((1, 0, 1), 300, 1), ((1, 0.5, 0.5), 0, 0.5), ((4, 2, 3), 330, 0.5),
        ):  # fmt: skip
            with self.subTest(colour=colour):
                found = hue_of(colour)
                self.assertAlmostEqual(found[0] or 0.0, hue)
                self.assertAlmostEqual(found[1], saturation)
        self.assertEqual(hue_of((0.2, 0.2, 0.2)), (None, 0.0))
        self.assertEqual(hue_of((0.0, 0.0, 0.0)), (None, 0.0))


class MatteTest(FolderTest):
    def test_objects_by_name_and_by_hash(self) -> None:
        shares = np.random.default_rng(1).random((2, 8, 10)).astype(np.float32)
        names = ("hull", "sail")
        ranks = encode_ranks({name_to_id_bits(n): s for n, s in zip(names, shares, strict=True)}, 2)
        planes = {f"Obj00.{letter}": plane for letter, plane in zip("RGBA", ranks, strict=True)}
        key = f"cryptomatte/{layer_key('Obj')}"
        manifest = json.dumps({name: f"{name_to_id_bits(name):08x}" for name in names})
        for extra in ({f"{key}/manifest": manifest}, {}):
            with self.subTest(manifest=bool(extra)):
                header = {f"{key}/name": "Obj", f"{key}/hash": "MurmurHash3_32", **extra}
                path = write_layers(self.folder / f"c{len(extra)}.exr", {"": light(1, 8, 10), **planes}, **header)
                frame = engine_for(path).frame
                np.testing.assert_array_equal(matte_of_objects(frame, ["sail"], None), shares[1])
                np.testing.assert_allclose(matte_of_objects(frame, names, "Obj"), shares.sum(axis=0), rtol=1e-6)
                with self.assertRaisesRegex(UnknownChoice, "ghost"):
                    matte_of_objects(frame, ["ghost"], None)


class UnknownPassTest(FolderTest):
    def test_names_that_say_nothing_become_lights_by_proof(self) -> None:
        parts = {"qa": light(1), "qb": light(2), "qc": light(3)}
        engine = engine_for(write_layers(self.folder / "q.exr", {"": add_up(*parts.values()), **parts}))
        self.assertEqual({p.light for p in engine.render.passes if p.role == "light_group"}, set(parts))
        self.assertTrue(engine.render.recipes[0].exact)
