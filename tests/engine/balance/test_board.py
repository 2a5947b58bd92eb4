"""The board: shares, and each cell by its pixels."""

import numpy as np

from escala.engine.balance.board import ALL, Board, board_recipes, draw_board
from escala.engine.viewer.screen import resting_bytes
from escala.engine.viewer.viewport import whole_viewport
from escala.model.balance import Balance, Level
from escala.model.variant import Variant
from tests.engine.fixture_shot import blocks, decoded, engine_for, grid_engine, one_axis_passes
from tests.fixtures import FolderTest, add_up, light, write_layers


def tiles_of(sheet: bytes, board: Board) -> dict[tuple[int, int], np.ndarray]:
    """The small pictures of a board by row and column."""
    pixels = decoded(sheet)
    high, wide = board.tile_height, board.tile_width
    places = {(cell.row, cell.column) for cell in board.cells}
    return {(r, c): pixels[r * high : (r + 1) * high, c * wide : (c + 1) * wide] for r, c in places}


class BoardTest(FolderTest):
    def test_shares_add_up_and_follow_the_levels(self) -> None:
        evaluator = grid_engine(self.folder)
        board, sheet = draw_board(evaluator, Variant())
        self.assertTrue(board.is_grid)
        cells = [c for c in board.cells if ALL not in (c.light, c.component)]
        self.assertAlmostEqual(sum(c.share for c in cells), 1.0, places=5)
        louder, brighter = draw_board(evaluator, Variant(balance=Balance(lights={"key": Level(stops=3)})))
        whole = whole_viewport(evaluator.render)
        for shown, stops in ((tiles_of(sheet, board), 0), (tiles_of(brighter, louder), 3)):
            for cell in board.cells:
                if ALL in (cell.light, cell.component):
                    continue
                request = evaluator.make_request(Variant(), whole)
                recipe = board_recipes(evaluator)[0]
                term = next(t for t in recipe.terms if (t.light, t.component) == (cell.light, cell.component))
                lit = evaluator.terms.term(term, request) * np.float32(2 ** (stops if cell.light == "key" else 0))
                expected = resting_bytes(lit, request.colour_pipeline)
                with self.subTest(light=cell.light, component=cell.component, stops=stops):
                    np.testing.assert_allclose(blocks(shown[cell.row, cell.column]), blocks(expected), atol=4)
        share = {c.light: c.share for c in louder.cells if c.component == ALL}
        self.assertGreater(share["key"], 0.8)

    def test_what_both_sums_hold_is_shown_once(self) -> None:
        sky, passes = light(9, 48, 64), one_axis_passes()
        passes |= {"": add_up(passes[""], sky), "environment": sky}
        board, _ = draw_board(engine_for(write_layers(self.folder / "sky.exr", passes)), Variant())
        self.assertFalse(board.is_grid)
        self.assertEqual([cell.component for cell in board.cells].count("environment"), 1)

    def test_dark_cells_are_lifted_by_the_stops_that_they_tell(self) -> None:
        passes = {
            "": add_up(light(1, 48, 64, 0.01), light(2, 48, 64)),
            "lg_dim": light(1, 48, 64, 0.01),
            "lg_sun": light(2, 48, 64),
        }
        evaluator = engine_for(write_layers(self.folder / "dim.exr", passes))
        board, plain = draw_board(evaluator, Variant())
        _, lifted = draw_board(evaluator, Variant(), lifted=True)
        lifts = {cell.light: cell.lift for cell in board.cells}
        self.assertGreater(lifts["dim"], 3)
        self.assertEqual(lifts["sun"], 0)
        raised = Variant(balance=Balance(lights={"dim": Level(stops=lifts["dim"])}))
        wanted = tiles_of(draw_board(evaluator, raised)[1], board)
        for cell in board.cells:
            place = cell.row, cell.column
            found = tiles_of(lifted if cell.light == "dim" else plain, board)[place]
            np.testing.assert_allclose(blocks(found), blocks(wanted[place]), atol=4)

    def test_a_render_with_one_axis_at_a_time_has_strips(self) -> None:
        board, _ = draw_board(engine_for(write_layers(self.folder / "one.exr", one_axis_passes())), Variant())
        self.assertFalse(board.is_grid)
        self.assertEqual({c.row for c in board.cells}, {0, 1})

    def test_what_no_pass_holds_has_a_cell_and_follows_its_level(self) -> None:
        key, mist = light(1, 48, 64), light(3, 48, 64, top=0.5)
        passes = {"": add_up(key, mist), "lg_key": key, "lg_fill": light(2, 48, 64, top=0.0)}
        evaluator = engine_for(write_layers(self.folder / "mist.exr", passes))
        shares = {}
        for stops in (0, 1):
            board, sheet = draw_board(evaluator, Variant(balance=Balance(residual=Level(stops=stops))))
            assert board.residual is not None
            place = board.residual.row, board.residual.column
            self.assertNotIn(place, {(cell.row, cell.column) for cell in board.cells})
            total = key.mean(dtype=float) + 2**stops * mist.mean(dtype=float)
            self.assertAlmostEqual(board.residual.share, 2**stops * mist.mean(dtype=float) / total, delta=0.02)
            shares[stops] = sum(cell.share for cell in board.cells) + board.residual.share
            pixels = decoded(sheet)[place[0] * board.tile_height :, place[1] * board.tile_width :]
            request = evaluator.make_request(Variant(), whole_viewport(evaluator.render))
            expected = resting_bytes(
                evaluator.light_sum.levelled_residual(request) * np.float32(2**stops), request.colour_pipeline
            )
            found = pixels[: board.tile_height, : board.tile_width]
            np.testing.assert_allclose(blocks(found), blocks(expected), atol=4)
        for whole in shares.values():
            self.assertAlmostEqual(whole, 1.0, places=5)

    def test_a_residual_of_rounding_has_a_cell_only_at_a_level(self) -> None:
        evaluator = grid_engine(self.folder)
        self.assertIsNone(draw_board(evaluator, Variant())[0].residual)
        muted = Variant(balance=Balance(residual=Level(mute=True)))
        cell = draw_board(evaluator, muted)[0].residual
        assert cell is not None
        self.assertAlmostEqual(cell.share, 0.0, places=6)

    def test_the_residual_beside_a_light_that_is_alone_is_black(self) -> None:
        key, mist = light(1, 48, 64), light(3, 48, 64, top=0.5)
        passes = {"": add_up(key, mist), "lg_key": key, "lg_fill": light(2, 48, 64, top=0.0)}
        evaluator = engine_for(write_layers(self.folder / "mist.exr", passes))
        board, _ = draw_board(evaluator, Variant(balance=Balance(lights={"key": Level(solo=True)})))
        assert board.residual is not None
        self.assertEqual(board.residual.share, 0.0)
