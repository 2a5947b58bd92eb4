"""Keys and generators against scipy, published values and plain formulas."""

import unittest
from collections.abc import Sequence
from math import pi, sin

import numpy as np
from scipy.interpolate import BPoly, PchipInterpolator
from scipy.optimize import brentq

from escala.core.curves.generators import noise, pulse, ramp, sine_of_turn, split_mix, sweep
from escala.core.curves.keys import Key, Keys

FRAMES, VALUES = (1.0, 4.0, 9.0, 12.0, 20.0), (0.0, 3.0, 2.0, 2.5, -4.0)


def keys(ease: str = "smooth") -> list[Key]:
    return [Key(frame, value, ease) for frame, value in zip(FRAMES, VALUES, strict=True)]


def value_at(given: Sequence[Key], frame: float, outside: str = "hold") -> float:
    return Keys(given, outside).at(frame)


class KeysTest(unittest.TestCase):
    def test_a_run_of_smooth_stretches_is_scipys_pchip(self) -> None:
        expected = PchipInterpolator(FRAMES, VALUES)
        for frame in np.linspace(1, 20, 153):
            self.assertAlmostEqual(value_at(keys(), float(frame)), float(expected(frame)), places=12)

    def test_a_straight_stretch_parts_the_runs(self) -> None:
        mixed = [Key(f, v, "straight" if f == 9.0 else "smooth") for f, v in zip(FRAMES, VALUES, strict=True)]
        before = PchipInterpolator(FRAMES[:3], VALUES[:3])
        self.assertAlmostEqual(value_at(mixed, 6.5), float(before(6.5)), places=12)
        self.assertAlmostEqual(value_at(mixed, 10.0), 2.0 + 0.5 / 3, places=12)
        share = (15.0 - 12.0) / 8.0  # alone, a smooth stretch is a smoothstep
        self.assertAlmostEqual(value_at(mixed, 15.0), 2.5 - 6.5 * (3 * share**2 - 2 * share**3), places=12)

    def test_steps_hold_until_the_next_key(self) -> None:
        self.assertEqual([value_at(keys("step"), f) for f in (1, 3.99, 4, 11.9, 20)], [0.0, 0.0, 3.0, 2.0, -4.0])

    def test_bezier_stretches(self) -> None:
        one, two = Key(2.0, 1.0, "bezier", out=(3.0, 2.0)), Key(10.0, -1.0, "bezier", into=(-2.0, 0.5))
        x = BPoly(np.array([[2.0], [5.0], [8.0], [10.0]]), [0, 1])
        y = BPoly(np.array([[1.0], [3.0], [-0.5], [-1.0]]), [0, 1])
        for frame in (2.5, 4.0, 7.25, 9.9):
            t = brentq(lambda t, f=frame: float(x(t)) - f, 0, 1, xtol=1e-14)
            self.assertAlmostEqual(value_at([one, two], frame), float(y(t)), places=9)
        wide = Key(2.0, 1.0, "bezier", out=(30.0, 2.0)), Key(10.0, -1.0, into=(-30.0, 0.0))
        clipped = Key(2.0, 1.0, "bezier", out=(8.0, 2.0)), Key(10.0, -1.0, into=(-8.0, 0.0))
        self.assertEqual(value_at(wide, 5.0), value_at(clipped, 5.0))

    def test_outside(self) -> None:
        self.assertEqual([value_at(keys(), f) for f in (-9, 99)], [0.0, -4.0])
        self.assertEqual(value_at(keys("straight"), 20, "repeat"), 0.0)  # a whole turn
        self.assertEqual(value_at(keys("straight"), 23, "repeat"), value_at(keys("straight"), 4))
        self.assertEqual(value_at(keys("straight"), -2, "repeat"), value_at(keys("straight"), 17))
        self.assertEqual(value_at(keys("straight"), 23, "mirror"), value_at(keys("straight"), 17))
        self.assertEqual(value_at(keys("straight"), -1, "mirror"), value_at(keys("straight"), 3))
        self.assertAlmostEqual(value_at(keys("straight"), -1, "slope"), -2.0)
        slope = float(PchipInterpolator(FRAMES, VALUES).derivative()(20.0))
        self.assertAlmostEqual(value_at(keys(), 25, "slope"), -4.0 + 5 * slope, places=10)
        self.assertEqual(value_at([Key(3.0, 7.0)], 99, "slope"), 7.0)


class GeneratorTest(unittest.TestCase):
    def test_split_mix_gives_the_published_sequence(self) -> None:
        # The reference implementation, seeded with 1234567: state goes on by the golden ratio's part.
        state, found = 1234567, []
        for _ in range(3):
            found.append(split_mix(state))
            state = (state + 0x9E3779B97F4A7C15) % 2**64
        self.assertEqual(found, [6457827717110365317, 3203168211198807973, 9817491932198370423])

    def test_noise_is_random_at_whole_numbers_and_between_them_as_smooth_as_wanted(self) -> None:
        for place in (-3, 0, 5):
            expected = 2 * split_mix(9 ^ split_mix(place % 2**64)) / 2**64 - 1
            self.assertEqual(noise(place, 9, 0.7), expected)
        here, there = noise(4, 9, 1), noise(5, 9, 1)
        self.assertEqual(noise(4.75, 9, 0), here)
        step = 3 * 0.75**2 - 2 * 0.75**3
        self.assertAlmostEqual(noise(4.75, 9, 1), here + step * (there - here), places=14)
        self.assertAlmostEqual(noise(4.75, 9, 0.5), here + 0.5 * step * (there - here), places=14)
        many = [noise(k, 1, 1) for k in range(4000)]
        self.assertLess(abs(float(np.mean(many))), 0.03)
        self.assertAlmostEqual(float(np.std(many)), 1 / 3**0.5, delta=0.02)

    def test_pulses_rise_and_fall(self) -> None:
        given = {"low": 1.0, "high": 5.0, "period": 10.0, "duty": 0.4, "phase": 2.0}
        self.assertEqual([pulse(f, soft=0.0, **given) for f in (2, 5.9, 6, 11, 12)], [5, 5, 1, 1, 5])
        self.assertEqual([pulse(f, soft=2.0, **given) for f in (2, 3, 4, 5.5, 6, 7, 8)], [1, 3, 5, 5, 5, 3, 1])

    def test_sweeps_are_sines(self) -> None:
        for frame in np.linspace(-50, 50, 301):
            self.assertAlmostEqual(sweep(float(frame), 2.0, 24.0, 3.0), 2 * sin(2 * pi * (frame - 3) / 24), places=13)
        self.assertEqual([sine_of_turn(t) for t in (0.0, 0.25, 0.5, 0.75, 7.25)], [0.0, 1.0, 0.0, -1.0, 1.0])

    def test_ramps_are_held_outside(self) -> None:
        self.assertEqual([ramp(f, 1.0, 3.0, 10.0, 20.0) for f in (0, 10, 15, 20, 30)], [1, 1, 2, 3, 3])
