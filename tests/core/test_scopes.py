import unittest

import numpy as np

from escala.core.errors import UnknownChoice
from escala.core.scopes import SCOPES, count_columns, draw_scope
from tests.made import light

ROWS = 180  # a tenth of a stop each


class ScopeTest(unittest.TestCase):
    def test_every_lit_pixel_is_counted_once(self) -> None:
        planes = light(1, 40, 60)
        planes[0, 0, :5] = [0.0, -1.0, np.nan, np.inf, 1e20]
        counts = count_columns(planes, 30, ROWS)
        lit = np.isfinite(planes) & (planes > 0)
        np.testing.assert_array_equal(counts.sum(axis=(1, 2)), lit.sum(axis=(1, 2)))
        self.assertEqual(counts[0, 0].sum(), 1)

    def test_columns_and_stops_lie_where_they_belong(self) -> None:
        planes = np.full((3, 4, 8), 0.18, np.float32)
        planes[1, :, 6:] *= 4
        counts = count_columns(planes, 8, ROWS)
        self.assertEqual(counts[0, 80].tolist(), [4] * 8)
        self.assertEqual(counts[1, 60].tolist(), [0] * 6 + [4] * 2)

    def test_it_agrees_with_numpy(self) -> None:
        planes = light(2, 50, 20)
        counts = count_columns(planes, 1, ROWS)
        for channel in range(3):
            lit = planes[channel][planes[channel] > 0]
            stops = np.clip(np.log2(lit / np.float32(0.18)), -10, 8)
            expected = np.histogram(-stops, bins=ROWS, range=(-8, 10))[0]
            self.assertLessEqual(int(np.abs(expected - counts[channel, :, 0]).sum()), 6)

    def test_pictures_have_their_size_and_black_is_black(self) -> None:
        for kind in SCOPES:
            with self.subTest(kind=kind):
                self.assertEqual(draw_scope(light(1), kind, 320, 90).shape, (90, 320, 3))
                self.assertEqual(int(draw_scope(np.zeros((3, 8, 8), np.float32), kind, 320, 90).max()), 0)
        with self.assertRaises(UnknownChoice):
            draw_scope(light(1), "spiral", 320, 90)
