"""Vignette and grain against their formulas; the noise against SplitMix64 worked out in whole numbers."""

import unittest

import numpy as np
from scipy import ndimage

from escala.core.lens.geometry import FramePart
from escala.core.lens.grain import grain_noise, lay_grain
from escala.core.lens.vignette import vignette

ONES = 2**64 - 1


def mixed(state: int) -> int:
    z = (state + 0x9E3779B97F4A7C15) & ONES
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & ONES
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & ONES
    return z ^ (z >> 31)


def white(seed: int, frame: int, channel: int, y: int, x: int) -> float:
    h = mixed(mixed(mixed(mixed(mixed(seed) ^ frame) ^ channel) ^ (y & ONES)) ^ (x & ONES))
    parts = [(h >> shift) & 0xFFFF for shift in (0, 16, 32, 48)]
    return (sum(parts) - 131070.0) * np.sqrt(3.0) / 65536.0


class VignetteTest(unittest.TestCase):
    def test_the_formula(self) -> None:
        rng = np.random.default_rng(4)
        planes, matte = rng.random((3, 20, 30), np.float32), rng.random((20, 30), np.float32)
        part = FramePart(4, 2, 2, 90, 50)
        for centre, roundness, soft in ((None, 0.5, 0.5), ((30.0, 12.0), 0.0, 1.0), (None, 1.0, 0.0)):
            cx, cy = centre or (45.0, 25.0)
            x, y = 4 + (np.arange(30) + 0.5) * 2 - cx, (2 + (np.arange(20) + 0.5) * 2 - cy)[:, None]
            circle = np.hypot(x, y) / np.hypot(45, 25)
            ellipse = np.hypot(x / 45, y / 25) / np.sqrt(2)
            far = roundness * circle + (1 - roundness) * ellipse
            inner = 0.8 * (1 - soft)
            t = np.clip((far - inner) / (0.8 - inner), 0, 1) if soft else (far >= 0.8).astype(float)
            gain = 2 ** (-1.5 * t * t * (3 - 2 * t))
            shape = -1.5, centre, 0.8, roundness, soft
            np.testing.assert_allclose(vignette(planes, part, *shape), planes * gain, rtol=1e-5)
            limited = planes * (1 + matte * (gain - 1))
            np.testing.assert_allclose(vignette(planes, part, *shape, matte), limited, rtol=1e-5)

    def test_a_single_pixel_is_limited_as_in_the_whole(self) -> None:
        rng = np.random.default_rng(4)
        planes, matte = rng.random((3, 20, 30), np.float32), rng.random((20, 30), np.float32)
        shape = -1.5, None, 0.8, 0.5, 0.5
        for limit in (None, matte):
            whole = vignette(planes, FramePart(4, 2, 2, 90, 50), *shape, limit)
            one = None if limit is None else limit[3:4, 2:3]
            found = vignette(planes[:, 3:4, 2:3], FramePart(8, 8, 2, 90, 50), *shape, one)
            np.testing.assert_array_equal(found, whole[:, 3:4, 2:3])


class GrainTest(unittest.TestCase):
    def test_the_noise_is_that_of_the_generator(self) -> None:
        found = grain_noise(7, 12, 0.5, -3, 5, 4, 3)
        wide = np.array([[white(7, 12, 1, y, x) for x in range(-9, 8)] for y in range(-1, 14)])
        sigma = 0.2
        blurred = ndimage.gaussian_filter(wide, sigma, radius=1)
        weights = np.exp(-0.5 * (np.arange(-1, 2) / sigma) ** 2)
        kept = ((weights / weights.sum()) ** 2).sum()
        np.testing.assert_allclose(found[1], (blurred / kept)[6:9, 6:10], rtol=1e-4, atol=1e-5)

    def test_mean_and_deviation_are_the_same_for_every_size(self) -> None:
        for size in (0.5, 1.5, 6.0):
            noise = grain_noise(0, 1, size, 0, 0, 400, 300)
            self.assertAlmostEqual(float(noise.mean()), 0.0, delta=0.02 * size)
            self.assertAlmostEqual(float(noise.std()), 1.0, delta=0.02 * size)
        self.assertLess(abs(np.corrcoef(noise[0].ravel(), noise[1].ravel())[0, 1]), 0.1)

    def test_seed_and_frame_make_another_and_parts_the_same(self) -> None:
        whole = grain_noise(3, 4, 2.0, 0, 0, 60, 50)
        np.testing.assert_array_equal(grain_noise(3, 4, 2.0, 17, 9, 20, 30), whole[:, 9:39, 17:37])
        for other in (grain_noise(4, 4, 2.0, 0, 0, 60, 50), grain_noise(3, 5, 2.0, 0, 0, 60, 50)):
            self.assertGreater(np.abs(other - whole).mean(), 0.5)

    def test_stops_with_a_toe_and_calmer_lights(self) -> None:
        noise = grain_noise(0, 1, 1.5, 0, 0, 40, 30)
        light = np.geomspace(0.001, 30, 3 * 30 * 40).reshape(3, 30, 40).astype(np.float32)
        found = lay_grain(light, noise, 0.3, 0.5)
        calm = 1 + 0.5 * np.maximum(0, np.log2(light / 0.18)) / 4
        expected = (2 ** (np.log2(light / 0.18 + 2**-6) + noise * 0.3 / calm) - 2**-6) * 0.18
        np.testing.assert_allclose(found, expected, rtol=1e-4, atol=1e-6)

    def test_what_is_no_number_stays(self) -> None:
        light = np.array([[[np.nan, np.inf, -1.0]]] * 3, np.float32)
        noise = np.ones((3, 1, 3), np.float32)
        np.testing.assert_array_equal(lay_grain(light, noise, 0.2, 0.5), light)
