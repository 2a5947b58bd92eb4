"""Blur and sharpen against scipy and plain sums."""

import unittest
from unittest import mock

import numpy as np
from scipy import ndimage

from escala.core.corrections.blur import _slanted, blur, sharpen
from escala.core.gaussian import gaussian
from tests.fixtures import light

PLANES = light(1, 60, 70)


class BlurTest(unittest.TestCase):
    def test_sigmas_along_the_axes(self) -> None:
        for sigmas, turn, axes in (((3, 3), 0, (3, 3)), ((4, 1), 0, (1, 4)), ((4, 1), 90, (4, 1)), ((0, 2), 0, (2, 0))):
            wanted = ndimage.gaussian_filter(PLANES.astype(np.float64), (0, *axes), mode="nearest")
            np.testing.assert_allclose(blur(PLANES, sigmas, turn), wanted, rtol=1e-4, atol=1e-6)

    def test_it_turns_counter_clockwise_as_seen(self) -> None:
        point = np.zeros((3, 61, 61), np.float32)
        point[:, 30, 30] = 1
        found = blur(point, (6, 2), 30)[0]
        y, x = np.mgrid[-30:31, -30:31]
        along = x * np.cos(np.pi / 6) - y * np.sin(np.pi / 6)
        across = x * np.sin(np.pi / 6) + y * np.cos(np.pi / 6)
        wanted = np.exp(-0.5 * ((along / 6) ** 2 + (across / 2) ** 2))
        np.testing.assert_allclose(found[8:53, 8:53], (wanted / wanted.sum())[8:53, 8:53], atol=1e-6)
        self.assertGreater(found[25, 39], found[35, 39])

    def test_bands_of_a_turned_blur_are_as_one_and_each_is_reported(self) -> None:
        shares: list[float] = []
        with mock.patch("escala.core.corrections.blur._BAND", 7):
            found = blur(PLANES, (0.8, 2.5), 30, shares.append)
        np.testing.assert_allclose(found, blur(PLANES, (0.8, 2.5), 30), rtol=1e-6)
        kernel = _slanted((0.8, 2.5), np.radians(30))
        wanted = [ndimage.convolve(plane.astype(np.float64), kernel, mode="nearest") for plane in PLANES]
        np.testing.assert_allclose(found, wanted, rtol=1e-5)
        self.assertGreaterEqual(len(set(shares)), 9)
        self.assertEqual(shares, sorted(shares))

    def test_what_is_no_number_is_left_out(self) -> None:
        broken = PLANES.copy()
        broken[0, 10, 12], broken[1, 30, 40] = np.nan, np.inf
        whole = np.isfinite(broken).all(axis=0)
        share = ndimage.gaussian_filter(whole.astype(np.float64), 2, mode="nearest")
        filled = np.where(whole, PLANES, 0).astype(np.float64)
        wanted = ndimage.gaussian_filter(filled, (0, 2, 2), mode="nearest") / share
        np.testing.assert_allclose(blur(broken, (2, 2)), wanted, rtol=1e-4, atol=1e-5)

    def test_sharpening_adds_what_a_blur_takes(self) -> None:
        wanted = PLANES + 0.8 * (
            PLANES - ndimage.gaussian_filter(PLANES.astype(np.float64), (0, 1.5, 1.5), mode="nearest")
        )
        np.testing.assert_allclose(sharpen(PLANES, 1.5, 0.8), wanted, rtol=1e-4, atol=1e-5)
        self.assertIs(sharpen(PLANES, 0, 3), PLANES)

    def test_a_flat_picture_stays(self) -> None:
        np.testing.assert_allclose(gaussian(np.full((9, 7), 0.4, np.float32), 30, 2), 0.4, rtol=1e-6)
