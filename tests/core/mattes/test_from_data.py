"""Mattes from data and light against their formulas."""

import colorsys
import unittest

import numpy as np

from escala.core.mattes.from_data import (
    band_matte,
    box_matte,
    channel_matte,
    depth_matte,
    hue_matte,
    id_matte,
    luminance_matte,
    normal_matte,
    sphere_matte,
)

RANDOM = np.random.default_rng(9)
WEIGHTS = np.array([0.3, 0.6, 0.1])


def ramp(away: np.ndarray, soft: float) -> np.ndarray:
    if soft == 0:
        return (away <= 0).astype(np.float64)
    return np.clip(1 - np.maximum(away, 0) / soft, 0, 1)


class DataTest(unittest.TestCase):
    def test_bands_and_channels(self) -> None:
        values = np.array([[-1, 0, 0.5, 1, 1.25, 2, np.nan, np.inf]], np.float32)
        np.testing.assert_array_equal(band_matte(values, 0, 1, 0.5), [[0, 1, 1, 1, 0.5, 0, 0, 0]])
        np.testing.assert_array_equal(band_matte(values, 0, 1), [[0, 1, 1, 1, 0, 0, 0, 0]])
        np.testing.assert_array_equal(channel_matte(values, 0, 2), [[0, 0, 0.25, 0.5, 0.625, 1, 0, 1]])
        np.testing.assert_array_equal(channel_matte(values, 1, 0), [[1, 1, 0.5, 0, 0, 0, 0, 0]])

    def test_nothing_has_no_depth(self) -> None:
        depth = np.array([[0, -3, 1, 4, 5, 1e10, np.inf, np.nan]], np.float32)
        np.testing.assert_array_equal(depth_matte(depth, 0, 4, 2), [[0, 0, 1, 1, 0.5, 0, 0, 0]])

    def test_ids_by_number_and_by_colour(self) -> None:
        numbers = np.array([[[0, 3, 7, 3.5]]], np.float32)
        np.testing.assert_array_equal(id_matte(numbers, [3.0, 7.0]), [[0, 1, 1, 0]])
        whole = np.array([[[1, 4_000_000_001]]], np.uint32)
        np.testing.assert_array_equal(id_matte(whole, [4_000_000_001.0]), [[0, 1]])
        np.testing.assert_array_equal(id_matte(whole, [4_000_000_001.0 - 2**32, 1.5, 1e12]), [[0, 0]])
        colours = np.array([[1, 0, 1, 0.9965], [0, 1, 0.01, 0]], np.float32).T[..., None]
        colours = np.concatenate([colours, np.zeros_like(colours[:, :1])], axis=1).transpose(1, 0, 2)
        np.testing.assert_array_equal(id_matte(colours, [(1.0, 0.0, 0.0)])[:, 0], [1, 0, 0, 1])

    def test_a_sphere_and_a_box(self) -> None:
        place = RANDOM.uniform(-4, 4, (3, 20, 30)).astype(np.float32)
        away = np.sqrt(((place - np.array([1, 0, -1])[:, None, None]) ** 2).sum(axis=0))
        np.testing.assert_allclose(sphere_matte(place, (1, 0, -1), 2, 1.5), ramp(away - 2, 1.5), atol=1e-5)
        beyond = np.maximum(np.abs(place - 0.5) - np.array([1, 2, 3])[:, None, None], 0)
        wanted = ramp(np.sqrt((beyond**2).sum(axis=0)), 0.7)
        np.testing.assert_allclose(box_matte(place, (0.5, 0.5, 0.5), (1, 2, 3), 0.7), wanted, atol=1e-5)

    def test_normals_of_any_length(self) -> None:
        normal = RANDOM.normal(size=(3, 20, 30)).astype(np.float32)
        normal[:, 0, 0] = 0
        way = np.array([1, 2, -1.0]) / np.sqrt(6)
        lengths = np.linalg.norm(normal, axis=0)
        with np.errstate(invalid="ignore"):
            degrees = np.degrees(np.arccos(np.tensordot(way, normal, axes=1) / lengths))
        wanted = ramp(degrees - 40, 20)
        wanted[0, 0] = 0
        np.testing.assert_allclose(normal_matte(normal, (1, 2, -1), 40, 20), wanted, atol=2e-4)


class LightTest(unittest.TestCase):
    def test_luminance_in_stops_over_grey(self) -> None:
        planes = RANDOM.random((3, 20, 30)).astype(np.float32) ** 3
        planes[:, 0, 0], planes[:, 0, 1] = -1, np.nan
        with np.errstate(invalid="ignore"):
            stops = np.log2(np.tensordot(WEIGHTS, planes, axes=1) / 0.18)
        wanted = ramp(np.maximum(-2 - stops, stops - 0.5), 1)
        wanted[0, :2] = 0
        np.testing.assert_allclose(luminance_matte(planes, WEIGHTS, -2, 0.5, 1), wanted, atol=1e-5)

    def test_hue_goes_round_and_greys_have_none(self) -> None:
        planes = RANDOM.random((3, 20, 30)).astype(np.float32) * 4
        planes[:, 0, 0] = 0.5
        hues = np.array([[colorsys.rgb_to_hsv(*planes[:, y, x] / 4)[:2] for x in range(30)] for y in range(20)])
        for centre in (10, 350, 355 - 360, 200):
            away = np.abs((hues[..., 0] * 360 - centre + 180) % 360 - 180) - 20
            wanted = np.where(hues[..., 1] >= 0.2, ramp(away, 15), 0)
            np.testing.assert_allclose(hue_matte(planes, centre, 40, 15, 0.2), wanted, atol=2e-5)
        self.assertEqual(hue_matte(planes, 0, 360, 0, 0.0)[0, 0], 0)
