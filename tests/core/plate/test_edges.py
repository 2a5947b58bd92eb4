"""Edges of layers against analytic truth on a disc, and against scipy's distances."""

import unittest

import numpy as np
from scipy import ndimage

from escala.core.plate.edges import clean_backing, reshape_edges
from escala.core.plate.operators import Layer, lay

SIZE = 64


def disc(radius: float, size: int = SIZE, fine: int = 16) -> np.ndarray:
    """The coverage of a disc, (H, W), from many samples a pixel."""
    place = (np.arange(size * fine) + 0.5) / fine - size / 2 - 0.3
    inside = np.hypot(place[None], place[:, None]) <= radius
    return inside.reshape(size, fine, size, fine).mean(axis=(1, 3)).astype(np.float32)


class EdgesTest(unittest.TestCase):
    def test_no_fringe_on_three_backings(self) -> None:
        alpha, colour = disc(20.0), np.array([0.6, 0.3, 0.9], np.float32)[:, None, None]
        for backing in ((0.0, 0.8, 0.1), (1.0, 1.0, 1.0), (0.02, 0.03, 0.2)):
            old = np.array(backing, np.float32)[:, None, None]
            rendered = (alpha * colour + (1 - alpha) * old).astype(np.float32)
            cleaned = clean_backing(Layer(rendered, alpha), backing)
            np.testing.assert_allclose(cleaned.colour, alpha * colour, atol=3e-7)
            for plate in ((0.0, 0.0, 0.0), (0.5, 0.5, 0.5), (3.0, 2.0, 1.0)):
                below = np.empty_like(rendered)
                below[:] = np.array(plate, np.float32)[:, None, None]
                over = lay(Layer(below, np.ones_like(alpha)), cleaned, "over")
                np.testing.assert_allclose(over.colour, alpha * colour + (1 - alpha) * below, atol=2e-6)

    def test_shrunk_it_keeps_its_colour_to_the_edge(self) -> None:
        alpha, colour = disc(20.0), np.array([0.6, 0.3, 0.9], np.float32)[:, None, None]
        found = reshape_edges(Layer((alpha * colour).astype(np.float32), alpha), -3.0, 0.0)
        np.testing.assert_allclose(found.colour, found.alpha * colour, atol=1e-6)
        # The area of a disc of so much smaller a radius, to the rounding of pixel centres.
        self.assertAlmostEqual(float(found.alpha.sum()), np.pi * 17.0**2, delta=40)

    def test_grown_and_softened_colour_is_carried_on(self) -> None:
        alpha = disc(12.0)
        ramp = np.linspace(0.2, 1.0, SIZE, dtype=np.float32)
        unassociated = np.stack([np.tile(ramp, (SIZE, 1)), np.tile(ramp[:, None], (1, SIZE)), np.full_like(alpha, 0.4)])
        found = reshape_edges(Layer((alpha * unassociated).astype(np.float32), alpha), 4.0, 1.5)
        near = ndimage.distance_transform_edt(alpha <= 1e-4, return_distances=False, return_indices=True)
        covered = found.alpha > 1e-3
        carried = (found.colour / np.maximum(found.alpha, 1e-9))[:, covered]
        expected = unassociated[:, near[0], near[1]][:, covered]
        # Of pixels that are equally far either may be taken: a few pixels of a slope.
        np.testing.assert_allclose(carried, expected, atol=4 * 0.8 / SIZE)
        self.assertLess(float(np.abs(carried - expected).mean()), 1e-3)

    def test_alpha_grows_then_softens_as_a_matte_does(self) -> None:
        alpha = disc(10.0)
        found = reshape_edges(Layer(np.zeros((3, SIZE, SIZE), np.float32), alpha), 2.0, 1.2)
        y, x = np.mgrid[-2:3, -2:3]
        grown = ndimage.maximum_filter(alpha, footprint=np.hypot(y, x) <= 2.0, mode="nearest")
        np.testing.assert_allclose(found.alpha, ndimage.gaussian_filter(grown, 1.2, mode="nearest"), atol=2e-6)

    def test_where_nothing_changes_colour_stays_to_the_bit(self) -> None:
        alpha = disc(20.0)
        colour = (np.random.default_rng(2).random((3, SIZE, SIZE)) * alpha).astype(np.float32)
        found = reshape_edges(Layer(colour, alpha), -2.0, 0.0)
        inside = found.alpha == alpha
        np.testing.assert_array_equal(found.colour[:, inside & (alpha > 1e-4)], colour[:, inside & (alpha > 1e-4)])
        self.assertGreater(int((inside & (alpha == 1)).sum()), 500)
