import colorsys
import unittest

import numpy as np

from escala.core.surface.recolour import recolour, surface_change
from tests.fixtures import light


def one(colour: tuple[float, float, float]) -> np.ndarray:
    return np.array(colour, np.float32).reshape(3, 1, 1)


class RecolourTest(unittest.TestCase):
    def test_it_agrees_with_the_standard_librarys_hexagon(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(200):
            red, green, blue = rng.random(3)
            hue, saturation, value = rng.uniform(-180, 180), rng.uniform(0, 3), rng.uniform(0, 3)
            h, s, v = colorsys.rgb_to_hsv(red, green, blue)
            wanted = np.array(colorsys.hsv_to_rgb((h + hue / 360) % 1, min(s * saturation, 1), v)) * value
            found = recolour(one((red, green, blue)), hue, saturation, value)[:, 0, 0]
            np.testing.assert_allclose(found, wanted, atol=2e-6 * max(value, 1))

    def test_values_above_one_keep_their_hue(self) -> None:
        np.testing.assert_allclose(recolour(one((8, 2, 2)), 120)[:, 0, 0], [2, 8, 2], rtol=1e-5)
        np.testing.assert_allclose(recolour(one((8, 2, 2)), value=0.5)[:, 0, 0], [4, 1, 1], rtol=1e-6)

    def test_a_neutral_change_is_none_to_the_bit(self) -> None:
        planes = light(1) - np.float32(0.1)
        self.assertIs(recolour(planes), planes)

    def test_what_has_no_place_in_it_stays(self) -> None:
        for colour in ((-0.1, 0.5, 0.2), (0, 0, 0), (np.nan, 0.5, 0.5), (np.inf, 1, 1)):
            np.testing.assert_array_equal(recolour(one(colour), 90, 2, 2), one(colour))

    def test_greys_have_no_hue_to_turn(self) -> None:
        np.testing.assert_allclose(recolour(one((0.3, 0.3, 0.3)), 77, 2)[:, 0, 0], 0.3, rtol=1e-6)


class SurfaceChangeTest(unittest.TestCase):
    def test_the_change_relights_another_colour(self) -> None:
        colour, fell = light(6) * np.float32(0.2) + np.float32(0.05), light(7)
        other = recolour(colour, 60, 1.5, 0.8)
        lit = colour * fell
        np.testing.assert_allclose(lit * (1 + surface_change(colour, other)), fell * other, rtol=2e-5, atol=1e-6)
        dark = one((0.0, 5e-5, -0.1))
        np.testing.assert_array_equal(surface_change(dark, dark * 3), np.zeros((3, 1, 1), np.float32))
