"""Defocus: discs against areas, energy, edges against a layered scene through every part of a lens, bits."""

import unittest

import numba
import numpy as np
from scipy import ndimage

from escala.core.depth.defocus import blur_radius, defocus
from escala.core.depth.footprints import PARTS, Opening, footprint_weights, radius_of, radius_step
from escala.core.depth.preview import defocus_coarsely
from tests.core.depth.layered import BEYOND, FINE, averaged, decibels, seen, texture

SIZE = 96, 128


def lens_ways(depths: list[float], focus: float, aperture: float, count: int = 240) -> list[list[tuple[float, float]]]:
    """How far each layer moves, seen from places spread evenly over the aperture."""
    radii = [aperture * (1 / focus - 1 / z) for z in depths]
    k = np.arange(count) + 0.5
    u, v = np.sqrt(k / count) * np.cos(2.399963 * k), np.sqrt(k / count) * np.sin(2.399963 * k)
    return [[(a * r, b * r) for r in radii] for a, b in zip(u, v, strict=True)]


def scene() -> list[tuple[np.ndarray, np.ndarray, float]]:
    """A wall far away, a slanted board in the middle, a round thing and a thin post near."""
    shape = (SIZE[0] + 2 * BEYOND) * FINE, (SIZE[1] + 2 * BEYOND) * FINE
    y, x = (axis / FINE - BEYOND for axis in np.mgrid[: shape[0], : shape[1]])
    board = (np.abs(y - 52) < 26) & (np.abs(x - 44 + 0.3 * (y - 52)) < 22)
    near = ((y - 48) ** 2 + (x - 92) ** 2 < 20**2) | (np.abs(x - 14 - 0.1 * y) < 1.5)
    wall = texture(1, shape, 0.05, 0.5)
    return [
        (wall, np.ones(shape, np.float32), 20.0),
        (texture(2, shape, 0.2, 0.9), board.astype(np.float32), 6.0),
        (texture(3, shape, 0.02, 0.15), near.astype(np.float32), 2.5),
    ]


def gathered(planes: np.ndarray, radius: np.ndarray) -> np.ndarray:
    """The naive way: each pixel the mean over its own disc."""
    reach = int(np.ceil(np.abs(radius).max()))
    wide = np.pad(planes, ((0, 0), (reach, reach), (reach, reach)), mode="edge")
    total, weights = np.zeros_like(planes), np.zeros(radius.shape, np.float32)
    size = np.maximum(np.abs(radius), 0.5)
    for dy in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            weight = np.clip(size - np.hypot(dx, dy) + 0.5, 0, 1)
            place = slice(reach + dy, reach + dy + radius.shape[0]), slice(reach + dx, reach + dx + radius.shape[1])
            total, weights = total + weight * wide[(slice(None), *place)], weights + weight
    return total / weights


class FootprintTest(unittest.TestCase):
    def test_a_disc_covers_its_area(self) -> None:
        for radius in (0.7, 1.5, 4.0, 11.3, 40.0):
            covered = footprint_weights(radius, Opening()).sum() / PARTS
            self.assertAlmostEqual(covered / (np.pi * radius**2), 1.0, delta=0.02 / radius + 1e-3)

    def test_a_polygon_has_its_area_and_corner(self) -> None:
        for blades in (5, 6, 11):
            weights = footprint_weights(20.0, Opening(blades, turn=90.0))
            area = 0.5 * blades * np.sin(2 * np.pi / blades) * 400
            self.assertAlmostEqual(weights.sum() / PARTS / area, 1.0, delta=0.005)
            middle = weights.shape[0] // 2
            self.assertGreater(weights[:4, middle].sum(), 0)  # a corner points up
            self.assertEqual(weights[:2, : middle - 6].sum(), 0)
        rounded = footprint_weights(20.0, Opening(5, 0.0, 0.5)).sum()
        self.assertTrue(footprint_weights(20.0, Opening(5)).sum() < rounded < footprint_weights(20.0, Opening()).sum())
        np.testing.assert_array_equal(footprint_weights(9.0, Opening(5, 0, 1.0)), footprint_weights(9.0, Opening()))

    def test_steps_of_radii_are_finer_than_can_be_seen(self) -> None:
        for radius in np.geomspace(0.6, 500, 300):
            self.assertAlmostEqual(
                radius_of(radius_step(np.float32(radius))) / radius, 1.0, delta=0.06 / radius + 0.004
            )
        self.assertEqual(radius_step(np.float32(0.5)), 0)


class DefocusTest(unittest.TestCase):
    def setUp(self) -> None:
        self.light = texture(7, (48 * FINE, 64 * FINE), 0.05, 0.6)[:, ::FINE, ::FINE].copy()

    def test_the_radius_of_a_thin_lens(self) -> None:
        distance = np.array([[1.0, 2.0, 4.0, np.inf]], np.float32)
        np.testing.assert_allclose(blur_radius(distance, 2.0, 8.0, 64.0)[0], [-4.0, 0.0, 2.0, 4.0], rtol=1e-6)
        np.testing.assert_allclose(blur_radius(distance, 2.0, 8.0, 3.0)[0], [-3.0, 0.0, 2.0, 3.0], rtol=1e-6)

    def test_one_depth_is_a_filter(self) -> None:
        radius = np.full((48, 64), 6.0, np.float32)
        found, alpha = defocus(self.light, None, radius, blocks=0)
        disc = footprint_weights(6.0, Opening()) / footprint_weights(6.0, Opening()).sum()
        expected = np.stack([ndimage.convolve(plane.astype(np.float64), disc, mode="nearest") for plane in self.light])
        np.testing.assert_allclose(found, expected, rtol=2e-5, atol=1e-6)
        self.assertIsNone(alpha)
        in_blocks, _ = defocus(self.light, None, np.full((48, 64), 14.0, np.float32))
        exact, _ = defocus(self.light, None, np.full((48, 64), 14.0, np.float32), blocks=0)
        self.assertLess(np.abs(in_blocks / exact - 1).max(), 0.02)

    def test_a_lamp_becomes_a_disc_with_all_its_light(self) -> None:
        light = np.zeros((3, 64, 64), np.float32)
        light[:, 30, 33] = (900.0, 400.0, 100.0)
        found, _ = defocus(light, None, np.full((64, 64), 9.0, np.float32))
        np.testing.assert_allclose(found.sum(axis=(1, 2)), [900.0, 400.0, 100.0], rtol=1e-3)
        y, x = np.mgrid[:64, :64]
        away = np.hypot(y - 30, x - 33)
        np.testing.assert_allclose(found[0][away < 8], 900 / (np.pi * 81), rtol=0.01)
        self.assertEqual(found[0][away > 10].max(), 0.0)

    def test_what_is_sharp_stays_to_the_bit(self) -> None:
        radius = np.zeros((48, 64), np.float32)
        radius[:, 40:] = 5.0
        found, alpha = defocus(self.light, np.ones((48, 64), np.float32), radius)
        # Far ground that is blurred never comes over what lies before it in focus.
        np.testing.assert_array_equal(found[:, :, :39], self.light[:, :, :39])
        np.testing.assert_allclose(alpha, 1.0, rtol=1e-6)
        same, _ = defocus(self.light, None, np.full((48, 64), 0.4, np.float32))
        np.testing.assert_array_equal(same, self.light)

    def test_what_is_no_number_stays_alone(self) -> None:
        self.light[1, 20, 20] = np.nan
        self.light[:, 5, 50] = np.inf
        found, _ = defocus(self.light, None, np.full((48, 64), 4.0, np.float32))
        self.assertTrue(np.isnan(found[1, 20, 20]) and np.isinf(found[0, 5, 50]))
        self.assertEqual(np.isfinite(found).all(axis=0).sum(), 48 * 64 - 2)

    def test_alpha_is_spread_as_colour_is(self) -> None:
        alpha = np.zeros((48, 64), np.float32)
        alpha[10:30, 20:40] = 1
        colour = np.stack([0.5 * alpha] * 3)
        radius = np.where(alpha > 0, np.float32(-6.0), np.float32(3.0))
        found, cover = defocus(colour, alpha, radius)
        np.testing.assert_allclose(found[0], 0.5 * cover, rtol=1e-4, atol=1e-6)
        self.assertTrue(0.2 < cover[20, 42] < 0.5 and 0.5 < cover[20, 37] < 0.9)

    def test_against_a_layered_scene(self) -> None:
        layers = scene()
        flat, depth = seen(layers, SIZE)
        for focus, aperture, least in ((6.0, 45.0, 5.0), (20.0, 30.0, 7.0), (2.5, 20.0, 1.5)):
            wanted = averaged(layers, lens_ways([z for _, _, z in layers], focus, aperture), SIZE)
            radius = blur_radius(depth, focus, aperture, 64.0)
            found, _ = defocus(flat, None, radius)
            ours, naive = decibels(found, wanted), decibels(gathered(flat, radius), wanted)
            self.assertGreater(ours, 40.0, focus)
            self.assertGreater(ours, naive + least, focus)

    def test_parts_and_threads_make_the_same_bits(self) -> None:
        rng = np.random.default_rng(4)
        depth = np.where(rng.random((12, 16)) > 0.5, 3.0, 9.0).repeat(8, 0).repeat(8, 1).astype(np.float32)
        light, alpha = rng.random((3, 96, 128)).astype(np.float32), rng.random((96, 128)).astype(np.float32)
        radius = blur_radius(depth, 5.0, 40.0, 4.0)
        whole, cover = defocus(light, alpha, radius)
        part = (slice(20, 90), slice(30, 128))
        found, part_cover = defocus(
            light[(slice(None), *part)].copy(), alpha[part].copy(), radius[part].copy(), origin=(30, 20)
        )
        np.testing.assert_array_equal(found[:, 24:60, 24:], whole[:, 44:80, 54:])
        np.testing.assert_array_equal(part_cover[24:60, 24:], cover[44:80, 54:])
        threads = numba.get_num_threads()
        numba.set_num_threads(1)
        try:
            np.testing.assert_array_equal(defocus(light, alpha, radius)[0], whole)
        finally:
            numba.set_num_threads(threads)

    def test_it_reports_how_far_it_is_and_is_stopped_by_the_caller(self) -> None:
        radius = np.full((800, 1600), 3.0, np.float32)
        light = np.ones((3, *radius.shape), np.float32)
        heard: list[float] = []
        defocus(light, None, radius, report_progress=heard.append)
        self.assertGreater(len(heard), 2)
        self.assertEqual(heard, sorted(heard))
        self.assertTrue(heard[0] > 0 and heard[-1] < 1)

        def stop(share: float) -> None:
            raise InterruptedError

        with self.assertRaises(InterruptedError):
            defocus(light, None, radius, report_progress=stop)

    def test_blocks_are_chosen_alike_in_every_part(self) -> None:
        light = texture(9, (200 * FINE, 280 * FINE), 0.01, 0.9)[:, ::FINE, ::FINE].copy()
        light[:, 60:63, 90:93] = 20
        radius = np.full((200, 280), 36.0, np.float32)
        radius[:, 150:] = 17.0
        whole, _ = defocus(light, None, radius)
        # The part stops at the right edge of the picture, and far within it on the other sides.
        part = (slice(11, 200), slice(23, 280))
        found, _ = defocus(light[(slice(None), *part)].copy(), None, radius[part].copy(), origin=(23, 11))
        np.testing.assert_array_equal(found[:, 145:, 145:], whole[:, 156:, 168:])
        near, _ = defocus(light[:, :, 140:].copy(), None, radius[:, 140:].copy(), origin=(140, 0))
        np.testing.assert_array_equal(near[:, :, 100:], whole[:, :, 240:])

    def test_while_a_value_is_dragged_it_is_nearly_the_same(self) -> None:
        flat, depth = seen(scene(), SIZE)
        radius = blur_radius(depth, 6.0, 45.0, 64.0)
        exact, fast = defocus(flat, None, radius)[0], defocus_coarsely(flat, None, radius)[0]
        self.assertGreater(decibels(fast, exact), 40.0)
        # Well within what is in focus nothing is touched.
        np.testing.assert_array_equal(fast[:, 45:60, 36:52], flat[:, 45:60, 36:52])
