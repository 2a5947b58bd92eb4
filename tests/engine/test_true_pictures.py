"""Whatever was looked at before, each picture is that of a fresh start; and all its parts lie on one grid."""

from unittest import mock

import cv2
import numpy as np

from escala.core.balance.mixing import mix_planes
from escala.engine.balance.board import draw_board
from escala.engine.beauty import light_sum
from escala.engine.beauty.tally import tally_of
from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.request import Quality
from escala.engine.source.reading import interpretation_of, interpreted_evaluator
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.model.balance import Balance, Level
from escala.model.beauty import TallyChoice, TermEdit
from escala.model.corrections import CdlCorrection, ExposureCorrection
from escala.model.finish import Finish
from escala.model.source import PassReading, SourceChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, light, write_layers

KEY, FILL = light(1, 96, 128), light(2, 96, 128)
WHOLE = full_viewport(0, 0, 128, 96)


class FreshStartTest(FolderTest):
    def fresh(self, evaluator: Evaluator) -> Evaluator:
        """The same evaluator, nothing kept."""
        return Evaluator(evaluator.render, evaluator.frame, ByteCache(1 << 28))

    def read(self, evaluator: Evaluator, variant: Variant) -> Evaluator:
        return interpreted_evaluator(evaluator, 1, evaluator, variant, self.folder / "store")

    def test_another_pass_named_as_the_beauty_has_a_residual_and_a_verdict_of_its_own(self) -> None:
        passes = {"": add_up(KEY, FILL), "comp": add_up(KEY, FILL) * np.float32(0.75), "lg_key": KEY, "lg_fill": FILL}
        evaluator = engine_for(write_layers(self.folder / "two.exr", passes))
        lit = Balance(lights={"key": Level(stops=-1)})
        roles = {"comp": PassReading(role="beauty"), "rgba": PassReading(role="other")}
        for operator in ("add", "multiply", "screen", "over"):
            tally = TallyChoice(terms={"fill": TermEdit(operator=operator)} if operator != "add" else {})
            plain, named = (
                Variant(balance=lit, tally=tally),
                Variant(balance=lit, tally=tally, source=SourceChoice(roles=roles)),
            )
            for variant in (plain, named):
                with self.subTest(operator=operator, named=variant is named):
                    again = self.read(self.fresh(evaluator), variant)
                    first = self.read(evaluator, variant)
                    for station in ("balance", "beauty", "finish"):
                        np.testing.assert_array_equal(
                            first.at(station, first.make_request(variant, WHOLE)),
                            again.at(station, again.make_request(variant, WHOLE)),
                        )
                    self.assertEqual(tally_of(first, variant), tally_of(again, variant))
                    self.assertEqual(draw_board(first, variant), draw_board(again, variant))

    def test_two_shots_of_one_file_keep_their_own_names(self) -> None:
        evaluator = engine_for(write_layers(self.folder / "one.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "b": FILL}))
        cache = ByteCache(1 << 28)
        variant = Variant(source=SourceChoice(roles={"b": PassReading(role="light_group", light="back")}))
        names = []
        for name in ("Quay", "Arrival"):
            render = evaluator.render.model_copy(update={"name": name})
            names.append(
                interpretation_of(Evaluator(render, evaluator.frame, cache), variant, self.folder / "store").name
            )
        self.assertEqual(names, ["Quay", "Arrival"])


class LaterStationsTest(FolderTest):
    """What follows the beauty is changed without summing the lights again."""

    def setUp(self) -> None:
        super().setUp()
        self.evaluator = engine_for(
            write_layers(self.folder / "s.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        )
        self.sums = 0

        def counted(*arguments: object, **more: object) -> np.ndarray:
            self.sums += 1
            return mix_planes(*arguments, **more)

        patched = mock.patch.object(light_sum, "mix_planes", counted)
        patched.start()
        self.addCleanup(patched.stop)

    def variant(self, light_stops: float, finish_stops: float) -> Variant:
        finish = Finish(corrections=(ExposureCorrection(stops=finish_stops),))
        return Variant(balance=Balance(lights={"key": Level(stops=light_stops)}), finish=finish)

    def test_a_drag_at_finish_sums_nothing(self) -> None:
        for quality in (Quality.PREVIEW, Quality.EXACT):
            first = self.evaluator.at("finish", self.evaluator.make_request(self.variant(1, 0.1), WHOLE, quality))
            before = self.sums
            self.assertGreater(before, 0)
            for step in range(2, 6):
                found = self.evaluator.at(
                    "finish", self.evaluator.make_request(self.variant(1, step / 10), WHOLE, quality)
                )
                np.testing.assert_allclose(found, first * np.float32(2 ** (step / 10 - 0.1)), rtol=1e-5)
            self.assertEqual(self.sums, before)

    def test_another_level_is_summed_again(self) -> None:
        self.evaluator.at("finish", self.evaluator.make_request(self.variant(1, 0), WHOLE))
        before = self.sums
        brighter = self.evaluator.at("finish", self.evaluator.make_request(self.variant(2, 0), WHOLE))
        self.assertGreater(self.sums, before)
        fresh = Evaluator(self.evaluator.render, self.evaluator.frame, ByteCache(1 << 28))
        np.testing.assert_array_equal(brighter, fresh.at("finish", fresh.make_request(self.variant(2, 0), WHOLE)))


class TwoViewersTest(FolderTest):
    """Two pages look at the same place, each drags a light of its own: neither pays for the other's hand."""

    def test_each_drag_adds_one_term(self) -> None:
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL}
        evaluator = engine_for(write_layers(self.folder / "both.exr", passes))
        mixed: list[int] = []

        def counted(pictures: list[np.ndarray], *more: object) -> np.ndarray:
            mixed.append(len(pictures))
            return mix_planes(pictures, *more)

        def levels(viewer: str, stops: float) -> Variant:
            key, fill = (stops, -1.0) if viewer == "one" else (-1.0, stops)
            return Variant(balance=Balance(lights={"key": Level(stops=key), "fill": Level(stops=fill)}))

        for step in range(2):
            for viewer in ("one", "two"):
                evaluator.at("beauty", evaluator.make_request(levels(viewer, step / 4), WHOLE, Quality.PREVIEW, viewer))
        with mock.patch.object(light_sum, "mix_planes", counted):
            for step in range(2, 6):
                for viewer in ("one", "two"):
                    variant = levels(viewer, step / 4)
                    mixed.clear()
                    found = evaluator.at("beauty", evaluator.make_request(variant, WHOLE, Quality.PREVIEW, viewer))
                    with self.subTest(step=step, viewer=viewer):
                        self.assertEqual(mixed, [1])
                        exact = evaluator.at("beauty", evaluator.make_request(variant, WHOLE))
                        np.testing.assert_allclose(found, exact, rtol=1e-5, atol=1e-6)


class OneGridTest(FolderTest):
    """A region at an odd place: passes, products and sums of both show the very same pixels."""

    def setUp(self) -> None:
        super().setUp()
        # Stripes that a shift by less than a shown pixel turns over.
        stripes = np.broadcast_to(np.arange(128) % 8 < 4, (96, 128)).astype(np.float32)
        self.colour = np.stack([stripes, 1 - stripes, stripes]) * np.float32(0.5) + np.float32(0.25)
        self.direct = light(3, 96, 128).astype(np.float32)
        product = (self.direct * self.colour).astype(np.float16).astype(np.float32)
        self.glow = light(4, 96, 128, top=1)
        passes = {
            "": add_up(product, self.glow),
            "diffuse_direct": self.direct,
            "diffuse_color": self.colour,
            "emission": self.glow,
        }
        self.evaluator = engine_for(write_layers(self.folder / "product.exr", passes))
        self.variant = Variant(balance=Balance(components={"diffuse": Level(stops=1)}), residual=False)

    def test_the_recipe_is_a_product(self) -> None:
        terms = [str(term) for term in self.evaluator.render.recipes[0].recipe.terms]
        self.assertIn("diffuse_direct × diffuse_color", terms)

    def test_what_is_requested_is_widened_to_the_grid(self) -> None:
        viewport = Viewport(5, 3, 64, 64, 16, 16).on_grid(128, 96)
        self.assertEqual((viewport.x, viewport.y, viewport.width, viewport.height), (4, 0, 68, 68))
        self.assertEqual((viewport.out_width, viewport.out_height), (17, 17))
        edge = Viewport(65, 33, 63, 63, 16, 16).on_grid(128, 96)
        self.assertEqual((edge.x + edge.width, edge.y + edge.height), (128, 96))
        full = full_viewport(5, 3, 10, 10)
        self.assertIs(full.on_grid(128, 96), full)

    def test_smaller_pictures_are_means_of_the_full_one_at_any_place(self) -> None:
        whole = self.evaluator.at("finish", self.evaluator.make_request(self.variant, WHOLE))
        for x, y in ((0, 0), (1, 0), (5, 3), (7, 2), (33, 9), (63, 31)):
            viewport = Viewport(x, y, 64, 64, 16, 16).on_grid(128, 96)
            part = whole[:, viewport.y : viewport.y + viewport.height, viewport.x : viewport.x + viewport.width]
            size = (viewport.out_width, viewport.out_height)
            expected = np.stack([cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in part])
            with self.subTest(x=x, y=y):
                np.testing.assert_allclose(
                    self.evaluator.at("finish", self.evaluator.make_request(self.variant, viewport)),
                    expected,
                    atol=4e-3,
                )


class BrokenPixelsTest(FolderTest):
    """A pixel that is no number passes every correction whole; the others are exactly what the correction says."""

    def setUp(self) -> None:
        super().setUp()
        self.planes = light(5, 96, 128).astype(np.float32)
        self.planes[:, 2, 3], self.planes[0, 4, 5], self.planes[2, 6, 7] = np.inf, np.nan, -np.inf
        alpha = np.linspace(0, 1, 96 * 128, dtype=np.float32).reshape(96, 128)
        self.evaluator = engine_for(write_layers(self.folder / "b.exr", {"": self.planes, "A": alpha}, np.float32))

    def finished(self, *corrections: object) -> np.ndarray:
        return self.evaluator.at(
            "finish", self.evaluator.make_request(Variant(finish=Finish(corrections=corrections)), WHOLE)
        )

    def test_infinite_pixels_stay_as_they_are(self) -> None:
        source = self.evaluator.at("beauty", self.evaluator.make_request(Variant(), WHOLE))
        broken = ~np.isfinite(source).all(axis=0)
        self.assertEqual(int(broken.sum()), 3)
        for correction in (
            ExposureCorrection(stops=1), ExposureCorrection(stops=1, opacity=0.5), CdlCorrection(saturation=0.4),
            CdlCorrection(offset=(0.1, 0, 0), power=(1.2, 1, 1), opacity=0.3),
        ):  # fmt: skip
            with self.subTest(correction=correction):
                found = self.finished(correction)
                np.testing.assert_array_equal(found[:, broken], source[:, broken])
                self.assertTrue(np.isfinite(found[:, ~broken]).all())

    def test_at_full_opacity_the_result_is_exactly_the_correction(self) -> None:
        source = self.evaluator.at("beauty", self.evaluator.make_request(Variant(), WHOLE))
        fine = np.isfinite(source).all(axis=0)
        np.testing.assert_array_equal(
            self.finished(ExposureCorrection(stops=1.37))[:, fine], (source * np.float32(2**1.37))[:, fine]
        )
