"""Distortion and aberration against scipy's own resampling of smooth pictures, and where content must come."""

import unittest

import numpy as np
from scipy import ndimage

from escala.core.lens.geometry import FramePart
from escala.core.lens.warping import distort, lanczos_table, spread_colours

HEIGHT, WIDTH = 60, 90
FRAME = FramePart(0, 0, 1, WIDTH, HEIGHT)


def smooth(seed: int = 1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    noise = rng.random((3, HEIGHT, WIDTH))
    return np.stack([ndimage.gaussian_filter(plane, 3) for plane in noise]).astype(np.float32)


def sources(k1: float, k2: float, centre: tuple[float, float]) -> np.ndarray:
    """Where content that is seen at each pixel comes from, as places of pixel middles; (2, H, W)."""
    y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
    dx, dy = x - centre[0], y - centre[1]
    corner = np.hypot(max(centre[0], WIDTH - centre[0]), max(centre[1], HEIGHT - centre[1]))
    seen = np.hypot(dx, dy) / corner
    from_r = np.linspace(0, 1.6, 200_001)
    come = np.interp(seen, from_r * (1 + k1 * from_r**2 + k2 * from_r**4), from_r)
    factor = np.where(seen > 0, come / np.maximum(seen, 1e-12), 1.0)
    return np.stack([centre[1] + dy * factor - 0.5, centre[0] + dx * factor - 0.5])


class WarpingTest(unittest.TestCase):
    def test_content_comes_where_the_formula_says(self) -> None:
        light = smooth()
        for k1, k2, centre in ((0.2, 0.0, None), (-0.15, 0.05, None), (0.1, -0.1, (30.0, 20.0))):
            found = distort(light, FRAME, k1, k2, centre, True)
            places = sources(k1, k2, centre or (WIDTH / 2, HEIGHT / 2))
            expected = np.stack([ndimage.map_coordinates(plane, places, order=3, mode="nearest") for plane in light])
            inner = (slice(None), slice(6, -6), slice(6, -6))
            np.testing.assert_allclose(found[inner], expected[inner], atol=2e-3)

    def test_outside_is_empty_or_carried_on(self) -> None:
        light = np.ones((4, HEIGHT, WIDTH), np.float32)
        empty = distort(light, FRAME, -0.2, 0.0, None, False)
        self.assertEqual(empty[:, 0, 0].max(), 0.0)
        np.testing.assert_allclose(empty[:, HEIGHT // 2, WIDTH // 2], 1.0, rtol=1e-6)
        np.testing.assert_allclose(distort(light, FRAME, -0.2, 0.0, None, True), 1.0, rtol=1e-6)

    def test_outside_is_empty_beside_an_edge_that_is_no_number(self) -> None:
        for value in (np.inf, np.nan):
            light = np.ones((3, HEIGHT, WIDTH), np.float32)
            light[:, 0] = value
            np.testing.assert_array_equal(distort(light, FRAME, -0.2, 0.0, None, False)[:, :3, :3], 0.0)

    def test_a_lamp_leaves_no_dark_ring_and_no_number_stays_small(self) -> None:
        light = np.zeros((3, HEIGHT, WIDTH), np.float32)
        light[:, 20, 30] = 100
        found = distort(light, FRAME, 0.13, 0.0, None, True)
        self.assertEqual(found.min(), 0.0)
        self.assertGreater(found.max(), 20)
        broken = smooth()
        broken[:, 30, 45] = np.nan
        self.assertLess(np.isnan(distort(broken, FRAME, 0.1, 0.0, None, True)).sum(), 3 * 9)

    def test_a_part_is_that_of_the_whole(self) -> None:
        light = smooth()
        whole = distort(light, FRAME, 0.08, 0.0, None, True)
        part = FramePart(10, 5, 1, WIDTH, HEIGHT)
        found = distort(light[:, 5:, 10:].copy(), part, 0.08, 0.0, None, True)
        np.testing.assert_allclose(found[:, 20:-20, 20:-20], whole[:, 25:-20, 30:-20], atol=1e-6)

    def test_red_goes_outwards_and_blue_inwards(self) -> None:
        light = smooth()
        found = spread_colours(light, FRAME, 3.0)
        np.testing.assert_array_equal(found[1], light[1])
        y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
        dx, dy = x - WIDTH / 2, y - HEIGHT / 2
        far = np.hypot(dx, dy)
        shift = 3.0 * (far / np.hypot(WIDTH / 2, HEIGHT / 2)) ** 2
        for channel, sign in ((0, -1), (2, 1)):
            factor = 1 + sign * shift / np.maximum(far, 1e-9)
            places = np.stack([HEIGHT / 2 + dy * factor - 0.5, WIDTH / 2 + dx * factor - 0.5])
            expected = ndimage.map_coordinates(light[channel], places, order=3, mode="nearest")
            np.testing.assert_allclose(found[channel, 6:-6, 6:-6], expected[6:-6, 6:-6], atol=2e-3)

    def test_weights_are_those_of_the_formula(self) -> None:
        table = lanczos_table(8)
        x = 0.25 - np.arange(-2, 4)
        expected = np.sinc(x) * np.sinc(x / 3)
        np.testing.assert_allclose(table[2], expected / expected.sum(), rtol=1e-12)
