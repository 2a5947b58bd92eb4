import unittest

import numpy as np

from escala.core.colour.gamuts import GAMUTS, primaries_to_xyz
from escala.core.errors import UnknownChoice
from escala.core.viewer.chromaticity import LEAST, LOCUS, MOST, chromaticities, draw_chromaticity
from escala.core.viewer.scopes import COLUMN_SCOPES, count_columns, draw_columns, draw_histogram, draw_overlay
from tests.fixtures import light

ROWS = 180  # a tenth of a stop each


class ColumnTest(unittest.TestCase):
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

    def test_display_values_have_a_linear_scale_with_room_beyond_both_ends(self) -> None:
        planes = np.full((3, 2, 2), 0.5, np.float32)
        planes[0], planes[2] = -0.0385, 1.0385
        counts = count_columns(planes, 1, 110, "display")
        rows = [int(np.flatnonzero(counts[channel, :, 0])[0]) for channel in range(3)]
        self.assertEqual(rows, [108, 55, 1])
        with self.assertRaises(UnknownChoice):
            count_columns(planes, 1, 10, "candles")

    def test_only_what_a_matte_covers_by_half_counts(self) -> None:
        planes = light(3, 10, 10) + np.float32(0.1)
        within = np.zeros((10, 10), np.float32)
        within[:, 5:] = 0.4
        within[:, 8:] = 0.6
        counts = count_columns(planes, 10, ROWS, within=within)
        self.assertEqual(counts[:, :, :8].sum(), 0)
        self.assertEqual(counts[:, :, 8:].sum(), 3 * 20)

    def test_pictures_have_their_size_and_black_is_black(self) -> None:
        for kind in COLUMN_SCOPES:
            groups = len(COLUMN_SCOPES[kind])
            shape = (90, 40 * groups, 3)
            self.assertEqual(draw_columns(count_columns(light(1), 40, 90), kind).shape, shape)
            self.assertEqual(int(draw_columns(count_columns(light(1) * 0, 40, 90), kind).max()), 0)
        with self.assertRaises(UnknownChoice):
            draw_columns(count_columns(light(1), 4, 4), "spiral")


class HistogramPictureTest(unittest.TestCase):
    def test_bars_stand_where_the_brightness_is(self) -> None:
        planes = np.full((3, 8, 8), 0.18, np.float32)
        planes[0] *= 4  # red two stops over grey
        shown = draw_histogram(count_columns(planes, 1, 180), 90)[..., 0]
        self.assertEqual(shown.shape, (90, 180))
        bars = [np.flatnonzero(shown[30 * band : 30 * band + 30].any(axis=0)) for band in range(3)]
        # From -10 to +8 stops over 180 columns, counted from the bright end.
        self.assertEqual([int(bar[0]) for bar in bars], [119, 99, 99])
        self.assertTrue(all(len(bar) == 1 for bar in bars))
        # Over one another: red at its place, and where green and blue are equal a bar of both; the fullest is highest.
        planes[0, :, :4] = 0.18
        over = draw_overlay(count_columns(planes, 1, 180), 90)
        self.assertEqual([int(c) for c in over[-1, 99]], [235, 235, 235])
        self.assertEqual([int(c) for c in over[-1, 119]], [235, 0, 0])
        heights = (over[:, 99] > 0).sum(axis=0)
        self.assertEqual(int(heights[1]), 88)
        self.assertEqual(int(heights[0]), round(88 / 2**0.5))


class ChromaticityTest(unittest.TestCase):
    def test_primaries_lie_at_their_published_places(self) -> None:
        planes = np.eye(3, dtype=np.float32).reshape(3, 1, 3)
        for name in ("Rec.709", "P3-D65", "Rec.2020", "AP1"):
            points = chromaticities(planes, primaries_to_xyz(GAMUTS[name]))
            np.testing.assert_allclose(points, np.array(GAMUTS[name][:6]).reshape(3, 2), atol=1e-6)

    def test_the_dark_and_what_is_no_number_have_no_colour(self) -> None:
        planes = np.zeros((3, 1, 4), np.float32)
        planes[:, 0, 1] = [1, np.nan, 1]
        planes[:, 0, 2] = 0.5
        points = chromaticities(planes, primaries_to_xyz(GAMUTS["Rec.709"]))
        np.testing.assert_allclose(points, [GAMUTS["Rec.709"][6:]], atol=1e-4)
        none = np.zeros((1, 4), np.float32)
        self.assertEqual(len(chromaticities(planes, primaries_to_xyz(GAMUTS["Rec.709"]), none)), 0)

    def test_points_and_triangles_are_drawn_where_they_lie(self) -> None:
        size = 191
        white = np.array([GAMUTS["Rec.709"][6:]])
        shown = draw_chromaticity(white, size, ["Rec.709"])[..., 0]
        row, column = np.unravel_index(int(shown.argmax()), shown.shape)
        step = (MOST - LEAST) / size
        self.assertLess(abs(LEAST + (column + 0.5) * step - white[0, 0]), step)
        self.assertLess(abs(LEAST + (size - row - 0.5) * step - white[0, 1]), step)
        empty = draw_chromaticity(np.zeros((0, 2)), size, ["Rec.709"])[..., 0]
        red = (size - 1 - round((0.33 - LEAST) / step), round((0.64 - LEAST) / step))
        self.assertEqual(empty[red[0] - 1 : red[0] + 2, red[1] - 1 : red[1] + 2].max(), 165)

    def test_the_locus_is_closed_around_every_real_gamut(self) -> None:
        # Every real primary lies inside the outline: a winding number of one.
        for name in ("Rec.709", "P3-D65", "Rec.2020"):
            for x, y in np.array(GAMUTS[name][:6]).reshape(3, 2):
                inward = LOCUS.mean(axis=0) - (x, y)
                angles = np.unwrap(np.arctan2(*(np.vstack([LOCUS, LOCUS[:1]]) - (x, y) - 0.05 * inward).T[::-1]))
                self.assertAlmostEqual(abs(angles[-1] - angles[0]), 2 * np.pi, places=4, msg=name)
