"""Light from normals: against the formulas, pixel by pixel in plain numpy, and against their limits."""

import unittest
from math import pi

import numpy as np

from escala.core.balance.added import (
    PointGeometry,
    RimGeometry,
    SideGeometry,
    Viewpoint,
    contribution,
    light_on_surfaces,
)
from escala.core.errors import ShapeError

AWAY = Viewpoint(None, (0.0, 0.0, 1.0))


def unit(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.linalg.norm(vectors, axis=0)


def lobe_of(n: np.ndarray, v: np.ndarray, to_light: np.ndarray, alpha: float) -> np.ndarray:
    """D · V · F as published, in double precision."""
    h = unit(to_light + v)
    nl, nv, nh, vh = (np.clip((a * b).sum(axis=0), 0, None) for a, b in ((n, to_light), (n, v), (n, h), (v, h)))
    distribution = alpha**2 / (pi * (nh**2 * (alpha**2 - 1) + 1) ** 2)
    masking = nl * np.sqrt(nv**2 * (1 - alpha**2) + alpha**2) + nv * np.sqrt(nl**2 * (1 - alpha**2) + alpha**2)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where((nl > 0) & (nv > 0), distribution * 0.5 / masking * (0.04 + 0.96 * (1 - vh) ** 5), 0.0)


class AddedLightTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(3)
        self.normals = rng.normal(size=(3, 9, 11)).astype(np.float32)
        self.places = rng.normal(size=(3, 9, 11)).astype(np.float32) * 3
        self.n = unit(self.normals.astype(np.float64))

    def test_a_side_light_is_lambert_and_a_lobe(self) -> None:
        direction = np.array([1.0, 2.0, 0.5])
        to_light = np.broadcast_to(unit(direction)[:, None, None], self.n.shape)
        v = np.zeros_like(self.n)
        v[2] = 1
        falls, lobe = light_on_surfaces(SideGeometry(tuple(direction)), self.normals, None, AWAY, 0.5)
        lit = np.clip((self.n * to_light).sum(axis=0), 0, None)
        np.testing.assert_allclose(falls, lit, atol=1e-6)
        np.testing.assert_allclose(lobe, lobe_of(self.n, v, to_light, 0.25) * lit, rtol=1e-5, atol=1e-7)

    def test_a_point_falls_off_by_the_square_and_is_one_at_its_radius(self) -> None:
        place, radius, eye = np.array([0.5, 4.0, -1.0]), 2.5, np.array([0.0, 1.0, 9.0])
        way = place[:, None, None] - self.places.astype(np.float64)
        to_light, distance = unit(way), np.linalg.norm(way, axis=0)
        v = unit(eye[:, None, None] - self.places.astype(np.float64))
        seen_from = Viewpoint(tuple(eye), (0, 0, 1))
        falls, lobe = light_on_surfaces(PointGeometry(tuple(place), radius), self.normals, self.places, seen_from, 0.3)
        expected = np.clip((self.n * to_light).sum(axis=0), 0, None) * (radius / distance) ** 2
        np.testing.assert_allclose(falls, expected, rtol=1e-5, atol=1e-6)
        np.testing.assert_allclose(lobe, lobe_of(self.n, v, to_light, 0.09) * expected, rtol=1e-4, atol=1e-6)
        facing = np.zeros((3, 1, 1), np.float32)
        facing[1] = 7.0
        at_radius, _ = light_on_surfaces(
            PointGeometry((0.0, radius, 0.0), radius), facing, np.zeros((3, 1, 1), np.float32), seen_from, 0.3
        )
        self.assertAlmostEqual(float(at_radius[0, 0]), 1.0, places=6)

    def test_a_rim_is_brightest_where_surfaces_turn_away(self) -> None:
        falls, lobe = light_on_surfaces(RimGeometry(3.0), self.normals, None, AWAY, 0.4)
        np.testing.assert_allclose(falls, (1 - np.abs(self.n[2])) ** 3, rtol=1e-5, atol=1e-7)
        self.assertFalse(lobe.any())

    def test_the_lobe_gives_back_less_light_than_falls(self) -> None:
        """Over all directions of view, a lobe with Fresnel 1 would give back at most all; 0.04 gives far less."""
        rng = np.random.default_rng(9)
        views = unit(rng.normal(size=(3, 1, 40000)))
        views[2] = np.abs(views[2])
        normals = np.zeros((3, 1, 40000), np.float32)
        normals[2] = 1
        # Views as places around an eye at the origin, one unit away.
        places = -views.astype(np.float32)
        for roughness in (0.3, 0.6, 1.0):
            _, lobe = light_on_surfaces(
                SideGeometry((0.3, 0.0, 1.0)), normals, places, Viewpoint((0, 0, 0), (0, 0, 1)), roughness
            )
            given_back = float((lobe[0] * views[2, 0]).mean() * 2 * pi)
            self.assertLess(given_back, 0.1)
            self.assertGreater(given_back, 0.008)

    def test_no_normal_no_light(self) -> None:
        normals = self.normals.copy()
        normals[:, 0, 0], normals[:, 1, 1] = 0, np.nan
        for geometry in (SideGeometry((0, 0, 1)), RimGeometry(2.0), PointGeometry((0, 0, 5), 1.0)):
            falls, lobe = light_on_surfaces(geometry, normals, self.places, AWAY, 0.4)
            self.assertEqual((falls[0, 0], falls[1, 1], lobe[0, 0]), (0, 0, 0))
            self.assertTrue(np.isfinite(falls).all() and np.isfinite(lobe).all())

    def test_contribution_is_albedo_over_pi(self) -> None:
        albedo = np.full((3, 2, 2), 0.5, np.float32)
        falls, lobe = np.full((2, 2), 2.0, np.float32), np.full((2, 2), 3.0, np.float32)
        np.testing.assert_allclose(contribution(albedo, falls, lobe, 0.0), 1 / pi, rtol=1e-6)
        np.testing.assert_allclose(contribution(albedo, falls, lobe, 0.5), 1 / pi + 1.5, rtol=1e-6)

    def test_a_point_without_places_is_refused(self) -> None:
        with self.assertRaises(ShapeError):
            light_on_surfaces(PointGeometry((0, 0, 1), 1.0), self.normals, None, AWAY, 0.4)
