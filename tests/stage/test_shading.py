import unittest

import numpy as np

from escala.stage.mist import mist_transmittance
from escala.stage.sampling import next_number, start_sample
from escala.stage.shading import fresnel, pass_glass, reflect_factors, sample_reflection, specular_share

UP = (0.0, 1.0, 0.0)


def directions(count: int) -> list[tuple[float, float, float]]:
    """Directions spread evenly over the upper half sphere."""
    turn = np.pi * (3 - np.sqrt(5)) * np.arange(count)
    height = (np.arange(count) + 0.5) / count
    side = np.sqrt(1 - height**2)
    return [(float(s * np.cos(t)), float(h), float(s * np.sin(t))) for s, h, t in zip(side, height, turn, strict=True)]


class SurfaceTest(unittest.TestCase):
    def setUp(self) -> None:
        self.view = tuple(np.array([0.5, 0.8, 0.1]) / np.linalg.norm([0.5, 0.8, 0.1]))

    def test_reflectance_grows_to_one_at_grazing_angles(self) -> None:
        self.assertAlmostEqual(fresnel(0.04, 1.0), 0.04)
        self.assertAlmostEqual(fresnel(0.04, 0.0), 1.0)
        self.assertTrue(0.15 <= specular_share((0.5, 0.5, 0.5), 0.04, 0.5) <= 0.9)

    def test_no_more_light_leaves_than_came(self) -> None:
        area = 2 * np.pi / 4000
        for roughness in (0.3, 0.6, 1.0):
            with self.subTest(roughness=roughness):
                factors = [reflect_factors(roughness, 0.04, UP, self.view, d, 0.5) for d in directions(4000)]
                diffuse, specular, density = (sum(values) * area for values in zip(*factors, strict=True))
                self.assertAlmostEqual(diffuse, 0.96, places=2)
                self.assertLess(specular, 0.2)
                self.assertTrue(0.7 < density < 1.02)  # what is missing points below the surface

    def test_directions_that_are_sampled_can_be_reached(self) -> None:
        rng = np.random.default_rng(1)
        for r1, r2, r3 in rng.random((200, 3)):
            out = sample_reflection(0.4, UP, self.view, 0.5, r1, r2, r3)
            self.assertAlmostEqual(float(np.linalg.norm(out)), 1.0, places=5)
            if out[1] > 0:
                self.assertGreater(reflect_factors(0.4, 0.04, UP, self.view, out, 0.5)[2], 0.0)

    def test_light_from_behind_gives_nothing(self) -> None:
        self.assertEqual(reflect_factors(0.5, 0.04, UP, self.view, (0.0, -1.0, 0.0), 0.5), (0.0, 0.0, 0.0))


class GlassTest(unittest.TestCase):
    def test_refraction_follows_snell(self) -> None:
        angle = np.radians(40)
        coming = (float(np.sin(angle)), float(-np.cos(angle)), 0.0)
        out, through = pass_glass(coming, UP, 0.04, 1.5, 0.99)
        self.assertTrue(through)
        self.assertAlmostEqual(out[0], float(np.sin(angle) / 1.5), places=5)
        straight, through = pass_glass(coming, UP, 0.04, 1.0, 0.99)
        self.assertTrue(through)
        np.testing.assert_allclose(straight, coming, atol=1e-6)

    def test_total_reflection_from_within(self) -> None:
        angle = np.radians(60)
        out, through = pass_glass((float(np.sin(angle)), float(np.cos(angle)), 0.0), UP, 0.04, 1.5, 0.99)
        self.assertFalse(through)
        np.testing.assert_allclose(out, (np.sin(angle), -np.cos(angle), 0.0), atol=1e-6)


class NumberTest(unittest.TestCase):
    def test_numbers_are_even_and_repeat_for_a_seed(self) -> None:
        state = np.zeros(3, np.int64)

        def numbers(seed: int) -> np.ndarray:
            found = []
            for sample in range(400):
                start_sample(state, seed, 17, sample)
                found.append([next_number(state) for _ in range(4)])
            return np.array(found)

        first = numbers(1)
        np.testing.assert_array_equal(first, numbers(1))
        self.assertGreater(float(np.abs(first - numbers(2)).mean()), 0.1)
        for dimension in range(4):
            counts = np.histogram(first[:, dimension], bins=10, range=(0, 1))[0]
            self.assertLess(counts.max() - counts.min(), 12)


class MistTest(unittest.TestCase):
    def test_two_halves_take_what_the_whole_takes(self) -> None:
        mist = np.array([0.02, 3.0, 0.9, 0.5], np.float32)
        way = (0.6, 0.8, 0.0)
        whole = mist_transmittance(mist, (0.0, 1.0, 0.0), way, 10.0)
        halves = mist_transmittance(mist, (0.0, 1.0, 0.0), way, 5.0) * mist_transmittance(
            mist, (3.0, 5.0, 0.0), way, 5.0
        )
        self.assertAlmostEqual(whole, halves, places=5)
        level = mist_transmittance(mist, (0.0, 0.0, 0.0), (1.0, 0.0, 0.0), 10.0)
        self.assertAlmostEqual(level, float(np.exp(-0.2)), places=5)
