"""Drawn outlines against areas and distances that are known."""

import unittest
from unittest import mock

import numpy as np

from escala.core.errors import ShapeError
from escala.core.mattes import drawn
from escala.core.mattes.drawn import ellipse_outline, outline_matte, smooth_outline


class CoverageTest(unittest.TestCase):
    def test_a_rectangle_covers_shares_for_pixels(self) -> None:
        matte = outline_matte([[1.25, 2.5], [4.5, 2.5], [4.5, 5.0], [1.25, 5.0]], 0, 0, 7, 6)
        columns, rows = np.array([0, 0.75, 1, 1, 0.5, 0, 0]), np.array([0, 0, 0.5, 1, 1, 0])
        np.testing.assert_allclose(matte, np.outer(rows, columns), atol=1e-6)

    def test_a_slanted_edge_covers_its_area(self) -> None:
        matte = outline_matte([[0, 0], [30, 0], [0, 20]], 0, 0, 32, 24)
        self.assertAlmostEqual(float(matte.sum()), 300, delta=0.05)
        x, y = np.meshgrid(*(np.arange(n * 16) / 16 + 1 / 32 for n in (32, 24)))
        fine = (x / 30 + y / 20 < 1).reshape(24, 16, 32, 16).mean(axis=(1, 3))
        np.testing.assert_allclose(matte, fine, atol=0.04)

    def test_what_is_crossed_twice_is_outside(self) -> None:
        matte = outline_matte([[0, 0], [8, 0], [8, 8], [0, 8], [0, 0], [4, 0], [4, 4], [0, 4]], 0, 0, 8, 8)
        self.assertEqual((matte[1, 1], matte[1, 6], matte[6, 1]), (0, 1, 1))

    def test_a_part_and_a_smaller_picture_show_the_same(self) -> None:
        outline = smooth_outline([[3, 4], [50, 9], [40, 44], [12, 38]])
        whole = outline_matte(outline, 0, 0, 64, 48, feather_px=6)
        np.testing.assert_allclose(outline_matte(outline, 10, 8, 20, 16, feather_px=6), whole[8:24, 10:30], atol=1e-6)
        half = outline_matte(outline, 0, 0, 32, 24, 2.0)
        sharp = outline_matte(outline, 0, 0, 64, 48)
        np.testing.assert_allclose(half, sharp.reshape(24, 2, 32, 2).mean(axis=(1, 3)), atol=0.03)

    def test_it_fades_outwards_by_distance(self) -> None:
        matte = outline_matte([[10, 10], [20, 10], [20, 20], [10, 20]], 0, 0, 30, 30, feather_px=8)
        y, x = np.mgrid[0:30, 0:30] + 0.5
        away = np.hypot(np.maximum(np.abs(x - 15) - 5, 0), np.maximum(np.abs(y - 15) - 5, 0))
        np.testing.assert_allclose(matte, np.maximum(0, 1 - away / 8), atol=1e-6)

    def test_nothing_is_covered_outside_and_odd_outlines_are_refused(self) -> None:
        self.assertEqual(outline_matte([[100, 100], [120, 100], [100, 120]], 0, 0, 8, 8).max(), 0)
        for odd in ([], [[1, 2, 3]], [[np.nan, 1], [2, 3], [4, 5]]):
            with self.assertRaises(ShapeError):
                outline_matte(odd, 0, 0, 8, 8)


class OutlineTest(unittest.TestCase):
    def test_a_smooth_outline_passes_through_its_points(self) -> None:
        points = np.array([[0, 0], [40, 5], [60, 50], [10, 70.0]])
        curve = smooth_outline(points)
        for point in points:
            self.assertLess(np.hypot(*(curve - point).T).min(), 1e-9)
        steps = np.diff(np.concatenate([curve, curve[:1]]), axis=0)
        turns = np.degrees(np.abs(np.angle(np.exp(1j * np.diff(np.arctan2(steps[:, 1], steps[:, 0]))))))
        self.assertLess(turns.max(), 25)

    def test_a_centripetal_span_is_that_of_the_pyramid(self) -> None:
        p = np.array([[0, 0], [4, 0], [4, 9], [-1, 5.0]])
        knots = np.cumsum([0, *np.linalg.norm(np.roll(p, -1, axis=0) - p, axis=1)[:3] ** 0.5])
        t = (knots[1] + knots[2]) / 2

        def lerp(a: np.ndarray, b: np.ndarray, i: int, j: int) -> np.ndarray:
            return (knots[j] - t) / (knots[j] - knots[i]) * a + (t - knots[i]) / (knots[j] - knots[i]) * b

        a1, a2, a3 = lerp(p[0], p[1], 0, 1), lerp(p[1], p[2], 1, 2), lerp(p[2], p[3], 2, 3)
        middle = lerp(lerp(a1, a2, 0, 2), lerp(a2, a3, 1, 3), 1, 2)
        self.assertLess(np.hypot(*(smooth_outline(p) - middle).T).min(), 1e-9)

    def test_points_upon_each_other_are_one(self) -> None:
        twice = [[0, 0], [0, 0], [10, 0], [10, 10], [10, 10]]
        np.testing.assert_array_equal(smooth_outline(twice), smooth_outline([[0, 0], [10, 0], [10, 10]]))

    def test_a_turned_ellipse(self) -> None:
        matte = outline_matte(ellipse_outline((30, 25), (20, 6), 30), 0, 0, 60, 50)
        self.assertAlmostEqual(float(matte.sum()), np.pi * 120, delta=0.2)
        y, x = np.mgrid[0:50, 0:60] + 0.5
        along = (x - 30) * np.cos(np.radians(30)) - (y - 25) * np.sin(np.radians(30))
        across = (x - 30) * np.sin(np.radians(30)) + (y - 25) * np.cos(np.radians(30))
        size = np.hypot(along / 20, across / 6)
        self.assertTrue((matte[size < 0.9] == 1).all() and (matte[size > 1.15] == 0).all())
        self.assertEqual(float(matte[16, 44]), 1.0)

    def test_straight_pieces_lie_within_a_few_thousandths_of_a_pixel(self) -> None:
        rng = np.random.default_rng(4)
        for points in (
            rng.random((9, 2)) * 2000,
            rng.random((12, 2)) * 40,
            np.array([[0, 0], [3000, 1], [1500, 2000]]),
        ):
            curve = smooth_outline(points)
            with mock.patch.object(drawn, "_FLAT_PX", 4e-6):
                fine = smooth_outline(points)
            self.assertLess(float(farthest(fine[::7], curve)), 0.004)
        for radius in (3.0, 700.0, 20_000.0):
            oval = ellipse_outline((0, 0), (radius, radius))
            middles = (oval + np.roll(oval, 1, axis=0)) / 2
            self.assertLess(float(np.abs(np.hypot(*middles.T) - radius).max()), 0.004)


def farthest(places: np.ndarray, outline: np.ndarray) -> float:
    """How far the farthest of some places is from a closed outline."""
    starts, steps = outline, np.roll(outline, -1, axis=0) - outline
    lengths = np.maximum((steps**2).sum(axis=1), 1e-300)
    return max(float(np.sqrt(nearest(place, starts, steps, lengths))) for place in places)


def nearest(place: np.ndarray, starts: np.ndarray, steps: np.ndarray, lengths: np.ndarray) -> float:
    along = np.clip(((place - starts) * steps).sum(axis=1) / lengths, 0, 1)
    return float(((starts + along[:, None] * steps - place) ** 2).sum(axis=1).min())


class ManyPointsTest(unittest.TestCase):
    def test_a_scribble_is_covered_as_its_pixels_say(self) -> None:
        """More crossings in a line than any drawn outline has."""
        points = np.random.default_rng(8).random((1600, 2)) * (160, 90)
        matte = outline_matte(points, 0, 0, 160, 90)
        ends = np.roll(points, -1, axis=0)
        for row in (10, 40, 80):
            covered = np.zeros(160)
            for line in row + (np.arange(32) + 0.5) / 32:
                crossed = (points[:, 1] <= line) != (ends[:, 1] <= line)
                a, b = points[crossed], ends[crossed]
                at = np.sort(a[:, 0] + (line - a[:, 1]) / (b[:, 1] - a[:, 1]) * (b[:, 0] - a[:, 0]))
                self.assertGreater(len(at), 512 if row == 40 else 100)
                for x0, x1 in zip(at[::2], at[1::2], strict=True):
                    covered += np.clip(np.minimum(x1, np.arange(160) + 1) - np.maximum(x0, np.arange(160)), 0, 1)
            np.testing.assert_allclose(matte[row], covered / 32, atol=1e-5)

    def test_a_feather_of_any_width_is_the_distance_to_the_nearest_piece(self) -> None:
        rng = np.random.default_rng(2)
        points = smooth_outline(rng.random((40, 2)) * (300, 200))
        starts, steps = points, np.roll(points, -1, axis=0) - points
        lengths = np.maximum((steps**2).sum(axis=1), 1e-300)
        for feather in (3.0, 90.0, 65536.0):
            found = outline_matte(points, 0, 0, 300, 200, feather_px=feather)
            sharp = outline_matte(points, 0, 0, 300, 200)
            for x, y in rng.integers(0, (300, 200), (60, 2)):
                away = np.sqrt(nearest(np.array([x + 0.5, y + 0.5]), starts, steps, lengths))
                self.assertAlmostEqual(float(found[y, x]), max(float(sharp[y, x]), 1 - away / feather), delta=1e-5)
