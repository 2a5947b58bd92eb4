"""Distances from what depth passes hold, and what a pass is taken for."""

import unittest

import numpy as np

from escala.core.depth.distance import axial_of_ray, distance_of
from escala.core.depth.guess import detect_depth_type
from escala.core.errors import UnknownChoice


def camera_places(height: int = 60, width: int = 80) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Axial depth, ray depth and world positions of a bumpy ground before a turned camera."""
    y, x = np.mgrid[:height, :width]
    u, v = (2 * (x + 0.5) / width - 1) * 0.6, (1 - 2 * (y + 0.5) / height) * 0.45
    axial = 4 + 3 * np.sin(x / 9) + y / 12
    rays = np.stack([u, v, np.ones_like(u)]) * axial
    turn = np.linalg.qr(np.random.default_rng(1).normal(size=(3, 3)))[0]
    places = np.tensordot(turn, rays, axes=1) + np.array([3.0, -2.0, 7.0])[:, None, None]
    return axial.astype(np.float32), np.linalg.norm(rays, axis=0).astype(np.float32), places.astype(np.float32)


class DistanceTest(unittest.TestCase):
    def test_each_kind(self) -> None:
        depth = np.array([[0.25, 0.5, 2.0]], np.float32)
        for kind, scale, expected in (
            ("planar", 2.0, [0.5, 1.0, 4.0]),
            ("ray", 0.5, [0.125, 0.25, 1.0]),
            ("inverse", 2.0, [2.0, 1.0, 0.25]),
        ):
            np.testing.assert_allclose(distance_of(depth, None, kind, scale=scale)[0], expected, rtol=1e-6)
        np.testing.assert_allclose(distance_of(depth, None, "unit", 1.0, 9.0)[0], [3.0, 5.0, 17.0], rtol=1e-6)
        np.testing.assert_allclose(distance_of(depth[:, :2], None, "unit", 9.0, 1.0)[0], [7.0, 5.0], rtol=1e-6)
        with self.assertRaises(UnknownChoice):
            distance_of(depth, None, "log")

    def test_nothing_is_infinitely_far(self) -> None:
        depth = np.array([[0.0, -1.0, np.inf, np.nan, 1e9, 1e10, 3.0, 3.0]], np.float32)
        alpha = np.array([[1, 1, 1, 1, 1, 1, 0, 0.2]], np.float32)
        found = distance_of(depth, alpha, "planar")
        self.assertTrue(np.isinf(found[0, :7]).all())
        self.assertEqual(found[0, 7], 3.0)

    def test_a_ray_as_axial_depth(self) -> None:
        axial, ray, _ = camera_places()
        height, width = axial.shape
        y, x = np.mgrid[:height, :width]
        across, down = 2 * (x + 0.5) / width - 1, 2 * (y + 0.5) / height - 1
        np.testing.assert_allclose(axial_of_ray(ray, across, down, (0.6, 0.45)), axial, rtol=1e-5)


class GuessTest(unittest.TestCase):
    def test_positions_tell_the_kind(self) -> None:
        axial, ray, places = camera_places()
        for kind, depth in (("planar", axial), ("planar", axial * 30), ("ray", ray), ("ray", ray * 0.01)):
            self.assertEqual(detect_depth_type("Z", depth, places)[0], kind)
        self.assertEqual(detect_depth_type("Z", 1 / axial, places)[0], "inverse")
        self.assertEqual(detect_depth_type("Z", (axial - 1) / 15, places)[0], "unit")

    def test_what_is_nothing_does_not_count(self) -> None:
        _, ray, places = camera_places()
        ray[:20], places[:, :20] = 1e10, 0
        self.assertEqual(detect_depth_type("Z", ray, places)[0], "ray")

    def test_without_positions_name_and_values_tell(self) -> None:
        axial, _, places = camera_places()
        self.assertEqual(detect_depth_type("depth_inverse", 1 / axial, None)[0], "inverse")
        self.assertEqual(detect_depth_type("Z", axial / 20, None)[0], "unit")
        kind, reason = detect_depth_type("Z", axial, None)
        self.assertEqual(kind, "planar")
        self.assertIn("without a position pass", reason)
        unlike = np.random.default_rng(0).random(places.shape).astype(np.float32)
        self.assertEqual(detect_depth_type("Z", axial, unlike)[0], "planar")
