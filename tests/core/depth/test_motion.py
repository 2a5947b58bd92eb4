"""Motion blur: ways against positions, movers against a layered scene over time, bits."""

import unittest
from unittest import mock

import numpy as np

from escala.core.depth import motion
from escala.core.depth.footprints import Footprints
from escala.core.depth.motion import motion_blur, shutter_times
from escala.core.depth.preview import motion_blur_coarsely
from tests.core.depth.layered import BEYOND, FINE, averaged, decibels, seen, texture

SIZE = 80, 112


def mover_scene() -> list[tuple[np.ndarray, np.ndarray, float]]:
    shape = (SIZE[0] + 2 * BEYOND) * FINE, (SIZE[1] + 2 * BEYOND) * FINE
    y, x = (axis / FINE - BEYOND for axis in np.mgrid[: shape[0], : shape[1]])
    board = (np.abs(y - 40) < 18) & (np.abs(x - 55) < 20)
    return [
        (texture(1, shape, 0.05, 0.5), np.ones(shape, np.float32), 20.0),
        (texture(2, shape, 0.3, 0.9), board.astype(np.float32), 4.0),
    ]


def _laid(prints: Footprints, k: int) -> np.ndarray:
    """A footprint from the changes along its rows."""
    reach = int(prints.reach[k])
    changes = np.zeros((2 * reach + 1, 2 * reach + 2))
    for row in range(2 * reach + 1):
        for i in range(prints.first[k, row], prints.first[k, row + 1]):
            changes[row, prints.place[i] + reach] += prints.change[i]
    return changes.cumsum(axis=1)


class MotionTest(unittest.TestCase):
    def test_when_the_shutter_is_open(self) -> None:
        self.assertEqual(shutter_times(0.5, 0.0), (-0.25, 0.25))
        self.assertEqual(shutter_times(1.0, 1.0), (0.0, 1.0))
        self.assertEqual(shutter_times(2.0, -1.0), (-2.0, 0.0))

    def test_a_lamp_draws_its_way(self) -> None:
        light, vectors = np.zeros((3, 40, 60), np.float32), np.zeros((2, 40, 60), np.float32)
        light[:, 20, 20] = 50
        vectors[0], vectors[1] = 16.0, 0.0
        found, _ = motion_blur(light, None, vectors, np.ones((40, 60), np.float32), shutter_times(1.0, 1.0))
        np.testing.assert_allclose(found[0].sum(), 50.0, rtol=1e-3)
        np.testing.assert_allclose(found[0, 20, 22:35], 50 / 16, rtol=0.05)
        self.assertEqual(found[0, 20, :19].max() + found[0, 20, 38:].max() + found[0, :19].max(), 0.0)

    def test_what_is_still_stays_to_the_bit(self) -> None:
        rng = np.random.default_rng(1)
        light, vectors = rng.random((3, 48, 64)).astype(np.float32), np.zeros((2, 48, 64), np.float32)
        vectors[0, :, 40:] = 8.0
        distance = np.where(np.arange(64) < 40, 9.0, 3.0).astype(np.float32) * np.ones((48, 1), np.float32)
        found, _ = motion_blur(light, None, vectors, distance, shutter_times(0.5, 0.0))
        np.testing.assert_array_equal(found[:, :, :36], light[:, :, :36])
        self.assertGreater(np.abs(found[:, :, 44:60] - light[:, :, 44:60]).mean(), 0.01)
        same, _ = motion_blur(light, None, vectors, distance, (0.0, 0.005))
        np.testing.assert_array_equal(same, light)

    def test_against_a_layered_scene_over_time(self) -> None:
        layers = mover_scene()
        flat, depth = seen(layers, SIZE)
        vectors = np.where(depth[None] < 10, np.array([10.0, -4.0], np.float32)[:, None, None], np.float32(0.0))
        for shutter, centre in ((1.0, 0.0), (0.8, 1.0)):
            times = np.linspace(*shutter_times(shutter, centre), 60)
            # The scene is looked at where it was: it moves against the way of what is seen.
            wanted = averaged(layers, [[(0.0, 0.0), (-10.0 * t, 4.0 * t)] for t in times], SIZE)
            found, _ = motion_blur(flat, None, vectors, depth, shutter_times(shutter, centre))
            self.assertGreater(decibels(found, wanted), 47.0)
            self.assertGreater(decibels(found, wanted), decibels(flat, wanted) + 10.0)

    def test_without_depth_the_faster_lies_over_the_slower(self) -> None:
        flat, depth = seen(mover_scene(), SIZE)
        vectors = np.where(depth[None] < 10, np.array([10.0, 0.0], np.float32)[:, None, None], np.float32(0.0))
        with_depth, _ = motion_blur(flat, None, vectors, depth, (-0.5, 0.5))
        without, _ = motion_blur(flat, None, vectors, None, (-0.5, 0.5))
        self.assertGreater(decibels(without, with_depth), 60.0)

    def test_while_a_value_is_dragged_it_is_nearly_the_same(self) -> None:
        flat, depth = seen(mover_scene(), SIZE)
        vectors = np.where(depth[None] < 10, np.array([12.0, -4.0], np.float32)[:, None, None], np.float32(0.0))
        exact, _ = motion_blur(flat, None, vectors, depth, (-0.5, 0.5))
        fast, _ = motion_blur_coarsely(flat, None, vectors, depth, (-0.5, 0.5))
        self.assertGreater(decibels(fast, exact), 40.0)
        np.testing.assert_array_equal(fast[:, :10], flat[:, :10])

    def test_what_is_no_number_is_no_motion(self) -> None:
        light, vectors = np.ones((3, 8, 8), np.float32), np.full((2, 8, 8), np.nan, np.float32)
        np.testing.assert_array_equal(motion_blur(light, None, vectors, None, (-0.5, 0.5))[0], light)

    def test_only_what_lies_around_the_mover_is_worked_on_and_that_changes_no_bit(self) -> None:
        rng = np.random.default_rng(8)
        light, alpha = rng.random((3, 160, 240)).astype(np.float32), rng.random((160, 240)).astype(np.float32)
        distance = np.where(rng.random((20, 30)) > 0.5, 3.0, 9.0).repeat(8, 0).repeat(8, 1).astype(np.float32)
        vectors = np.zeros((2, 160, 240), np.float32)
        vectors[:, 70:90, 100:130] = np.array([12.0, -5.0], np.float32)[:, None, None]
        found, cover = motion_blur(light, alpha, vectors, distance, (-0.3, 0.4))
        whole = slice(0, 160), slice(0, 240)
        with mock.patch.object(motion, "_part_around", return_value=whole) as asked:
            wanted, wanted_cover = motion_blur(light, alpha, vectors, distance, (-0.3, 0.4))
        reach = asked.call_args.args[1]
        self.assertLess(reach, 40)
        np.testing.assert_array_equal(found, wanted)
        np.testing.assert_array_equal(cover, wanted_cover)

    def test_a_thousand_long_ways_are_laid_where_they_go_in_bounded_space(self) -> None:
        rng = np.random.default_rng(3)
        ways = rng.uniform(-240.0, 240.0, (2, 32, 32)).astype(np.float32)
        codes, length = np.empty((32, 32), np.int32), np.empty((32, 32), np.float32)
        motion._tell_ways(ways, np.float32(1.0), 1.0, codes, length)
        # A way is off by less than a hundredth of itself, or an eighth of a pixel.
        np.testing.assert_allclose(length, np.hypot(*ways), rtol=0.01, atol=0.125)
        found = sorted(set(codes.ravel().tolist()))
        shares: list[float] = []
        prints = motion._ways(np.array(found, np.int32), (0.0, 1.0), shares.append)
        self.assertLess(prints.place.size, motion._CHANGES * 245 * len(found))
        self.assertEqual(shares, sorted(shares))
        for k in range(0, len(found), 100):
            down, across = divmod(found[k], motion._SIDE)
            end = (across - motion._MOST) / 4, (down - motion._MOST) / 4
            laid = _laid(prints, k)
            self.assertAlmostEqual(laid.sum(), prints.area[k])
            rows, columns = np.nonzero(laid)
            middle = (laid[rows, columns] @ columns / laid.sum(), laid[rows, columns] @ rows / laid.sum())
            np.testing.assert_allclose(np.subtract(middle, prints.reach[k]), np.divide(end, 2), atol=0.25)
            off = (columns - prints.reach[k]) * end[1] - (rows - prints.reach[k]) * end[0]
            self.assertLess(np.abs(off).max() / np.hypot(*end), 1.5)

    def test_parts_make_the_same_bits(self) -> None:
        rng = np.random.default_rng(6)
        light = rng.random((3, 64, 96)).astype(np.float32)
        vectors = rng.normal(size=(2, 8, 12)).repeat(8, 1).repeat(8, 2).astype(np.float32) * 4
        distance = rng.uniform(1, 9, (8, 12)).repeat(8, 0).repeat(8, 1).astype(np.float32)
        whole, _ = motion_blur(light, None, vectors, distance, (-0.5, 0.5))
        part = (slice(None), slice(10, 64), slice(17, 96))
        found, _ = motion_blur(
            light[part].copy(), None, vectors[part].copy(), distance[part[1:]].copy(), (-0.5, 0.5), (17, 10)
        )
        np.testing.assert_array_equal(found[:, 16:40, 16:], whole[:, 26:50, 33:])
