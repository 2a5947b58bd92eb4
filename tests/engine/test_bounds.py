"""Work is bounded by what it costs: in bands, stopped when asked, refused before it begins."""

import threading
import tracemalloc
from unittest import mock

import cv2
import numpy as np

from escala.core.errors import TooLarge
from escala.engine import evaluator
from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.images import image_sources
from escala.engine.mattes import mattes
from escala.engine.mattes.shelf import MAX_TILES, draw_shelf
from escala.engine.progress import Cancelled
from escala.engine.request import Quality
from escala.engine.viewer.viewport import full_viewport
from escala.engine.worker import PREVIEW, SMALL, EvaluationThread
from escala.model.variant import Variant
from tests.engine.fixture_shot import decoded, engine_for, image_pool
from tests.fixtures import FolderTest, light, write_layers

HIGH, WIDE = 96, 128
WHOLE = full_viewport(0, 0, WIDE, HIGH)
OVAL = {"kind": "ellipse", "centre": [60, 40], "radii": [30, 20]}


def joins(count: int) -> dict:
    """So many ovals, and as many joins of all of them, each limiting a correction."""
    ovals = {f"o{i}": {**OVAL, "centre": [10 + i, 40]} for i in range(count)}
    joined = {f"j{i}": {"kind": "join", "how": "any", "of": list(ovals)} for i in range(count)}
    corrections = [{"kind": "exposure", "stops": 0.1, "matte": name} for name in joined]
    return {"mattes": ovals | joined, "finish": {"corrections": corrections}}


class BoundsTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        planes = light(1, HIGH, WIDE)
        passes = {"": planes, "lg_key": planes, "A": np.ones((HIGH, WIDE), np.float32)}
        passes |= {"motion.X": 9 * light(2, HIGH, WIDE)[0], "motion.Y": np.zeros((HIGH, WIDE), np.float32)}
        made = engine_for(write_layers(self.folder / "shot.exr", passes, np.float32))
        images = image_pool(self.folder)
        self.evaluator = Evaluator(made.render, made.frame, ByteCache(1 << 28), images=images)
        self.images = images

    def test_a_large_exact_image_is_made_in_bands_and_is_the_same(self) -> None:
        variant = Variant.model_validate(
            {
                "depth": {"motion": {"on": True, "shutter": 0.5}},
                "lens": {"distortion": {"on": True, "k1": 0.1}},
                "finish": {"corrections": [{"kind": "blur", "radius_px": [3, 1], "turn": 30}]},
            }
        )
        at_once = self.evaluator.picture(self.evaluator.make_request(variant, WHOLE))
        shares: list[float] = []
        with mock.patch.object(evaluator, "_MAX_AT_ONCE", 1000), mock.patch.object(evaluator, "BAND_ROWS", 16):
            request = self.evaluator.make_request(variant, WHOLE, progress=lambda share, doing: shares.append(share))
            in_bands = self.evaluator.picture(request)
        np.testing.assert_allclose(in_bands.colour, at_once.colour, rtol=1e-5, atol=1e-6)
        np.testing.assert_array_equal(in_bands.alpha, at_once.alpha)
        self.assertEqual(shares, sorted(shares))
        self.assertGreater(len(set(shares)), 4)

    def test_joins_that_would_take_minutes_are_refused_with_a_sentence(self) -> None:
        variant = Variant.model_validate(joins(20))
        self.evaluator.picture(self.evaluator.make_request(variant, WHOLE))
        with mock.patch.object(mattes, "_MAX_MADE_PIXELS", 200 * HIGH * WIDE):
            self.evaluator.make_request(variant, WHOLE)  # all its members fit into the cache
            self.evaluator.cache.budget = 4 * 20 * HIGH * WIDE
            with self.assertRaisesRegex(TooLarge, "their joins take 420 mattes of 0.0 million pixels; join fewer"):
                self.evaluator.make_request(variant, WHOLE)
            self.evaluator.make_request(variant, WHOLE, Quality.PREVIEW)

    def test_mattes_report_and_stop(self) -> None:
        grown = {"mattes": {"m": {**OVAL, "grow_px": 40, "soften_px": 20}}}
        variant = Variant.model_validate({**grown, "finish": {"corrections": [{"kind": "exposure", "matte": "m"}]}})
        steps: list[str] = []
        self.evaluator.picture(
            self.evaluator.make_request(variant, WHOLE, progress=lambda share, doing: steps.append(doing))
        )
        self.assertIn("matte m", steps)

        def stop(share: float, doing: str) -> None:
            if doing == "matte m":
                raise Cancelled("it")

        wider = variant.model_copy(update={"mattes": {"m": variant.mattes["m"].model_copy(update={"grow_px": 41.0})}})
        with self.assertRaises(Cancelled):
            self.evaluator.picture(self.evaluator.make_request(wider, WHOLE, progress=stop))

    def test_a_thin_picture_of_dirt_is_not_made_large(self) -> None:
        for size in ((1, 4000), (4000, 1), (1, 1)):
            file = self.folder / f"{size[0]} {size[1]}.png"
            cv2.imwrite(str(file), np.full((*size, 3), 200, np.uint8))
            lens = {"glow": {"on": True, "threshold": -6}, "dirt": {"on": True, "picture": str(file), "amount": 3}}
            variant = Variant.model_validate({"lens": lens})
            plain = Variant.model_validate({"lens": {"glow": lens["glow"]}})
            self.images.prepare(image_sources(variant))
            tracemalloc.start()
            found = self.evaluator.at("lens", self.evaluator.make_request(variant, WHOLE))
            peak = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            self.assertLess(peak, 60 << 20)
            self.assertGreater(
                float((found - self.evaluator.at("lens", self.evaluator.make_request(plain, WHOLE))).mean()), 0.01
            )

    def test_many_mattes_come_in_pages(self) -> None:
        many = Variant.model_validate({"mattes": {f"m{i:04d}": OVAL for i in range(2 * MAX_TILES + 10)}})
        shelf, sheet = draw_shelf(self.evaluator, many)
        self.assertEqual((len(shelf.mattes), shelf.total), (MAX_TILES, 2 * MAX_TILES + 10))
        self.assertEqual(decoded(sheet).shape[0], MAX_TILES // 8 * shelf.tile_height)
        last, _ = draw_shelf(self.evaluator, many, 2 * MAX_TILES)
        self.assertEqual([matte.name for matte in last.mattes], [f"m{i:04d}" for i in range(2 * MAX_TILES, 522)])
        self.assertEqual(draw_shelf(self.evaluator, many, 9999)[0].mattes, ())

    def test_a_long_list_of_mattes_gives_way(self) -> None:
        thread, order = EvaluationThread(), []
        self.addCleanup(thread.close)
        many = Variant.model_validate({"mattes": {f"m{i:04d}": {**OVAL, "gain": i} for i in range(60)}})
        began = threading.Event()

        def shelf() -> None:
            began.set()
            draw_shelf(self.evaluator, many)
            order.append("shelf")

        asker = threading.Thread(target=lambda: thread.run(shelf, SMALL))
        asker.start()
        began.wait(5)
        thread.run(lambda: order.append("image"), PREVIEW)
        asker.join(30)
        self.assertEqual(order, ["image", "shelf"])
