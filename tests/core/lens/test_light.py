"""Glow and glare: against exact Gaussians, all light kept, direction and fading of rays, bits of parts."""

import unittest

import numpy as np
from scipy import ndimage

from escala.core.lens.glare import glare
from escala.core.lens.glow import glow
from escala.core.lens.highlights import light_over


def lamp(height: int = 200, width: int = 260, y: int = 100, x: int = 131) -> np.ndarray:
    light = np.zeros((3, height, width), np.float32)
    light[:, y, x] = (10.0, 5.0, 1.0)
    return light


class ThresholdTest(unittest.TestCase):
    def test_the_formula(self) -> None:
        light = np.random.default_rng(0).random((3, 20, 30)).astype(np.float32) * 2
        matte = np.random.default_rng(1).random((20, 30)).astype(np.float32)
        limit = 0.18 * 2**1.5
        brightest = light.max(axis=0)
        share = np.maximum(0, 1 - limit / brightest)
        expected = light * share * matte * np.array([1.2, 1.0, 0.5])[:, None, None]
        np.testing.assert_allclose(light_over(light, 1.5, (1.2, 1.0, 0.5), matte), expected, rtol=1e-5, atol=1e-7)

    def test_what_is_no_number_gives_no_light(self) -> None:
        light = np.full((3, 2, 2), 5.0, np.float32)
        light[1, 0, 0], light[2, 1, 1] = np.nan, np.inf
        found = light_over(light, 0.0, (1, 1, 1))
        self.assertEqual(found[:, 0, 0].max() + found[:, 1, 1].max(), 0.0)
        self.assertGreater(found[:, 0, 1].min(), 4.0)


class GlowTest(unittest.TestCase):
    def test_five_gaussians(self) -> None:
        rng = np.random.default_rng(2)
        light = (rng.random((3, 150, 170)) > 0.995).astype(np.float32) * 20
        for size in (3.0, 17.0, 40.0):
            found = glow(light, size, (5, 3))
            expected = sum(
                np.stack([ndimage.gaussian_filter(p.astype(np.float64), size / 2**i, mode="constant") for p in light])
                for i in range(5)
            )
            np.testing.assert_allclose(found, expected / 5, atol=2e-3 * expected.max() / 5)

    def test_all_light_is_kept(self) -> None:
        np.testing.assert_allclose(glow(lamp(), 20.0).sum(axis=(1, 2)), [10.0, 5.0, 1.0], rtol=2e-4)
        self.assertEqual(np.abs(glow(np.zeros((3, 9, 9), np.float32), 20.0)).max(), 0.0)
        # Outside the frame is black: half of a lamp at the edge leaves.
        at_edge = glow(lamp(x=0), 16.0)[0].sum()
        self.assertAlmostEqual(float(at_edge), 5.0, delta=0.9)

    def test_parts_make_the_same_bits(self) -> None:
        light = np.random.default_rng(3).random((3, 200, 300)).astype(np.float32)
        whole = glow(light, 12.0, (0, 0))
        found = glow(light[:, 30:, 50:].copy(), 12.0, (50, 30))
        np.testing.assert_array_equal(found[:, 70:100, 70:], whole[:, 100:130, 120:])


class GlareTest(unittest.TestCase):
    def test_rays_keep_the_light_and_point_where_they_shall(self) -> None:
        found = glare(lamp(), 1, 60.0, 30.0, 1.0)
        np.testing.assert_allclose(found.sum(axis=(1, 2)), [10.0, 5.0, 1.0], rtol=1e-3)
        y, x = np.mgrid[:200, :260]
        weights = found[0] / found[0].sum()
        across, down = (weights * (x - 131)).sum(), (weights * (y - 100)).sum()
        self.assertAlmostEqual(float(np.degrees(np.arctan2(-down, across))), 30.0, delta=1.0)
        # It fades by e over a quarter of its length: the mean of e^(-4t) on 0..1 lies at 0.2313.
        self.assertAlmostEqual(float(np.hypot(across, down)) / 60.0, 0.2313, delta=0.02)

    def test_each_ray_has_its_share(self) -> None:
        found = glare(lamp(), 4, 50.0, 0.0, 0.5)[0]
        for part in (found[90:110, 136:], found[90:110, :127], found[:96, 121:141], found[105:, 121:141]):
            self.assertAlmostEqual(float(part.sum()), 10 / 4, delta=0.9)

    def test_parts_make_the_same_bits(self) -> None:
        light = np.random.default_rng(3).random((3, 160, 240)).astype(np.float32)
        whole = glare(light, 3, 20.0, 10.0, 2.0)
        found = glare(light[:, 21:, 33:].copy(), 3, 20.0, 10.0, 2.0, (33, 21))
        np.testing.assert_array_equal(found[:, 60:90, 60:160], whole[:, 81:111, 93:193])
