"""Pictures placed in a frame, against plain formulas and an independent resampler."""

import unittest

import cv2
import numpy as np

from escala.core.errors import ShapeError, UnknownChoice
from escala.core.lens.geometry import FramePart
from escala.core.plate.operators import Layer
from escala.core.plate.placing import Placement, place_picture, sampling
from escala.core.viewer.pyramid import halve_box


def picture(height: int, width: int, seed: int = 1) -> np.ndarray:
    """A smooth associated picture, (4, H, W), opaque."""
    colour = np.random.default_rng(seed).random((height, width, 3)).astype(np.float32)
    smooth = cv2.GaussianBlur(colour, (0, 0), 2).transpose(2, 0, 1)
    return np.concatenate([smooth, np.ones((1, height, width), np.float32)])


def placed(planes: np.ndarray, placement: Placement, part: FramePart, shape: tuple[int, int]) -> Layer:
    """A picture with all its levels, placed."""
    levels = [planes]
    while max(levels[-1].shape[1:]) > 1:
        levels.append(np.stack([halve_box(plane) for plane in levels[-1]]))
    size = planes.shape[2], planes.shape[1]
    sampled = sampling(placement.to_picture(size, (part.width, part.height)), part, shape, size, len(levels))
    return place_picture(levels[sampled.level][:, sampled.rows, sampled.columns], sampled, shape)


def whole(width: int, height: int) -> tuple[FramePart, tuple[int, int]]:
    """All of a frame, pixel by pixel."""
    return FramePart(0.0, 0.0, 1.0, width, height), (height, width)


class PlacingTest(unittest.TestCase):
    def test_one_to_one_it_is_itself_to_the_bit(self) -> None:
        planes = picture(24, 32)
        for fit in ("fill", "fit", "stretch", "actual"):
            found = placed(planes, Placement(fit), *whole(32, 24))
            np.testing.assert_array_equal(found.colour, planes[:3])
            np.testing.assert_array_equal(found.alpha, planes[3])

    def test_halved_it_is_the_mean_of_four(self) -> None:
        planes = picture(48, 64)
        found = placed(planes, Placement(), *whole(32, 24))
        np.testing.assert_allclose(found.colour, planes[:3].reshape(3, 24, 2, 32, 2).mean(axis=(2, 4)), rtol=2e-6)

    def test_any_reduction_is_the_mean_over_the_area(self) -> None:
        planes = picture(90, 160)
        found = placed(planes, Placement(), *whole(100, 56))
        expected = cv2.resize(planes[:3, :, :].transpose(1, 2, 0), (100, 56), interpolation=cv2.INTER_AREA)
        # The frame's shape differs a little: 160 × 90 fills 100 × 56 by 0.625.
        np.testing.assert_allclose(found.colour[:, 2:-2, 2:-2], expected.transpose(2, 0, 1)[:, 2:-2, 2:-2], atol=0.02)

    def test_enlarged_it_is_linear_between_pixels(self) -> None:
        planes = picture(12, 16)
        found = placed(planes, Placement(), *whole(64, 48))
        expected = cv2.resize(planes[:3].transpose(1, 2, 0), (64, 48), interpolation=cv2.INTER_LINEAR)
        np.testing.assert_allclose(found.colour, expected.transpose(2, 0, 1), atol=2e-6)
        np.testing.assert_array_equal(found.alpha, 1.0)

    def test_fit_leaves_bars_and_fill_crops(self) -> None:
        planes = picture(20, 60)
        fitted = placed(planes, Placement("fit"), *whole(60, 40))
        np.testing.assert_array_equal(fitted.alpha[:10], 0)
        np.testing.assert_array_equal(fitted.alpha[10:30], 1)
        np.testing.assert_array_equal(fitted.colour[:, 10:30], planes[:3])
        np.testing.assert_array_equal(placed(planes, Placement("fill"), *whole(60, 40)).alpha, 1.0)
        stretched = placed(planes, Placement("stretch"), *whole(60, 40))
        np.testing.assert_array_equal(stretched.alpha, 1.0)

    def test_moved_mirrored_and_turned(self) -> None:
        planes = picture(24, 24)
        moved = placed(planes, Placement(move=(5.0, -3.0)), *whole(24, 24))
        np.testing.assert_array_equal(moved.colour[:, :21, 5:], planes[:3, 3:, :19])
        np.testing.assert_array_equal(moved.alpha[21:], 0)
        mirrored = placed(planes, Placement(scale=(-1.0, 1.0)), *whole(24, 24))
        np.testing.assert_allclose(mirrored.colour, planes[:3, :, ::-1], rtol=1e-6)
        turned = placed(planes, Placement(turn=90.0), *whole(24, 24))
        np.testing.assert_allclose(turned.colour, np.rot90(planes[:3], 1, (1, 2)), atol=1e-5)

    def test_its_edge_lies_between_pixels_by_its_share(self) -> None:
        planes = picture(10, 10)
        found = placed(planes, Placement("actual", move=(0.25, 0.0)), *whole(20, 20))
        np.testing.assert_allclose(found.alpha[8, 4:16], [0, 0.75, *[1] * 9, 0.25], atol=1e-6)

    def test_a_part_is_that_of_the_whole(self) -> None:
        planes = picture(70, 90)
        placement = Placement(scale=(1.3, 0.8), turn=17.0, move=(4.0, 2.5))
        frame, shape = whole(64, 48)
        full = placed(planes, placement, frame, shape)
        part = placed(planes, placement, FramePart(10.0, 7.0, 1.0, 64, 48), (20, 30))
        np.testing.assert_allclose(part.colour, full.colour[:, 7:27, 10:40], atol=1e-6)
        np.testing.assert_allclose(part.alpha, full.alpha[7:27, 10:40], atol=1e-6)

    def test_a_proxy_is_the_mean_of_the_whole(self) -> None:
        planes = picture(96, 128)
        full = placed(planes, Placement(), *whole(64, 48)).colour
        half = placed(planes, Placement(), FramePart(0.0, 0.0, 2.0, 64, 48), (24, 32)).colour
        np.testing.assert_allclose(half, full.reshape(3, 24, 2, 32, 2).mean(axis=(2, 4)), atol=1e-6)

    def test_far_beside_the_frame_nothing_is(self) -> None:
        found = placed(picture(8, 8), Placement("actual", move=(500.0, 0.0)), *whole(16, 16))
        self.assertEqual(float(found.alpha.max()), 0.0)

    def test_what_does_not_fit_is_refused(self) -> None:
        with self.assertRaises(UnknownChoice):
            Placement("cover").to_picture((4, 4), (4, 4))
        frame, shape = whole(8, 8)
        sampled = sampling(Placement().to_picture((8, 8), (8, 8)), frame, shape, (8, 8), 1)
        with self.assertRaises(ShapeError):
            place_picture(np.zeros((3, 8, 8), np.float32), sampled, shape)
