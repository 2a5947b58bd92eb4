"""Operators of layers against their formulas, pixel by pixel."""

import unittest

import numpy as np

from escala.core.errors import ShapeError, UnknownChoice
from escala.core.lens.geometry import FramePart
from escala.core.plate.gradient import gradient
from escala.core.plate.operators import OPERATORS, Layer, empty_layer, lay
from escala.core.plate.shadow import shadow_density, shadow_factor
from tests.fixtures import light


def layer(seed: int, height: int = 9, width: int = 13) -> Layer:
    """An associated picture with every alpha from 0 to 1."""
    alpha = np.random.default_rng(seed).random((height, width)).astype(np.float32)
    alpha[0], alpha[1] = 0, 1
    return Layer((light(seed, height, width) * alpha).astype(np.float32), alpha)


class OperatorTest(unittest.TestCase):
    def test_formulas(self) -> None:
        below, top = layer(1), layer(2)
        b, t = below.colour.astype(np.float64), top.colour.astype(np.float64)
        a, under = top.alpha.astype(np.float64), below.alpha.astype(np.float64)
        both = a + under * (1 - a)
        expected = {
            "over": (t + b * (1 - a), both),
            "under": (b + t * (1 - under), both),
            "add": (b + t, under),
            "multiply": (b * (1 - a + t), under),
            "screen": (b + t - b * t, under),
            "hold_out": (b * (1 - a), under * (1 - a)),
        }
        self.assertEqual(set(expected), set(OPERATORS))
        for operator, (colour, alpha) in expected.items():
            with self.subTest(operator=operator):
                found = lay(below, top, operator)
                np.testing.assert_allclose(found.colour, colour, rtol=2e-6, atol=1e-6)
                np.testing.assert_allclose(found.alpha, alpha, rtol=2e-6, atol=1e-6)

    def test_over_nothing_it_is_itself_to_the_bit(self) -> None:
        top = layer(3)
        for operator in ("over", "under"):
            found = lay(empty_layer(9, 13), top, operator)
            np.testing.assert_array_equal(found.colour, top.colour)
            np.testing.assert_array_equal(found.alpha, top.alpha)

    def test_screen_of_light_above_one_is_not_clamped(self) -> None:
        bright = Layer(np.full((3, 1, 1), 4, np.float32), np.ones((1, 1), np.float32))
        self.assertEqual(float(lay(bright, bright, "screen").colour[0, 0, 0]), -8.0)

    def test_shares(self) -> None:
        top = layer(4)
        share = np.linspace(0, 1, 9 * 13, dtype=np.float32).reshape(9, 13)
        np.testing.assert_array_equal(top.scaled(share).colour, top.colour * share)
        np.testing.assert_array_equal(top.scaled(0.25).alpha, top.alpha * np.float32(0.25))

    def test_what_does_not_fit_is_refused(self) -> None:
        with self.assertRaises(ShapeError):
            lay(layer(1), layer(2, 9, 12), "over")
        with self.assertRaises(UnknownChoice):
            lay(layer(1), layer(2), "beneath")


class ShadowTest(unittest.TestCase):
    def test_what_a_pass_holds(self) -> None:
        values = np.array([[[0.0, 0.25, 1.0, 3.0]]], np.float32)
        for holds, shares in (("light", (1, 0.75, 0, 0)), ("dark", (0, 0.25, 1, 1)), ("alpha", (0, 0.25, 1, 1))):
            with self.subTest(holds=holds):
                found = shadow_density(values, holds)
                self.assertEqual(found.shape, (3, 1, 4))
                np.testing.assert_allclose(found, np.broadcast_to(np.array(shares, np.float32), (3, 1, 4)))

    def test_alpha_is_the_last_of_four_channels(self) -> None:
        stored = np.stack([np.full((2, 2), value, np.float32) for value in (0.9, 0.8, 0.7, 0.3)])
        np.testing.assert_allclose(shadow_density(stored, "alpha"), 0.3)
        np.testing.assert_allclose(shadow_density(stored, "light")[:, 0, 0], (0.1, 0.2, 0.3), rtol=1e-6)

    def test_what_is_left_of_the_light(self) -> None:
        density = light(1, 4, 5, 1.0)
        found = shadow_factor(density, 0.8, (0.0, 0.1, 0.5))
        for channel, tint in enumerate((0.0, 0.1, 0.5)):
            np.testing.assert_allclose(found[channel], 1 - 0.8 * density[channel] * (1 - tint), rtol=1e-6)


class GradientTest(unittest.TestCase):
    def test_places_and_ends(self) -> None:
        part = FramePart(0.0, 0.0, 1.0, 20, 10)
        found = gradient(part, (10, 20), ((5.0, 0.0), (15.0, 0.0)), ((0.0, 1.0, 2.0), (1.0, 1.0, 0.0)))
        x = np.arange(20) + 0.5
        share = np.clip((x - 5) / 10, 0, 1)
        np.testing.assert_allclose(found[0], np.broadcast_to(share, (10, 20)), atol=1e-6)
        np.testing.assert_allclose(found[1], 1.0)
        np.testing.assert_allclose(found[2], np.broadcast_to(2 - 2 * share, (10, 20)), atol=1e-6)

    def test_a_part_at_a_proxy_is_that_of_the_whole(self) -> None:
        ends, colours = ((2.0, 3.0), (30.0, 17.0)), ((0.0, 0.2, 0.4), (1.0, 0.5, 0.1))
        whole = gradient(FramePart(0.0, 0.0, 1.0, 32, 24), (24, 32), ends, colours)
        half = gradient(FramePart(8.0, 4.0, 2.0, 32, 24), (6, 8), ends, colours)
        inner = whole[:, 4:16, 8:24].reshape(3, 6, 2, 8, 2).mean(axis=(2, 4))
        np.testing.assert_allclose(half, inner, atol=0.02)

    def test_two_ends_at_one_place(self) -> None:
        part = FramePart(0.0, 0.0, 1.0, 4, 4)
        found = gradient(part, (4, 4), ((1.0, 1.0), (1.0, 1.0)), ((0.1, 0.2, 0.3), (1.0, 1.0, 1.0)))
        np.testing.assert_allclose(found[:, 2, 2], (0.1, 0.2, 0.3), rtol=1e-6)
