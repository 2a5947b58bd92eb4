import numpy as np

from escala.core.errors import ShapeError, UnknownChoice
from escala.engine.balance.plan import plan_balance
from escala.engine.cache import ByteCache
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator import Evaluator
from escala.engine.request import Quality
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import Viewport, fit_viewport, full_viewport
from escala.model.balance import Balance, Level
from escala.model.beauty import Beauty
from escala.model.colour import ColourChoice
from escala.model.corrections import CdlCorrection, ExposureCorrection
from escala.model.display import DisplayChoice
from escala.model.finish import Finish
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for, grid_engine, grid_passes, one_axis_passes
from tests.fixtures import FolderTest, write_layers

FULL = full_viewport(0, 0, 64, 48)


def with_levels(lights: dict | None = None, components: dict | None = None, cells: dict | None = None) -> Variant:
    return Variant(balance=Balance(lights=lights or {}, components=components or {}, cells=cells or {}))


class PictureTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)
        self.passes = grid_passes()

    def in_file_space(self, variant: Variant) -> np.ndarray:
        return self.evaluator.delivered(
            self.evaluator.make_request(variant, FULL), resolve_colour(self.evaluator.render, Variant()).input_space
        ).colour

    def test_an_untouched_variant_is_the_beauty_to_the_bit(self) -> None:
        np.testing.assert_array_equal(self.in_file_space(Variant()), self.passes[""])

    def test_a_light_moves_by_its_stops_and_nothing_else(self) -> None:
        for stops in (-2.0, 1.0):
            with self.subTest(stops=stops):
                found = self.in_file_space(with_levels({"key": Level(stops=stops)}))
                expected = self.passes[""] + (2**stops - 1) * self.passes["key"]
                np.testing.assert_allclose(found, expected, rtol=2e-3, atol=4e-3)

    def test_cell_light_and_component_gains_multiply(self) -> None:
        variant = with_levels(
            {"key": Level(stops=1)}, {"diffuse": Level(multiplier=0.5)}, {"key/diffuse": Level(stops=2)}
        )
        p = self.passes
        expected = 4 * p["key_diffuse"] + 2 * p["key_specular"] + 0.5 * p["fill_diffuse"] + p["fill_specular"]
        np.testing.assert_allclose(self.in_file_space(variant), expected, rtol=2e-3, atol=8e-3)

    def test_alone_leaves_only_that_light(self) -> None:
        found = self.in_file_space(with_levels({"fill": Level(solo=True)}))
        np.testing.assert_allclose(
            found, self.passes["fill_diffuse"] + self.passes["fill_specular"], rtol=1e-4, atol=1e-5
        )

    def test_off_takes_a_light_away(self) -> None:
        found = self.in_file_space(with_levels({"fill": Level(mute=True)}))
        np.testing.assert_allclose(
            found, self.passes["key_diffuse"] + self.passes["key_specular"], rtol=1e-3, atol=5e-3
        )

    def test_a_moving_picture_has_the_pixels_of_a_resting_one(self) -> None:
        viewport = fit_viewport(0, 0, 64, 48, 32, 24)
        drags = {
            "a light": lambda level: with_levels({"key": level}),
            "a component": lambda level: with_levels(None, {"diffuse": level}),
            "a light through components of other levels": lambda level: with_levels(
                {"key": level}, {"diffuse": Level(stops=-1)}
            ),
            "a cell of a light that is up": lambda level: with_levels(
                {"key": Level(stops=1)}, None, {"key/specular": level}
            ),
        }
        for name, variant_with in drags.items():
            for stops in (0.5, 1.0, 1.5, 0.0):
                with self.subTest(drag=name, stops=stops):
                    variant = variant_with(Level(stops=stops, tint=(1.2, 1.0, 0.4)))
                    moving = self.evaluator.at(
                        "beauty", self.evaluator.make_request(variant, viewport, Quality.PREVIEW)
                    )
                    np.testing.assert_allclose(
                        moving,
                        self.evaluator.at("beauty", self.evaluator.make_request(variant, viewport)),
                        rtol=1e-5,
                        atol=1e-6,
                    )

    def test_the_colour_chain_follows_every_choice(self) -> None:
        first = self.evaluator.colour_pipeline(Variant())
        self.assertIs(self.evaluator.colour_pipeline(Variant(finish=Finish())), first)
        other = self.evaluator.colour_pipeline(Variant(colour=ColourChoice(config="ACES 1.3")))
        self.assertNotEqual(other.config.key, first.config.key)
        display = Variant(display=DisplayChoice(display=first.config.default_view.display, view="Un-tone-mapped"))
        self.assertEqual(self.evaluator.colour_pipeline(display).view.view, "Un-tone-mapped")
        self.assertEqual(self.evaluator.colour_pipeline(Variant()), first)

    def test_a_smaller_picture_is_the_filtered_one(self) -> None:
        variant = with_levels({"key": Level(stops=1)})
        whole = self.evaluator.at("beauty", self.evaluator.make_request(variant, FULL))
        small = self.evaluator.at("beauty", self.evaluator.make_request(variant, fit_viewport(0, 0, 64, 48, 16, 12)))
        expected = whole.reshape(3, 12, 4, 16, 4).mean(axis=(2, 4))
        np.testing.assert_allclose(small, expected, rtol=3e-3, atol=3e-3)

    def test_corrections_act_in_order_and_can_be_off(self) -> None:
        up, cdl = ExposureCorrection(stops=1), CdlCorrection(offset=(0.1, 0.1, 0.1))
        beauty = self.evaluator.at("beauty", self.evaluator.make_request(Variant(), FULL))
        found = self.evaluator.at(
            "finish", self.evaluator.make_request(Variant(finish=Finish(corrections=(up, cdl))), FULL)
        )
        np.testing.assert_allclose(found, beauty * 2 + np.float32(0.1), rtol=1e-5, atol=1e-6)
        off = up.model_copy(update={"on": False})
        np.testing.assert_array_equal(
            self.evaluator.at("finish", self.evaluator.make_request(Variant(finish=Finish(corrections=(off,))), FULL)),
            beauty,
        )

    def test_bands_make_the_same_bits_as_the_whole(self) -> None:
        variant = with_levels({"key": Level(stops=0.3)})
        bands = [
            self.evaluator.at(
                "finish", self.evaluator.make_request(variant, full_viewport(0, top, 64, 16), Quality.EXPORT)
            )
            for top in (0, 16, 32)
        ]
        np.testing.assert_array_equal(
            np.concatenate(bands, axis=1), self.evaluator.at("finish", self.evaluator.make_request(variant, FULL))
        )

    def test_beauty_is_corrected_before_finish_and_both_are_reported(self) -> None:
        up, cdl = ExposureCorrection(stops=1), CdlCorrection(offset=(0.1, 0.1, 0.1))
        variant = Variant(beauty=Beauty(corrections=(cdl,)), finish=Finish(corrections=(up,)))
        plain = self.evaluator.at("beauty", self.evaluator.make_request(Variant(), FULL))
        request = self.evaluator.make_request(variant, FULL)
        np.testing.assert_allclose(self.evaluator.at("beauty", request), plain + 0.1, rtol=1e-5, atol=1e-6)
        np.testing.assert_allclose(self.evaluator.at("finish", request), 2 * (plain + 0.1), rtol=1e-5, atol=1e-6)
        np.testing.assert_array_equal(self.evaluator.at("surface", request), plain)
        self.assertFalse(self.evaluator.is_untouched(request))

    def test_what_is_made_for_a_delivery_is_not_kept(self) -> None:
        evaluator = Evaluator(self.evaluator.render, self.evaluator.frame, ByteCache(1 << 28))
        variant = with_levels({"key": Level(stops=0.3)})
        for made in (evaluator.picture, evaluator.alpha):
            made(evaluator.make_request(variant, FULL, Quality.EXPORT))
        self.assertEqual(evaluator.cache.size, 0)
        evaluator.at("finish", evaluator.make_request(variant, FULL))
        self.assertGreater(evaluator.cache.size, FULL.width * FULL.height * 12)

    def test_screens_get_jpeg_while_moving_and_png_at_rest(self) -> None:
        live, kind = screen_picture(Subject(self.evaluator, Variant(), "display"), FULL, Quality.PREVIEW)
        self.assertEqual((live[:2], kind), (b"\xff\xd8", "image/jpeg"))
        rest, kind = screen_picture(Subject(self.evaluator, Variant(), "balance"), FULL, Quality.EXACT)
        self.assertEqual((rest[:4], kind), (b"\x89PNG", "image/png"))
        with self.assertRaisesRegex(UnknownChoice, "beauty"):
            screen_picture(Subject(self.evaluator, Variant(), "nowhere"), FULL, Quality.EXACT)

    def test_looks_that_show_nothing_are_refused(self) -> None:
        with self.assertRaises(ShapeError):
            Viewport(0, 0, 0, 5, 1, 1)

    def test_levels_of_lights_that_are_gone_wait_without_harm(self) -> None:
        variant = with_levels({"ghost": Level(stops=1)}, {"vanished": Level(stops=1)})
        np.testing.assert_array_equal(self.in_file_space(variant), self.passes[""])


class OneAxisTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = engine_for(write_layers(self.folder / "one.exr", one_axis_passes()))

    def delivered(self, variant: Variant) -> np.ndarray:
        return self.evaluator.delivered(
            self.evaluator.make_request(variant, FULL), resolve_colour(self.evaluator.render, Variant()).input_space
        ).colour

    def test_either_axis_alone_is_exact(self) -> None:
        p = one_axis_passes()
        changes = (
            (with_levels({"key": Level(stops=1)}), "lg_key"),
            (with_levels(None, {"specular": Level(stops=1)}), "specular"),
        )
        for variant, name in changes:
            np.testing.assert_allclose(self.delivered(variant), p[""] + p[name], rtol=2e-3, atol=5e-3)

    def test_both_axes_go_by_ratio_and_say_so(self) -> None:
        variant = with_levels({"key": Level(stops=1)}, {"specular": Level(stops=-1)})
        plan = plan_balance(self.evaluator.render, variant, resolve_colour(self.evaluator.render, variant).working)
        self.assertTrue(plan and plan.second)
        space = resolve_colour(self.evaluator.render, Variant()).input_space
        same = variant.model_copy(update={"colour": variant.colour.model_copy(update={"working_space": space})})
        p = one_axis_passes()
        lights = (2 * p["lg_key"] + p["lg_fill"]) / (p["lg_key"] + p["lg_fill"])
        components = (p["diffuse"] + 0.5 * p["specular"]) / (p["diffuse"] + p["specular"])
        bright = p[""] > 0.05
        np.testing.assert_allclose(self.delivered(same)[bright], (p[""] * lights * components)[bright], rtol=5e-3)
