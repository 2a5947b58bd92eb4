import cv2
import numpy as np

from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from escala.core.surface.recolour import recolour
from escala.engine.balance.board import draw_board
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator import Evaluator
from escala.engine.stations import STATION_BY_NAME
from escala.engine.surface.changes import changed_components
from escala.engine.viewer.probe import probe_at
from escala.engine.viewer.scope import ScopeWish, draw_scope
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.media.configs import colour_config
from escala.model.balance import Balance, Level
from escala.model.colour import ColourChoice
from escala.model.mattes import ObjectMatte
from escala.model.surface import Recolour, Surface
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for, grid_passes
from tests.fixtures import FolderTest, add_up, light, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
HULL = {"hull": ObjectMatte(names=("hull",))}
TURN = Recolour(hue=90, saturation=1.4, value=0.7)


def changed(*changes: Recolour, **others: object) -> Variant:
    """Read in the working space, so that expectations need no conversion."""
    colour = ColourChoice(input_space="ACEScg")
    return Variant(surface=Surface(changes=changes), colour=colour, **others)  # type: ignore[arg-type]


class SurfaceTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        half = lambda planes: planes.astype(np.float16).astype(np.float32)  # noqa: E731
        self.fell = {"direct": light(1), "indirect": light(2, top=0.5)}
        self.colour = half(light(3, top=0.8) + np.float32(0.02))
        self.colour[:, :4] = 0.0  # nothing there: what is lit stays
        self.specular = light(4)
        self.lit = half((self.fell["direct"] + self.fell["indirect"]) * self.colour)

    def exact(self) -> Evaluator:
        """A renderer that gives light and colour apart."""
        passes = {
            "": add_up(self.lit, self.specular), "diffuse_direct": self.fell["direct"],
            "diffuse_indirect": self.fell["indirect"], "diffuse_color": self.colour, "specular": self.specular,
        }  # fmt: skip
        return engine_for(write_layers(self.folder / "exact.exr", passes, np.float32))

    def lit_only(self) -> Evaluator:
        """A renderer that gives the lit component and its colour, but no light."""
        passes = {"": self.lit + self.specular, "diffuse": self.lit, "specular": self.specular}
        return engine_for(write_layers(self.folder / "lit.exr", {**passes, "diffuse_color": self.colour}, np.float32))

    def wanted(self, lit: np.ndarray, change: Recolour = TURN) -> np.ndarray:
        """What the component gains: its light times the difference of colours."""
        other = recolour(self.colour, change.hue, change.saturation, change.value)
        light_there = np.divide(lit, self.colour, out=np.zeros_like(lit), where=self.colour >= 1e-4)
        return light_there * (other - self.colour)

    def test_light_is_multiplied_by_another_colour(self) -> None:
        evaluator, variant = self.exact(), changed(TURN)
        plain = evaluator.at("source", evaluator.make_request(variant, WHOLE))
        lit = (self.fell["direct"] + self.fell["indirect"]) * self.colour
        np.testing.assert_allclose(
            evaluator.at("beauty", evaluator.make_request(variant, WHOLE)) - plain, self.wanted(lit), atol=2e-5
        )

    def test_lit_colour_is_divided_where_no_light_is_given(self) -> None:
        evaluator, variant = self.lit_only(), changed(TURN)
        found = evaluator.at("beauty", evaluator.make_request(variant, WHOLE))
        np.testing.assert_allclose(
            found - evaluator.at("source", evaluator.make_request(variant, WHOLE)), self.wanted(self.lit), atol=2e-5
        )
        np.testing.assert_array_equal(
            found[:, :4], evaluator.at("source", evaluator.make_request(variant, WHOLE))[:, :4]
        )

    def test_board_and_contributions_report_the_light_of_the_changed_surface(self) -> None:
        evaluator, weights = (
            self.lit_only(),
            np.array(colour_config("ACES 2").working_space("ACEScg").luminance_weights),
        )
        blacked = Recolour(value=0.0)
        for changes, diffuse in (((), self.lit), ((blacked,), self.lit + self.wanted(self.lit, blacked))):
            with self.subTest(changes=len(changes)):
                variant = changed(*changes)
                board, _ = draw_board(evaluator, variant)
                energy = {"diffuse": diffuse, "specular": self.specular}
                means = {name: float(weights @ planes.mean(axis=(1, 2))) for name, planes in energy.items()}
                report_progress = {cell.component: cell.share for cell in board.cells}
                self.assertAlmostEqual(report_progress["diffuse"], means["diffuse"] / sum(means.values()), delta=0.01)
                at = probe_at(evaluator, variant, 20, 12)
                here = {name: float(weights @ planes[:, 12, 20]) for name, planes in energy.items()}
                made_up = {part.name: part.share for part in at.components}
                self.assertAlmostEqual(made_up["diffuse"], here["diffuse"] / sum(here.values()), delta=1e-3)

    def test_levels_act_on_the_changed_surface(self) -> None:
        evaluator = self.lit_only()
        level = Balance(components={"diffuse": Level(stops=1)})
        variant = changed(TURN, balance=level)
        expected = evaluator.at("source", evaluator.make_request(variant, WHOLE)) + self.lit + 2 * self.wanted(self.lit)
        np.testing.assert_allclose(evaluator.at("beauty", evaluator.make_request(variant, WHOLE)), expected, atol=5e-5)
        only = evaluator.at("surface", evaluator.make_request(variant, WHOLE))
        np.testing.assert_allclose(
            only - evaluator.at("source", evaluator.make_request(variant, WHOLE)), self.wanted(self.lit), atol=2e-5
        )

    def test_smaller_pictures_are_means_of_the_changed_ones(self) -> None:
        evaluator, variant = self.lit_only(), changed(TURN)
        half = Viewport(0, 0, 32, 24, 16, 12)
        means = (
            evaluator.at("beauty", evaluator.make_request(variant, WHOLE)).reshape(3, 12, 2, 16, 2).mean(axis=(2, 4))
        )
        np.testing.assert_allclose(evaluator.at("beauty", evaluator.make_request(variant, half)), means, atol=1e-3)

    def test_one_component_alone_or_none_without_a_colour(self) -> None:
        evaluator = self.lit_only()
        other = changed(TURN.model_copy(update={"component": "specular"}))
        np.testing.assert_array_equal(
            evaluator.at("beauty", evaluator.make_request(other, WHOLE)),
            evaluator.at("source", evaluator.make_request(other, WHOLE)),
        )
        self.assertTrue(evaluator.is_untouched(evaluator.make_request(other, WHOLE)))
        self.assertEqual(set(changed_components(evaluator.render, changed(TURN))), {"diffuse"})
        off = changed(TURN.model_copy(update={"on": False}))
        self.assertEqual(changed_components(evaluator.render, off), {})

    def test_colours_are_changed_in_the_working_space_and_multiplied_in_the_files(self) -> None:
        evaluator = self.exact()
        variant = Variant(surface=Surface(changes=(TURN,)))
        config = colour_config("ACES 2")
        space = resolve_colour(evaluator.render, variant).input_space
        other = recolour(config.convert(self.colour, space, "ACEScg"), TURN.hue, TURN.saturation, TURN.value)
        other = config.convert(other, "ACEScg", space)
        difference = (self.fell["direct"] + self.fell["indirect"]) * (other - self.colour)
        expected = config.convert(difference, space, "ACEScg")
        found = evaluator.at("beauty", evaluator.make_request(variant, WHOLE)) - evaluator.at(
            "source", evaluator.make_request(variant, WHOLE)
        )
        np.testing.assert_allclose(found, expected, atol=3e-5)

    def test_an_object_that_is_not_there_waits(self) -> None:
        evaluator = self.lit_only()
        variant = changed(TURN.model_copy(update={"matte": "hull"}), mattes=HULL)
        np.testing.assert_allclose(
            evaluator.at("beauty", evaluator.make_request(variant, WHOLE)),
            evaluator.at("source", evaluator.make_request(variant, WHOLE)),
            atol=1e-6,
        )

    def test_the_path_says_it(self) -> None:
        evaluator = self.lit_only()
        words = STATION_BY_NAME["surface"].words
        self.assertEqual(words(evaluator.render, changed(), None), ("unchanged", False))
        self.assertEqual(words(evaluator.render, changed(TURN, Recolour()), None), ("1 change", True))
        bare = engine_for(write_layers(self.folder / "bare.exr", {"": light(1)}))
        self.assertEqual(words(bare.render, changed(TURN), None), ("no albedo pass", False))


class ObjectTest(FolderTest):
    """One object of a cryptomatte, by its exact coverage."""

    def test_an_object_takes_the_colour_as_far_as_it_covers(self) -> None:
        cover = np.zeros((24, 32), np.float32)
        cover[:, 8:16], cover[:, 16:] = 0.25, 1.0
        ranks = encode_ranks({name_to_id_bits("hull"): cover, name_to_id_bits("sea"): 1 - cover}, 2)
        planes = {f"Obj00.{letter}": plane for letter, plane in zip("RGBA", ranks, strict=True)}
        colour, fell = light(1, top=0.5) + np.float32(0.1), light(2)
        passes = {"": colour * fell, "diffuse": colour * fell, "diffuse_color": colour, **planes}
        key = f"cryptomatte/{layer_key('Obj')}"
        header = {f"{key}/name": "Obj", f"{key}/hash": "MurmurHash3_32"}
        evaluator = engine_for(write_layers(self.folder / "obj.exr", passes, np.float32, **header))
        variant = changed(Recolour(value=3, matte="hull"), mattes=HULL)
        expected = colour * fell * (1 + 2 * cover)
        np.testing.assert_allclose(
            evaluator.at("beauty", evaluator.make_request(variant, WHOLE)), expected, rtol=1e-4, atol=1e-5
        )
        scope = ScopeWish("waveform", "stops", 32, 90, "sea")
        shown = cv2.imdecode(np.frombuffer(draw_scope(Subject(evaluator, variant), WHOLE, scope, False), np.uint8), 0)
        self.assertTrue(shown[:, :16].any())
        self.assertFalse(shown[:, 16:].any())


class OtherRecipesTest(FolderTest):
    def test_cells_of_lights_by_components_follow_the_colour_of_theirs(self) -> None:
        passes = grid_passes(24, 32)
        colour = light(9, top=0.5) + np.float32(0.1)
        passes["diffuse_color"] = colour
        evaluator = engine_for(write_layers(self.folder / "grid.exr", passes, np.float32))
        variant = changed(Recolour(value=2), balance=Balance(lights={"key": Level(stops=1)}))
        expected = passes[""] + passes["key"]
        expected = expected + 2 * passes["key_diffuse"] + passes["fill_diffuse"]
        np.testing.assert_allclose(evaluator.at("beauty", evaluator.make_request(variant, WHOLE)), expected, atol=1e-4)

    def test_where_lights_and_components_come_apart_the_ratio_carries_it(self) -> None:
        cells = grid_passes(24, 32)
        lights = {f"lg_{name}": cells[f"{name}_diffuse"] + cells[f"{name}_specular"] for name in ("key", "fill")}
        parts = {name: cells[f"key_{name}"] + cells[f"fill_{name}"] for name in ("diffuse", "specular")}
        beauty = parts["diffuse"] + parts["specular"]
        colour = light(9, top=0.5) + np.float32(0.1)
        passes = {"": beauty, **lights, **parts, "diffuse_color": colour}
        evaluator = engine_for(write_layers(self.folder / "apart.exr", passes, np.float32))
        variant = changed(Recolour(value=3))
        np.testing.assert_allclose(
            evaluator.at("beauty", evaluator.make_request(variant, WHOLE)),
            beauty + 2 * parts["diffuse"],
            rtol=1e-4,
            atol=1e-4,
        )
        both = changed(Recolour(value=3), balance=Balance(lights={"key": Level(stops=1)}))
        ratio = (beauty + 2 * parts["diffuse"]) / np.where(beauty > 1e-6, beauty, 1)
        ratio = np.where(beauty > 1e-6, ratio, 1)
        expected = (beauty + lights["lg_key"]) * ratio
        np.testing.assert_allclose(
            evaluator.at("beauty", evaluator.make_request(both, WHOLE)), expected, rtol=1e-3, atol=1e-3
        )
