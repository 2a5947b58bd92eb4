"""Six rows of six neighbours against the plain sum."""

import unittest

import numpy as np

from escala.core.kernels import serial_kernel
from escala.core.lens.lanczos6 import LANES, TAPS, six_by_six

ROW, ROWS = 20, 9


@serial_kernel
def summed(pixels, start, row, across, down):  # type: ignore[no-untyped-def]
    return six_by_six(pixels, start, row, across, down)


class SixTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(6)
        self.picture = rng.random((ROWS, ROW), np.float32)
        self.across, self.down = np.zeros(LANES, np.float32), np.zeros(LANES, np.float32)
        self.across[:TAPS], self.down[:TAPS] = rng.normal(size=TAPS), rng.normal(size=TAPS)

    def sum_at(self, x: int, y: int) -> float:
        return float(summed(self.picture.reshape(-1), y * ROW + x, ROW, self.across, self.down))

    def test_it_is_the_weighted_sum_wherever_it_begins(self) -> None:
        for x, y in ((0, 0), (1, 2), (7, 3), (ROW - LANES, ROWS - TAPS)):
            part = self.picture[y : y + TAPS, x : x + TAPS].astype(np.float64)
            expected = self.down[:TAPS] @ part @ self.across[:TAPS]
            self.assertAlmostEqual(self.sum_at(x, y), expected, delta=2e-6)

    def test_what_comes_after_the_six_counts_for_nothing(self) -> None:
        expected = self.sum_at(3, 1)
        self.picture[:, 3 + TAPS :] = np.nan
        self.picture[1 + TAPS :] = np.inf
        self.assertEqual(self.sum_at(3, 1), expected)
        self.picture[1, 3 + TAPS - 1] = np.nan
        self.assertTrue(np.isnan(self.sum_at(3, 1)))
