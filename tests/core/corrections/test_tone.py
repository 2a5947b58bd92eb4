"""Corrections of brightness, against their formulas written out, and against what they promise."""

import unittest

import numpy as np
from scipy.interpolate import PchipInterpolator

from escala.core.corrections.steps import contrast_step, curves_step, range_step, roll_off_step, tint_step
from tests.core.fixture_planes import corrected
from tests.fixtures import light

PLANES = light(3, top=40.0) - np.float32(0.05)
STOPS = np.log2(np.maximum(PLANES, 1e-9).astype(np.float64) / 0.18)
TOE = 0.18 * 2.0**-10


class RangeTest(unittest.TestCase):
    def test_the_formula(self) -> None:
        found = corrected(PLANES, range_step(0.1, 2.0, -0.2, 3.0, 1.8))
        x = (PLANES.astype(np.float64) - 0.1) / 1.9
        bent = np.where(x > 0, np.abs(x) ** (1 / 1.8), x)
        np.testing.assert_allclose(found, bent * 3.2 - 0.2, rtol=2e-5, atol=2e-6)

    def test_neutral_and_unclipped(self) -> None:
        np.testing.assert_allclose(corrected(PLANES, range_step(0.0, 1.0, 0.0, 1.0, 1.0)), PLANES, rtol=1e-6)
        self.assertLess(float(corrected(PLANES, range_step(0.5, 1.0, 0.0, 1.0, 1.0)).min()), 0)
        self.assertGreater(float(corrected(PLANES, range_step(0.0, 0.5, 0.0, 1.0, 1.0)).max()), 60)


class ContrastTest(unittest.TestCase):
    def test_it_is_a_slope_in_stops_about_its_pivot(self) -> None:
        found = corrected(PLANES, contrast_step(1.4, 0.3))
        lit = PLANES > 0
        wanted = np.log2(0.3) + 1.4 * (np.log2(PLANES[lit].astype(np.float64)) - np.log2(0.3))
        np.testing.assert_allclose(np.log2(found[lit]), wanted, atol=1e-4)
        np.testing.assert_array_equal(found[~lit], PLANES[~lit])
        np.testing.assert_allclose(corrected(np.full((3, 2, 2), 0.18, np.float32), contrast_step(3.0)), 0.18, rtol=1e-6)


class CurvesTest(unittest.TestCase):
    POINTS = ((-6.0, -5.0), (-2.0, -2.5), (0.0, 0.25), (4.0, 3.0))

    def test_between_points_they_are_those_of_scipy(self) -> None:
        inside = (STOPS > -6) & (STOPS < 4)
        found = np.log2(corrected(PLANES, curves_step(self.POINTS)).astype(np.float64)[inside] / 0.18)
        xs, ys = zip(*self.POINTS, strict=True)
        np.testing.assert_allclose(found, PchipInterpolator(xs, ys)(STOPS[inside]), atol=1e-4)

    def test_beyond_them_the_slope_goes_on_and_dark_is_straight_through_nothing(self) -> None:
        line = ((-3.0, -3.0), (-1.0, -2.0), (1.0, -1.0), (5.0, 1.0))  # half a stop a stop, to both sides
        lit = PLANES > TOE
        wanted = np.where(lit, 0.18 * 2 ** (-1.5 + 0.5 * STOPS), 0)
        found = corrected(PLANES, curves_step(line))
        np.testing.assert_allclose(found[lit], wanted[lit], rtol=1e-4)
        share = 0.18 * 2.0 ** (-1.5 - 5.0) / TOE
        np.testing.assert_allclose(found[~lit], PLANES[~lit] * share, rtol=1e-4, atol=1e-7)
        joint = corrected(np.full((3, 1, 2), [TOE * 0.9999, TOE * 1.0001], np.float32), curves_step(line))
        self.assertLess(abs(float(joint[0, 0, 1] / joint[0, 0, 0]) - 1), 1e-3)

    def test_channels_come_before_the_master_and_none_is_the_identity(self) -> None:
        np.testing.assert_array_equal(corrected(PLANES, curves_step()), PLANES)
        one_up, half = ((0.0, 1.0),), ((-4.0, -2.0), (4.0, 2.0))
        found = corrected(PLANES, curves_step(master=half, red=one_up))
        lit = PLANES > 2 * TOE
        np.testing.assert_allclose(found[0][lit[0]], (0.18 * 2 ** ((STOPS[0] + 1) / 2))[lit[0]], rtol=1e-4)
        np.testing.assert_allclose(found[1][lit[1]], (0.18 * 2 ** (STOPS[1] / 2))[lit[1]], rtol=1e-4)


class RollOffTest(unittest.TestCase):
    def test_below_its_start_nothing_above_never_beyond_the_limit(self) -> None:
        start, limit = 1.0, 3.0
        found, largest = corrected(PLANES, roll_off_step(start, limit)), PLANES.max(axis=0)
        low = largest <= 0.36
        np.testing.assert_array_equal(found[:, low], PLANES[:, low])
        wanted = 0.36 + 1.08 * (1 - np.exp(-(largest[~low].astype(np.float64) - 0.36) / 1.08))
        np.testing.assert_allclose(found.max(axis=0)[~low], wanted, rtol=1e-5)
        self.assertLessEqual(float(found.max()), 1.44 * (1 + 1e-6))
        np.testing.assert_allclose(found[:, ~low] / found.max(axis=0)[~low], PLANES[:, ~low] / largest[~low], rtol=1e-4)

    def test_its_slope_at_the_joint_is_one(self) -> None:
        near = np.float32([0.36, 0.3602, 0.3604]).reshape(1, 1, 3).repeat(3, axis=0)
        np.testing.assert_allclose(np.diff(corrected(near, roll_off_step(1.0, 3.0))[0, 0]), 0.0002, rtol=2e-2)


class TintTest(unittest.TestCase):
    def test_luminance_stays_and_all_of_it_takes_the_colour(self) -> None:
        weights, colour = np.array([0.27, 0.67, 0.06]), (0.9, 0.4, 0.1)
        for amount in (0.0, 0.35, 1.0):
            found = corrected(PLANES, tint_step(colour, amount, weights))
            luminance = np.tensordot(weights, PLANES, axes=1)
            np.testing.assert_allclose(np.tensordot(weights, found, axes=1), luminance, rtol=1e-4, atol=1e-5)
            tone = np.array(colour)[:, None, None] / (weights @ colour) * luminance
            np.testing.assert_allclose(found, (1 - amount) * PLANES + amount * tone, rtol=1e-4, atol=1e-5)
        np.testing.assert_array_equal(corrected(PLANES, tint_step((0, 0, 0), 1.0, weights)), PLANES)
