"""Layers merged by depth against pictures of both together, sampled finely."""

import unittest

import numpy as np

from escala.core.plate.merging import DepthLayer, merge_by_depth
from escala.core.plate.operators import Layer

SIZE, FINE = 48, 16
PLACE = (np.arange(SIZE * FINE) + 0.5) / FINE


def filtered(fine: np.ndarray) -> np.ndarray:
    """Fine samples, (..., H·FINE, W·FINE), to pixels."""
    return fine.reshape(*fine.shape[:-2], SIZE, FINE, SIZE, FINE).mean(axis=(-3, -1)).astype(np.float32)


def rendered(colours: list[tuple[float, ...]], shapes: list[np.ndarray], distances: list[np.ndarray]) -> DepthLayer:
    """Surfaces as a renderer gives them: means of colour and alpha, distances at the middles of pixels."""
    depth = np.full((SIZE * FINE, SIZE * FINE), np.inf)
    colour, alpha = np.zeros((3, *depth.shape)), np.zeros(depth.shape)
    for value, shape, distance in zip(colours, shapes, distances, strict=True):
        nearer = shape & (distance < depth)
        depth = np.where(nearer, distance, depth)
        alpha = np.where(nearer, 1.0, alpha)
        colour = np.where(nearer, np.array(value)[:, None, None], colour)
    centre = depth[FINE // 2 :: FINE, FINE // 2 :: FINE].astype(np.float32)
    return DepthLayer(Layer(filtered(colour), filtered(alpha)), centre)


def flat(distance: float) -> np.ndarray:
    """One distance everywhere."""
    return np.full((SIZE * FINE, SIZE * FINE), distance)


NEAR = np.hypot(PLACE[None] - 20.3, PLACE[:, None] - 22.7) < 12
BAR = np.abs((PLACE[None] - 25) * 0.4 + (PLACE[:, None] - 24)) < 5
ALL = np.ones_like(NEAR)
RED, GREEN, BLUE = (0.9, 0.1, 0.05), (0.1, 0.8, 0.2), (0.05, 0.1, 0.7)


class MergingTest(unittest.TestCase):
    def assert_as_together(self, first: tuple, second: tuple, mean: float, most: float) -> None:
        """Two renders merged are the render of both, on average and everywhere."""
        together = rendered(*(a + b for a, b in zip(first, second, strict=True)))
        merged = merge_by_depth([rendered(*first), rendered(*second)])
        difference = np.abs(merged.colour - together.layer.colour)
        edges = np.abs(filtered(np.stack([NEAR, BAR]).astype(float)) - 0.5) < 0.499
        self.assertLess(float(difference[:, edges.any(axis=0)].mean()), mean)
        self.assertLess(float(difference.max()), most)
        np.testing.assert_allclose(merged.alpha, together.layer.alpha, atol=0.27)

    def test_a_bar_between_a_disc_and_the_ground(self) -> None:
        self.assert_as_together(
            ([RED, BLUE], [NEAR, ALL], [flat(5.0), flat(60.0)]), ([GREEN], [BAR], [flat(20.0)]), 0.02, 0.25
        )

    def test_a_bar_before_all_and_behind_all(self) -> None:
        for distance in (2.0, 90.0):
            with self.subTest(distance=distance):
                ground = ([RED, BLUE], [NEAR, ALL], [flat(5.0), flat(60.0)])
                self.assert_as_together(ground, ([GREEN], [BAR], [flat(distance)]), 2e-3, 0.08)

    def test_behind_an_edge_over_nothing(self) -> None:
        self.assert_as_together(([RED], [NEAR], [flat(5.0)]), ([GREEN], [BAR], [flat(20.0)]), 0.02, 0.27)

    def test_surfaces_that_cross_share_the_pixel(self) -> None:
        slope = 10 + 0.3 * (PLACE[None] - 24.2) + 0.11 * (PLACE[:, None] - 20) + np.zeros_like(NEAR)
        first, second = ([RED], [ALL], [flat(10.0)]), ([GREEN], [ALL], [slope])
        together = rendered(*(a + b for a, b in zip(first, second, strict=True)))
        merged = merge_by_depth([rendered(*first), rendered(*second)])
        self.assertLess(float(np.abs(merged.colour - together.layer.colour).max()), 0.06)

    def test_alone_it_stays_to_the_bit(self) -> None:
        ground = rendered([RED, BLUE], [NEAR, ALL], [flat(5.0), flat(60.0)])
        nothing = DepthLayer(Layer(ground.layer.colour * 0, ground.layer.alpha * 0), np.full((SIZE, SIZE), np.inf))
        merged = merge_by_depth([ground, nothing])
        np.testing.assert_array_equal(merged.colour, ground.layer.colour)
        np.testing.assert_array_equal(merged.alpha, ground.layer.alpha)

    def test_of_equal_distances_the_later_is_in_front(self) -> None:
        one = rendered([RED], [ALL], [flat(5.0)])
        other = rendered([GREEN], [ALL], [flat(5.0)])
        np.testing.assert_allclose(merge_by_depth([one, other]).colour[:, 4, 4], GREEN, rtol=1e-6)

    def test_a_mist_between_is_laid_by_its_alpha(self) -> None:
        ground = rendered([RED, BLUE], [NEAR, ALL], [flat(5.0), flat(60.0)])
        alpha = np.full((SIZE, SIZE), 0.5, np.float32)
        mist = DepthLayer(
            Layer(np.full((3, SIZE, SIZE), 0.2, np.float32), alpha), np.full((SIZE, SIZE), 30, np.float32)
        )
        merged = merge_by_depth([ground, mist]).colour
        np.testing.assert_allclose(merged[:, 22, 20], RED, rtol=1e-5)
        np.testing.assert_allclose(merged[:, 4, 44], 0.2 + 0.5 * np.array(BLUE), rtol=1e-5)
