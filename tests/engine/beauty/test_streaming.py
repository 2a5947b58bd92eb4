"""Sums of more terms than the cache holds: the same picture, from the stored halves, in bounded memory."""

import tracemalloc
from unittest import mock

import numpy as np

from escala.engine.beauty import light_sum, streaming
from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.request import Quality
from escala.engine.viewer.viewport import Viewport, full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, light, write_layers

HIGH, WIDE, COUNT = 60, 90, 24
LOOKS = (full_viewport(0, 0, WIDE, HIGH), Viewport(0, 0, WIDE, HIGH, 61, 41), Viewport(8, 4, 64, 32, 32, 16))


class StreamTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.make(HIGH, WIDE)

    def make(self, height: int, width: int) -> None:
        lights = {f"lg_l{i:02d}": light(i, height, width, 0.2) for i in range(COUNT)}
        self.made = engine_for(write_layers(self.folder / "many.exr", {"": add_up(*lights.values()), **lights}))

    def evaluator(self, budget: int) -> Evaluator:
        return Evaluator(self.made.render, self.made.frame, ByteCache(budget))

    def variant(self, step: int, **more: object) -> Variant:
        lights = {f"l{i:02d}": {"stops": (step + i) % 7 / 2 - 1, **more} for i in range(COUNT)}
        return Variant.model_validate({"balance": {"lights": lights}})

    def image(
        self, evaluator: Evaluator, variant: Variant, viewport: Viewport, quality: Quality, station: str = "beauty"
    ) -> np.ndarray:
        return evaluator.at(station, evaluator.make_request(variant, viewport, quality, "me"))

    def test_it_is_what_the_cached_terms_make(self) -> None:
        for more in ({}, {"kelvin": 4000}, {"tint": [1.2, 1, 0.7]}):
            for viewport in LOOKS:
                for quality in Quality:
                    large, small = self.evaluator(1 << 28), self.evaluator(1 << 17)
                    for step, station in ((1, "beauty"), (2, "balance"), (3, "beauty"), (3, "balance")):
                        variant = self.variant(step, **more)
                        both = [self.image(e, variant, viewport, quality, station) for e in (large, small)]
                        np.testing.assert_allclose(both[1], both[0], atol=3e-5)

    def test_exact_sums_have_the_same_bits(self) -> None:
        both = [self.image(self.evaluator(b), self.variant(1), LOOKS[0], Quality.EXACT) for b in (1 << 28, 1 << 17)]
        np.testing.assert_array_equal(*both)

    def test_it_is_streamed_only_where_terms_do_not_fit(self) -> None:
        with mock.patch.object(light_sum, "stream_sum", wraps=streaming.stream_sum) as streamed:
            for budget, calls in ((1 << 28, 0), (1 << 17, 1)):
                self.image(self.evaluator(budget), self.variant(1), LOOKS[0], Quality.PREVIEW)
                self.assertEqual(streamed.call_count, calls)

    def test_memory_does_not_grow_with_the_terms(self) -> None:
        """The frame is large beside what threads of other tests, which are traced too, may allocate meanwhile."""
        height, width = 360, 600
        self.make(height, width)
        evaluator, viewport = self.evaluator(1 << 21), full_viewport(0, 0, width, height)
        self.image(evaluator, self.variant(1), viewport, Quality.EXACT)
        tracemalloc.start()
        self.image(evaluator, self.variant(2), viewport, Quality.EXACT)
        peak = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
        self.assertLess(peak, 16 * 12 * height * width)  # the terms as float32 take 24 times as much as one
