"""Haze against its formula."""

import unittest

import numpy as np

from escala.core.depth.haze import height_share, lay_haze, transmittance


class HazeTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(2)
        self.light = rng.random((3, 8, 9)).astype(np.float32)
        self.alpha = rng.random((8, 9)).astype(np.float32)
        self.distance = (rng.random((8, 9)) * 40).astype(np.float32)

    def test_the_formula(self) -> None:
        places = np.random.default_rng(3).normal(size=(3, 8, 9)).astype(np.float32)
        share = height_share(places, 0.2, 0.7, (0.1, 1.0, 0.3))
        height = 0.1 * places[0] + places[1] + 0.3 * places[2]
        np.testing.assert_allclose(share, np.exp(-np.maximum(0, height - 0.2) / 0.7), rtol=1e-5)
        through = transmittance(self.distance, 0.08, 5.0, share)
        np.testing.assert_allclose(through, np.exp(-0.08 * np.maximum(0, self.distance - 5.0) * share), rtol=1e-5)
        laid = lay_haze(self.light, through, self.alpha, (0.3, 0.2, 0.1), None)
        colour = np.array([0.3, 0.2, 0.1])[:, None, None]
        np.testing.assert_allclose(laid, self.light * through + self.alpha * colour * (1 - through), rtol=1e-5)

    def test_a_matte_is_between_with_and_without(self) -> None:
        through, matte = transmittance(self.distance, 0.1, 0.0), self.alpha[::-1].copy()
        whole = lay_haze(self.light, through, self.alpha, (0.3, 0.2, 0.1), None)
        limited = lay_haze(self.light, through, self.alpha, (0.3, 0.2, 0.1), matte)
        np.testing.assert_allclose(limited, self.light + matte * (whole - self.light), rtol=1e-5, atol=1e-7)
        one = np.s_[2:3, 3:4]
        alone = lay_haze(self.light[:, *one], through[one], self.alpha[one], (0.3, 0.2, 0.1), matte[one])
        np.testing.assert_array_equal(alone, limited[:, *one])

    def test_nothing_lets_nothing_through(self) -> None:
        far = np.array([[np.inf, 1.0]], np.float32)
        self.assertEqual(transmittance(far, 0.01, 0.0, np.zeros((1, 2), np.float32))[0, 0], 0.0)
        np.testing.assert_array_equal(transmittance(far, 0.0, 0.0), [[1.0, 1.0]])
