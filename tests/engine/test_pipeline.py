"""The tail of the path with a made-up station that looks around itself."""

from pathlib import Path

import cv2
import numpy as np
from scipy import ndimage

from escala.core.errors import ShapeError
from escala.engine.cache import ByteCache
from escala.engine.mattes.mattes import Mattes
from escala.engine.pipeline import Picture, Pipeline, Stage
from escala.engine.progress import Cancelled, no_progress
from escala.engine.request import EvaluationRequest, Quality
from escala.engine.stations import STAGES
from escala.engine.viewer.viewport import Viewport, bands_of, full_viewport
from escala.model.balance import Balance, Level
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, light, write_layers

KEY, FILL = light(1, 93, 131), light(2, 93, 131)
ALPHA = np.linspace(0, 1, 93 * 131, dtype=np.float32).reshape(93, 131)
WHOLE = full_viewport(0, 0, 131, 93)
REACH = 8.0


def mean_around(plane: np.ndarray, request: EvaluationRequest) -> np.ndarray:
    """Means over a square as far as the reach, at whatever pyramid level; edge pixels carried on."""
    side = 2 * int(REACH) // (1 << request.viewport.level) + 1
    for axis in (-2, -1):
        padded = np.pad(
            plane, [(side // 2, side // 2) if i == plane.ndim + axis else (0, 0) for i in range(plane.ndim)], "edge"
        )
        parts = [np.take(padded, range(i, i + plane.shape[axis]), axis) for i in range(side)]
        plane = sum(parts[1:], parts[0]) / np.float32(side)
    return plane


def blurred(picture: Picture, request: EvaluationRequest, mattes: Mattes) -> Picture:
    return Picture(mean_around(picture.colour, request), lambda: mean_around(picture.alpha, request))


BLUR = Stage("blur", lambda variant: "blur", blurred, lambda request, frame_context: REACH)


class ChainTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = engine_for(self.made(self.folder))
        self.made_of = 0

    def made(self, folder: Path) -> Path:
        passes = {"": add_up(KEY, FILL), "A": ALPHA, "lg_key": KEY, "lg_fill": FILL}
        return write_layers(folder / "shot.exr", passes)

    def beauty(self, request: EvaluationRequest) -> Picture:
        self.made_of += 1
        return self.evaluator.picture(request.with_progress(no_progress), "beauty")

    def pipeline(self, *stages: Stage) -> Pipeline:
        return Pipeline(
            self.evaluator.keys,
            ByteCache(1 << 28),
            self.evaluator.mattes,
            self.beauty,
            self.evaluator.beauty_inputs,
            stages,
        )

    def make_request(
        self, viewport: Viewport, quality: Quality = Quality.EXPORT, variant: Variant | None = None
    ) -> EvaluationRequest:
        return self.evaluator.make_request(variant or Variant(), viewport, quality)

    def test_each_pixel_is_the_same_whatever_part_is_requested(self) -> None:
        for stages in ((BLUR,), (BLUR, BLUR)):
            pipeline = self.pipeline(*stages)
            whole = pipeline.picture(len(stages), self.make_request(WHOLE))
            small = pipeline.picture(len(stages), self.make_request(Viewport(0, 0, 131, 93, 66, 47)))
            for x, y, width, height in ((0, 0, 40, 30), (90, 60, 41, 33), (46, 38, 20, 18), (4, 88, 127, 5)):
                with self.subTest(stages=len(stages), x=x, y=y):
                    part = pipeline.picture(len(stages), self.make_request(full_viewport(x, y, width, height)))
                    rows, columns = slice(y, y + height), slice(x, x + width)
                    np.testing.assert_array_equal(part.colour, whole.colour[:, rows, columns])
                    np.testing.assert_array_equal(part.alpha, whole.alpha[rows, columns])
                    half = Viewport(x, y, width, height, width // 2, height // 2).on_grid(131, 93).on_level()
                    rows = slice(half.y // 2, half.y // 2 + half.out_height)
                    columns = slice(half.x // 2, half.x // 2 + half.out_width)
                    part = pipeline.picture(len(stages), self.make_request(half))
                    np.testing.assert_array_equal(part.colour, small.colour[:, rows, columns])

    def test_it_is_the_station_over_the_whole_frame(self) -> None:
        found = self.pipeline(BLUR).picture(1, self.make_request(full_viewport(50, 40, 30, 20)))
        beauty = self.evaluator.at("beauty", self.make_request(WHOLE))
        wanted = ndimage.uniform_filter(beauty, (0, 17, 17), mode="nearest")[:, 40:60, 50:80]
        np.testing.assert_allclose(found.colour, wanted, rtol=1e-4, atol=1e-5)

    def test_a_size_between_two_levels_is_that_of_the_level_resized(self) -> None:
        viewport = Viewport(20, 10, 60, 44, 41, 30)
        found = self.pipeline(BLUR).picture(1, self.make_request(viewport)).colour
        level = self.pipeline(BLUR).picture(1, self.make_request(full_viewport(20, 10, 60, 44))).colour
        wanted = [cv2.resize(plane, (41, 30), interpolation=cv2.INTER_AREA) for plane in level]
        np.testing.assert_allclose(found, wanted, rtol=1e-6)

    def test_bands_of_a_delivery_are_the_whole(self) -> None:
        pipeline = self.pipeline(BLUR)
        bands = [pipeline.picture(1, self.make_request(band)).colour for band in bands_of(WHOLE, 16)]
        whole = pipeline.picture(1, self.make_request(WHOLE)).colour
        np.testing.assert_array_equal(np.concatenate(bands, axis=1), whole)

    def test_a_neutral_station_passes_the_same_picture_on(self) -> None:
        neutral = Stage("neutral", lambda variant: None, blurred, lambda request, frame_context: REACH)
        made = self.evaluator.picture(self.make_request(WHOLE), "beauty")
        pipeline = Pipeline(
            self.evaluator.keys,
            ByteCache(1 << 28),
            self.evaluator.mattes,
            lambda request: made,
            self.evaluator.beauty_inputs,
            (neutral, neutral),
        )
        self.assertIs(pipeline.picture(2, self.make_request(WHOLE)), made)
        self.assertTrue(pipeline.is_neutral(Variant()))
        beauty = self.evaluator.picture(self.make_request(WHOLE, Quality.EXACT), "beauty").colour
        self.assertIs(
            self.evaluator.pipeline.picture(len(STAGES), self.make_request(WHOLE, Quality.EXACT)).colour, beauty
        )

    def test_it_reports_step_by_step_and_the_caller_can_stop_it(self) -> None:
        heard: list[tuple[float, str]] = []

        def half_way(picture: Picture, request: EvaluationRequest, mattes: Mattes) -> Picture:
            request.progress(0.5, "half")
            return picture

        def hear(share: float, doing: str) -> None:
            heard.append((round(share, 4), doing))
            if doing == "half" and self.made_of == 2:
                raise Cancelled("it")

        pipeline = self.pipeline(BLUR, Stage("slow", lambda variant: "slow", half_way))
        request = self.evaluator.make_request(Variant(), WHOLE, progress=hear)
        pipeline.picture(2, request)
        self.assertEqual(heard, [(0, "beauty"), (0.3333, "blur"), (0.6667, "slow"), (0.8333, "half")])
        self.made_of = 2
        with self.assertRaises(Cancelled):
            pipeline.picture(2, request)

    def test_what_comes_before_the_change_is_not_made_again(self) -> None:
        after = [0]
        turning = Stage("turning", lambda variant: variant.display, lambda picture, request, mattes: picture)
        later = Stage("later", lambda variant: after[0], lambda picture, request, mattes: picture)
        pipeline = self.pipeline(BLUR, later, turning)
        for quality in (Quality.PREVIEW, Quality.EXACT):
            for after[0] in range(1, 4):
                pipeline.picture(3, self.make_request(WHOLE, quality))
        self.assertEqual(self.made_of, 2)
        lit = Variant(balance=Balance(lights={"key": Level(stops=-1)}))
        darker = pipeline.picture(3, self.make_request(WHOLE, Quality.EXACT, lit)).colour
        self.assertEqual(self.made_of, 3)
        wanted = mean_around(
            self.evaluator.at("beauty", self.make_request(WHOLE, variant=lit)), self.make_request(WHOLE)
        )
        np.testing.assert_array_equal(darker, wanted)

    def test_a_look_on_no_level_does_not_grow(self) -> None:
        with self.assertRaises(ShapeError):
            Viewport(0, 0, 60, 40, 41, 30).grown(3, 131, 93)
        self.assertEqual(Viewport(8, 8, 16, 16, 4, 4).grown(3, 131, 93), Viewport(4, 4, 24, 24, 6, 6))
        self.assertEqual(Viewport(120, 80, 11, 13, 3, 4).grown(9, 131, 93), Viewport(108, 68, 23, 25, 6, 7))
