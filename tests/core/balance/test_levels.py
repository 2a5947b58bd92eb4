import unittest

import numpy as np

from escala.core.balance.levels import level_gain, names_that_count, normalise_tint, stops_to_gain
from escala.core.balance.temperature import kelvin_to_xy, shifted_xy
from escala.media.configs import colour_config


class LevelTest(unittest.TestCase):
    def setUp(self) -> None:
        self.space = colour_config("ACES 2").working_space("ACEScg")

    def test_a_stop_doubles(self) -> None:
        for stops, gain in ((-4.0, 1 / 16), (0.0, 1.0), (2.5, 5.656854)):
            self.assertAlmostEqual(stops_to_gain(stops), gain, places=6)

    def test_luminance_weights_are_those_of_ap1(self) -> None:
        np.testing.assert_allclose(self.space.luminance_weights, [0.2722287, 0.6740818, 0.0536895], atol=2e-6)

    def test_a_tint_keeps_the_luminance(self) -> None:
        tint = normalise_tint([2.0, 0.3, 0.9], self.space)
        self.assertAlmostEqual(float(tint @ self.space.luminance_weights), 1.0)

    def test_neutral_temperature_is_exactly_one(self) -> None:
        np.testing.assert_array_equal(level_gain(self.space, kelvin=6500.0), [1, 1, 1])

    def test_lower_temperature_is_warmer_at_the_same_luminance(self) -> None:
        gain = level_gain(self.space, kelvin=3200.0)
        self.assertGreater(gain[0], 1.0)
        self.assertLess(gain[2], 1.0)
        self.assertAlmostEqual(float(gain @ self.space.luminance_weights), 1.0, places=5)

    def test_alone_silences_the_others_and_off_the_one(self) -> None:
        self.assertEqual(names_that_count({"a": False, "b": True}, {"a": False, "b": False}), {"a": True, "b": False})
        self.assertEqual(names_that_count({"a": False, "b": False}, {"a": False, "b": True}), {"a": False, "b": True})


class TemperatureTest(unittest.TestCase):
    def test_published_chromaticities(self) -> None:
        # CIE 15: D65 is the daylight of 6504 K, D50 of 5003 K; illuminant A is the Planckian light of 2856 K.
        for kelvin, xy in ((6504.0, (0.31272, 0.32903)), (5003.0, (0.34567, 0.35850)), (2856.0, (0.44757, 0.40745))):
            with self.subTest(kelvin=kelvin):
                np.testing.assert_allclose(kelvin_to_xy(kelvin), xy, atol=6e-4)

    def test_the_locus_has_no_jump(self) -> None:
        steps = np.array([kelvin_to_xy(kelvin) for kelvin in range(3900, 4600, 10)])
        self.assertLess(np.abs(np.diff(steps, axis=0)).max(), 0.0025)


class DuvTest(unittest.TestCase):
    """A temperature beside the locus: measured in CIE 1960, along the normal of black bodies."""

    @staticmethod
    def uv(xy: tuple[float, float]) -> np.ndarray:
        x, y = xy
        return np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3)

    def test_it_is_so_far_from_the_locus_and_square_to_it(self) -> None:
        for kelvin in (2000, 2856, 3500, 4200, 5000, 6500, 10000):
            for duv in (-0.02, 0.005, 0.02):
                with self.subTest(kelvin=kelvin, duv=duv):
                    step = self.uv(shifted_xy(kelvin, duv)) - self.uv(shifted_xy(kelvin, 0.0))
                    self.assertAlmostEqual(float(np.hypot(*step)), abs(duv), places=9)
                    self.assertGreater(float(step[1] * duv), 0)  # green lies above
                    along = self.planck(kelvin * 1.01) - self.planck(kelvin * 0.99)
                    cosine = float(step @ along) / float(np.hypot(*step) * np.hypot(*along))
                    self.assertLess(abs(cosine), 0.03)

    @staticmethod
    def planck(kelvin: float) -> np.ndarray:
        """(u, v) of a black body by the rational approximation of Krystek (1985)."""
        t = kelvin
        u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t**2)
        v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t**2)
        return np.array([u, v])

    def test_green_and_magenta_keep_luminance(self) -> None:
        space = colour_config("ACES 2").working_space("ACEScg")
        green, magenta = (level_gain(space, kelvin=5000, duv=duv) for duv in (0.02, -0.02))
        for gain in (green, magenta):
            self.assertAlmostEqual(float(space.luminance_weights @ gain), 1.0, places=5)
        self.assertGreater(green[1] / green[0], magenta[1] / magenta[0])
        np.testing.assert_array_equal(level_gain(space, duv=0.0), np.ones(3))
