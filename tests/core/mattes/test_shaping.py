"""Growing, softening and joining against scipy and plain formulas."""

import unittest

import numpy as np
from scipy import ndimage

from escala.core.errors import UnknownChoice
from escala.core.mattes.shaping import grow, join_mattes, level_matte, soften

RANDOM = np.random.default_rng(5)
PLANE = RANDOM.random((150, 70)).astype(np.float32)


def disc(radius: float) -> np.ndarray:
    reach = int(radius)
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    return x * x + y * y <= radius * radius


class GrowTest(unittest.TestCase):
    def test_the_largest_and_least_within_a_disc(self) -> None:
        for radius in (1, 1.5, 2.9, 7, 12.3, 50):
            with self.subTest(radius=radius):
                wanted = ndimage.grey_dilation(PLANE, footprint=disc(radius), mode="nearest")
                np.testing.assert_array_equal(grow(PLANE, radius), wanted)
                least = ndimage.grey_erosion(PLANE, footprint=disc(radius), mode="nearest")
                np.testing.assert_array_equal(grow(PLANE, -radius), least)

    def test_no_other_centre_is_nearer_than_a_pixel(self) -> None:
        for radius in (0, 0.9, -0.9):
            np.testing.assert_array_equal(grow(PLANE, radius), PLANE)

    def test_a_flat_part_stays_and_an_edge_moves(self) -> None:
        plane = np.zeros((200, 40), np.float32)
        plane[100:, :] = 1
        np.testing.assert_array_equal(grow(plane, 5), np.roll(plane, -5, axis=0) + (np.arange(200) > 194)[:, None])


class SoftenTest(unittest.TestCase):
    def test_a_gaussian_with_edges_carried_on(self) -> None:
        for sigma in (0.4, 1.0, 3.7, 20):
            wanted = ndimage.gaussian_filter(PLANE.astype(np.float64), sigma, mode="nearest")
            np.testing.assert_allclose(soften(PLANE, sigma), wanted, atol=2e-6)
        np.testing.assert_array_equal(soften(PLANE, 0), PLANE)


class ProgressTest(unittest.TestCase):
    def test_large_radii_report_and_can_be_stopped(self) -> None:
        plane = RANDOM.random((400, 90)).astype(np.float32)
        for work in (grow, soften):
            shares: list[float] = []
            work(plane, 60, shares.append)
            self.assertEqual(shares, sorted(shares))
            self.assertGreater(len(shares), 1)

            def stop(share: float) -> None:
                raise InterruptedError

            with self.assertRaises(InterruptedError):
                work(plane, 60, stop)

    def test_a_wide_gaussian_stays_within_the_matte(self) -> None:
        plane = (RANDOM.random((300, 200)) > 0.5).astype(np.float32)
        wanted = ndimage.gaussian_filter(plane.astype(np.float64), 90, mode="nearest", truncate=4.0)
        found = soften(plane, 90)
        np.testing.assert_allclose(found, wanted, atol=3e-6)
        self.assertTrue(0 <= found.min() <= found.max() <= 1)
        np.testing.assert_array_equal(soften(np.ones((70, 50), np.float32), 200), 1)


class LevelAndJoinTest(unittest.TestCase):
    def test_gain_is_clipped_before_it_is_turned_round(self) -> None:
        np.testing.assert_allclose(level_matte(PLANE, 3.0, True), 1 - np.minimum(3 * PLANE, 1), atol=1e-6)

    def test_joins(self) -> None:
        a, b, c = (RANDOM.random((5, 6)).astype(np.float32) for _ in range(3))
        for how, wanted in {
            "any": np.maximum(np.maximum(a, b), c), "all": np.minimum(np.minimum(a, b), c),
            "minus": a * (1 - b) * (1 - c), "product": a * b * c, "sum": np.minimum(a + b + c, 1),
        }.items():  # fmt: skip
            np.testing.assert_allclose(join_mattes([a, b, c], how), wanted, atol=1e-6)
        with self.assertRaisesRegex(UnknownChoice, "way to join"):
            join_mattes([a, b], "nearly")
