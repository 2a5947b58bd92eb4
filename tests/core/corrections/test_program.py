"""Steps laid on one after another: opacity, mattes, alpha, what is no number, blocks; powers against numpy."""

import unittest

import numpy as np

from escala.core.corrections.powers import exp2_row, log2_row
from escala.core.corrections.program import Laid, lay_picture, run_steps
from escala.core.corrections.steps import cdl_step, contrast_step, gain_step, hue_step, matrix_step
from escala.core.errors import ShapeError
from tests.fixtures import light

PLANES = light(1, 60, 80)
MATTE = np.random.default_rng(2).random((60, 80)).astype(np.float32)
MATTE[:, :20], MATTE[:, 20:40] = 0, 1


class PowersTest(unittest.TestCase):
    def test_logarithms_and_powers_of_two(self) -> None:
        values = np.exp(np.random.default_rng(1).uniform(-60, 60, 5000)).astype(np.float32)
        room, out = np.empty_like(values), values.copy()
        log2_row(out, room, room.view(np.int32))
        np.testing.assert_allclose(out, np.log2(values.astype(np.float64)), rtol=2e-7, atol=3e-7)
        stops = np.random.default_rng(1).uniform(-100, 100, 5000).astype(np.float32)
        out = stops.copy()
        exp2_row(out, room, room.view(np.int32))
        np.testing.assert_allclose(out, np.exp2(stops.astype(np.float64)), rtol=4e-7)


class RunTest(unittest.TestCase):
    def test_one_after_another_is_all_in_one_go(self) -> None:
        steps = [contrast_step(1.3), hue_step(40, 0.8, 1.1), gain_step((1.1, 1, 0.9)), cdl_step(power=(0.9, 1, 1.2))]
        together = run_steps(PLANES, [Laid(step, 0.7, MATTE) for step in steps])
        apart = PLANES
        for step in steps:
            apart = run_steps(apart, [Laid(step, 0.7, MATTE)])
        np.testing.assert_array_equal(together, apart)
        upper = run_steps(PLANES[:, :13], [Laid(step, 0.7, MATTE[:13]) for step in steps])
        np.testing.assert_array_equal(upper, together[:, :13])

    def test_opacity_and_matte(self) -> None:
        whole = run_steps(PLANES, [Laid(contrast_step(1.4))])
        found = run_steps(PLANES, [Laid(contrast_step(1.4), 1.0, MATTE)])
        np.testing.assert_array_equal(found[:, :, :20], PLANES[:, :, :20])
        np.testing.assert_array_equal(found[:, :, 20:40], whole[:, :, 20:40])
        np.testing.assert_allclose(found, PLANES + MATTE * (whole - PLANES), rtol=1e-5, atol=1e-6)
        half = run_steps(PLANES, [Laid(gain_step(2.0), 0.5)])
        np.testing.assert_allclose(half, PLANES * 1.5)

    def test_what_is_no_number_passes_whole(self) -> None:
        broken = PLANES.copy()
        broken[0, 3, 3], broken[2, 4, 4] = np.nan, np.inf
        for alpha in (None, np.full((60, 80), 0.5, np.float32)):
            found = run_steps(broken, [Laid(contrast_step(1.4)), Laid(matrix_step(np.full((3, 3), 0.3)))], alpha)
            for at in (3, 4):
                np.testing.assert_array_equal(found[:, at, at], broken[:, at, at])
            self.assertTrue(np.isfinite(np.delete(found.reshape(3, -1), [3 * 80 + 3, 4 * 80 + 4], axis=1)).all())

    def test_colour_is_divided_by_alpha_around_it_but_never_by_none(self) -> None:
        planes = np.full((3, 1, 4), 0.2, np.float32)
        alpha = np.array([[0.0, 0.5, 1.0, 0.5]], np.float32)
        matte = np.array([[1, 1, 1, 0]], np.float32)
        square = [Laid(contrast_step(2.0, 1.0), 1.0, matte)]
        np.testing.assert_allclose(run_steps(planes, square, alpha)[0, 0], [0.04, 0.08, 0.04, 0.2], rtol=1e-5)
        other = lay_picture(planes, lambda p: p**2, 1.0, alpha, matte)
        np.testing.assert_allclose(other[0, 0], [0.04, 0.08, 0.04, 0.2], rtol=1e-5)
        odd = light(4, 1, 4)
        np.testing.assert_array_equal(run_steps(odd, square, alpha)[:, 0, 3], odd[:, 0, 3])

    def test_a_matte_of_another_size_is_refused(self) -> None:
        with self.assertRaises(ShapeError):
            run_steps(PLANES, [Laid(gain_step(2.0), 1.0, MATTE[:9])])
