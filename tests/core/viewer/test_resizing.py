"""Pictures made smaller, against the means of pixels laid out finely, and an independent library."""

import unittest

import cv2
import numpy as np

from escala.core.viewer.resizing import area_means

PLANES = np.random.default_rng(3).random((2, 54, 91)).astype(np.float32)


class AreaMeansTest(unittest.TestCase):
    """Every size, odd ones too."""

    def test_each_pixel_is_the_mean_of_what_it_covers(self) -> None:
        for width, height in ((60, 40), (91, 27), (13, 5), (1, 1), (90, 53)):
            with self.subTest(width=width, height=height):
                fine = np.repeat(np.repeat(PLANES.astype(np.float64), height, axis=1), width, axis=2)
                wanted = fine.reshape(2, height, 54, width, 91).mean(axis=(2, 4))
                np.testing.assert_allclose(area_means(PLANES, width, height), wanted, rtol=2e-6)

    def test_as_an_independent_library_does_it(self) -> None:
        wanted = [cv2.resize(plane, (60, 36), interpolation=cv2.INTER_AREA) for plane in PLANES]
        np.testing.assert_allclose(area_means(PLANES, 60, 36), wanted, rtol=2e-6)

    def test_the_same_size_is_the_same_to_the_bit(self) -> None:
        np.testing.assert_array_equal(area_means(PLANES, 91, 54), PLANES)

    def test_what_is_no_number_stays_in_the_pixels_that_cover_it(self) -> None:
        planes = PLANES.copy()
        planes[0, 30, 45] = np.inf
        found = area_means(planes, 60, 36)
        wanted = np.zeros((2, 36, 60), bool)
        wanted[0, 30 * 36 // 54, 45 * 60 // 91 : (46 * 60 - 1) // 91 + 1] = True
        np.testing.assert_array_equal(np.isinf(found), wanted)
        self.assertFalse(np.isnan(found).any())
