"""Solved levels against known gains, scipy on all pixels, and what cannot be told apart."""

import unittest

import numpy as np
from scipy.optimize import nnls

from escala.core.balance.solve import DARK_STOPS, NormalEquations, level_of_gain, solve_gains
from escala.core.errors import ShapeError
from tests.fixtures import light

WEIGHTS = np.array([0.25, 0.65, 0.1])


def equations(lights: list[np.ndarray], wanted: np.ndarray) -> NormalEquations:
    """In two bands."""
    made = NormalEquations(len(lights))
    for rows in (slice(0, 10), slice(10, None)):
        made.add([planes[:, rows] for planes in lights], wanted[:, rows])
    return made


class SolveTest(unittest.TestCase):
    def setUp(self) -> None:
        self.lights = [light(seed) for seed in range(1, 5)]

    def mixed(self, gains: np.ndarray) -> np.ndarray:
        return sum(g[:, None, None].astype(np.float32) * planes for g, planes in zip(gains.T, self.lights, strict=True))

    def test_known_gains_are_found(self) -> None:
        alike = np.repeat(np.array([[0.5, 2.0, 0.0, 1.25]]), 3, axis=0)
        apart = np.random.default_rng(1).random((3, 4)) * 2
        for gains, with_tints in ((alike, False), (alike, True), (apart, True)):
            made = equations(self.lights, self.mixed(gains))
            found = solve_gains(made, with_tints)
            np.testing.assert_allclose(found, gains, atol=2e-5)
            self.assertLess(made.rms(found), 1e-4)

    def test_it_is_the_least_over_all_pixels_that_is_not_negative(self) -> None:
        wanted = self.lights[0] - 0.5 * self.lights[1] + 0.3 * light(9)
        made = equations(self.lights, wanted.astype(np.float32))
        for channel in range(3):
            rows = np.stack([planes[channel].ravel() for planes in self.lights], axis=1).astype(float)
            expected, rest = nnls(rows, wanted[channel].ravel().astype(float))
            np.testing.assert_allclose(solve_gains(made, True)[channel], expected, atol=2e-5)
        together = np.concatenate([np.stack([p[c].ravel() for p in self.lights], axis=1) for c in range(3)]).astype(
            float
        )
        expected, rest = nnls(together, wanted.reshape(-1).astype(float))
        found = solve_gains(made, False)
        np.testing.assert_allclose(found[0], expected, atol=2e-5)
        self.assertAlmostEqual(made.rms(found), rest / np.sqrt(wanted.size), places=5)

    def test_pixels_without_finite_values_are_passed_over(self) -> None:
        wanted = self.mixed(np.full((3, 4), 0.7))
        wanted[1, 3, 4] = np.inf
        self.lights[2][0, 9, 9] = np.nan
        made = equations(self.lights, wanted)
        self.assertEqual(made.pixels, wanted[0].size - 2)
        np.testing.assert_allclose(solve_gains(made, False), 0.7, atol=2e-5)

    def test_lights_that_cannot_be_told_apart_stay_alike(self) -> None:
        made = equations([self.lights[0], self.lights[0]], 3 * self.lights[0])
        np.testing.assert_allclose(solve_gains(made, False), 1.5, atol=1e-3)

    def test_gains_as_levels(self) -> None:
        stops, tint = level_of_gain(np.array([0.5, 0.5, 0.5]), WEIGHTS)
        self.assertAlmostEqual(stops, -1.0)
        np.testing.assert_allclose(tint, 1.0)
        stops, tint = level_of_gain(np.array([2.0, 1.0, 0.5]), WEIGHTS)
        self.assertAlmostEqual(float(WEIGHTS @ np.array(tint)), 1.0)
        np.testing.assert_allclose(2**stops * np.array(tint), [2.0, 1.0, 0.5])
        self.assertEqual(level_of_gain(np.zeros(3), WEIGHTS), (DARK_STOPS, (1.0, 1.0, 1.0)))

    def test_what_does_not_fit_is_refused(self) -> None:
        with self.assertRaises(ShapeError):
            NormalEquations(2).add([self.lights[0]], self.lights[0])
