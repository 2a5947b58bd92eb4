import cv2
import numpy as np

from escala.core.colour.gamuts import GAMUTS
from escala.core.errors import BadSource, UnknownChoice
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.images import ImageSource, OutsideImage
from escala.engine.viewer.scope import ScopeWish, draw_scope
from escala.engine.viewer.screen import NO_AIDS, ViewerAids, difference_of, screen_picture
from escala.engine.viewer.subject import Subject, render_subject, values_at
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.model.balance import Balance, Level
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for, grid_engine, grid_passes, image_pool
from tests.fixtures import FolderTest, add_up, light, write_layers

FULL = full_viewport(0, 0, 64, 48)
BRIGHTER = Variant(balance=Balance(lights={"key": Level(stops=1)}))


def pixels(file: bytes) -> np.ndarray:
    return cv2.imdecode(np.frombuffer(file, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


class SubjectTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)
        self.colour_pipeline = resolve_colour(self.evaluator.render, Variant())

    def subject(self, variant: Variant = Variant(), **what: object) -> Subject:  # noqa: B008 - frozen
        return Subject(self.evaluator, variant, **what)  # type: ignore[arg-type]

    def image(self, name: str, planes: np.ndarray, **header: object) -> OutsideImage:
        """A comparison image, from a file of its own."""
        path = self.folder / name
        if path.suffix == ".exr":
            write_layers(path, {"": planes}, np.float32, **header)
        else:
            shown = np.rint(planes.transpose(1, 2, 0)[..., ::-1] * 255).astype(np.uint8)
            cv2.imwrite(str(path), shown)
        return image_pool(self.folder).load(ImageSource(str(path)))

    def working(self, planes: np.ndarray) -> np.ndarray:
        return self.colour_pipeline.config.convert(planes, "Linear Rec.709 (sRGB)", "ACEScg")

    def test_a_pass_is_seen_as_light(self) -> None:
        seen = render_subject(self.subject(pass_name="key"), FULL)
        self.assertTrue(seen.scene)
        np.testing.assert_allclose(seen.planes, self.working(grid_passes()["key"]), atol=1e-6)
        with self.assertRaisesRegex(BadSource, "no pass rim"):
            render_subject(self.subject(pass_name="rim"), FULL)

    def test_a_data_pass_is_seen_by_its_role_and_reported_as_stored(self) -> None:
        depth = light(3)[0] + np.float32(2)
        evaluator = engine_for(write_layers(self.folder / "deep.exr", {"": light(1), "Z": depth}))
        subject, viewport = Subject(evaluator, Variant(), pass_name="Z"), full_viewport(4, 4, 8, 8)
        self.assertFalse(render_subject(subject, viewport).scene)
        np.testing.assert_array_equal(values_at(subject, viewport)[0], depth[4:12, 4:12])

    def test_values_are_those_of_the_finished_picture(self) -> None:
        viewport = full_viewport(10, 5, 6, 4)
        np.testing.assert_array_equal(
            values_at(self.subject(BRIGHTER), viewport),
            self.evaluator.at("finish", self.evaluator.make_request(BRIGHTER, FULL))[:, 5:9, 10:16],
        )

    def test_a_still_is_shown_as_it_is_over_the_whole_picture(self) -> None:
        shown = np.zeros((3, 24, 32), np.float32)
        shown[:, :, 16:] = np.array([1.0, 0.6, 0.2], np.float32)[:, None, None]
        for name in ("ref.png", "ref.tif"):
            image = self.image(name, shown)
            seen = render_subject(self.subject(image=image), FULL)
            self.assertFalse(seen.scene)
            np.testing.assert_allclose(seen.planes[:, 20, 50], [1, 0.6, 0.2], atol=1e-6)
            np.testing.assert_allclose(seen.planes[:, 20, 10], 0, atol=1e-6)
            right = render_subject(self.subject(image=image), Viewport(48, 0, 16, 48, 16, 48))
            np.testing.assert_allclose(right.planes.min(axis=(1, 2)), [1, 0.6, 0.2], atol=1e-6)
            kept, kind = screen_picture(self.subject(image=image), FULL, False, ViewerAids(exposure=3))
            self.assertEqual(kind, "image/png")
            np.testing.assert_array_equal(pixels(kept)[20, 50], [255, 153, 51])

    def test_light_that_was_imported_is_read_by_its_header(self) -> None:
        planes = light(8, 48, 64)
        seen = render_subject(self.subject(image=self.image("ref.exr", planes, chromaticities=GAMUTS["AP1"])), FULL)
        self.assertTrue(seen.scene)
        np.testing.assert_allclose(seen.planes, planes, atol=1e-6)

    def test_differences_in_light_and_in_what_is_displayed(self) -> None:
        plain, brighter = self.subject(), self.subject(BRIGHTER)
        found = pixels(difference_of(plain, brighter, FULL, 0.25, "linear"))
        wanted = np.clip(self.working(grid_passes()["key"]) * 0.25, 0, 1).transpose(1, 2, 0) * 255
        self.assertLessEqual(float(np.abs(found - wanted).max()), 1.0)
        found = pixels(difference_of(plain, brighter, FULL, 4, "display"))
        shown = [
            np.clip(
                self.colour_pipeline.config.display(
                    self.evaluator.at("finish", self.evaluator.make_request(v, FULL)),
                    "ACEScg",
                    self.colour_pipeline.view,
                ),
                0,
                1,
            )
            for v in (Variant(), BRIGHTER)
        ]
        wanted = np.clip(np.abs(shown[0] - shown[1]) * 4, 0, 1).transpose(1, 2, 0) * 255
        self.assertLessEqual(float(np.abs(found - wanted).max()), 1.0)
        self.assertEqual(int(pixels(difference_of(plain, plain, FULL, 1e6, "linear")).max()), 0)

    def test_display_values_have_no_difference_in_light(self) -> None:
        still = self.subject(image=self.image("ref.png", np.full((3, 48, 64), 0.5, np.float32)))
        with self.assertRaisesRegex(BadSource, "compare display values"):
            difference_of(self.subject(), still, FULL, 1, "linear")
        self.assertGreater(int(pixels(difference_of(self.subject(), still, FULL, 1, "display")).max()), 10)


class BehindTest(FolderTest):
    """What is seen through clear pixels: for the viewer only, laid under in light."""

    def test_colour_and_checker_show_through_by_coverage(self) -> None:
        alpha = np.zeros((24, 32), np.float32)
        alpha[:, 8:] = 0.5
        alpha[:, 16:] = 1
        colour = light(2) * alpha
        evaluator = engine_for(write_layers(self.folder / "cut.exr", {"": colour, "A": alpha}, np.float32))
        subject, viewport = Subject(evaluator, Variant()), full_viewport(0, 0, 32, 24)
        plain = pixels(screen_picture(subject, viewport, False, NO_AIDS)[0])
        grey = pixels(screen_picture(subject, viewport, False, ViewerAids(behind="colour", behind_colour=(1, 0, 0)))[0])
        np.testing.assert_array_equal(grey[:, 16:], plain[:, 16:])
        self.assertTrue(np.all(grey[:, :16, 0].astype(int) >= plain[:, :16, 0]))
        self.assertGreater(int(grey[0, 0, 0]), 100)
        self.assertLess(int(grey[0, 0, 2]), int(grey[0, 0, 0]) // 2)
        board = pixels(screen_picture(subject, viewport, False, ViewerAids(behind="checker"))[0])
        self.assertEqual(len(np.unique(board[:, 0, 0])), 2)

    def test_light_beyond_the_gamut_is_pointed_at(self) -> None:
        planes = np.full((3, 24, 32), 0.4, np.float32)
        planes[0, :, :10] = -0.1
        evaluator = engine_for(write_layers(self.folder / "out.exr", {"": planes}, chromaticities=GAMUTS["AP1"]))
        shown = pixels(
            screen_picture(Subject(evaluator, Variant()), full_viewport(0, 0, 32, 24), True, ViewerAids(show="gamut"))[
                0
            ]
        )
        self.assertGreater(int(shown[:, :8].min()), 240)
        self.assertLess(int(shown[:, 12:].max()), 110)


class ScopeOfSubjectTest(FolderTest):
    def test_each_kind_of_each_scale_is_drawn(self) -> None:
        subject = Subject(grid_engine(self.folder), Variant())
        for kind in ("waveform", "parade", "histogram", "chromaticity"):
            for scale in ("stops", "display"):
                for live in (True, False):
                    shown = pixels(draw_scope(subject, FULL, ScopeWish(kind, scale, 120, 90), live))
                    self.assertEqual(shown.shape[0], 90)
                    self.assertGreater(int(shown.max()), 100)
        with self.assertRaises(UnknownChoice):
            draw_scope(subject, FULL, ScopeWish("spiral", "stops", 120, 90), False)

    def test_a_region_is_counted_alone(self) -> None:
        passes = {"": add_up(light(1, 48, 64) * 0, light(1, 48, 64) * 0)}
        passes[""][:, :, 32:] = 0.18
        subject = Subject(engine_for(write_layers(self.folder / "half.exr", passes)), Variant())
        wish = ScopeWish("waveform", "stops", 90, 90)
        left = pixels(draw_scope(subject, Viewport(0, 0, 32, 48, 32, 48), wish, False))
        right = pixels(draw_scope(subject, Viewport(32, 0, 32, 48, 32, 48), wish, False))
        self.assertEqual(int(left.max()), 0)
        self.assertIn(np.flatnonzero(right.any(axis=(1, 2))).tolist(), ([39], [40]))
