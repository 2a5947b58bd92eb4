"""Labels against pictures that are known: one to one, averaged, turned, across a seam."""

import unittest

import numpy as np

from escala.core.errors import ShapeError, UnknownChoice
from escala.core.surface.label import Placement, lay_label, picture_pyramid

RANDOM = np.random.default_rng(4)


def picture(height: int, width: int, alpha: bool = False) -> np.ndarray:
    planes = RANDOM.random((4, height, width)).astype(np.float32)
    planes[3] = planes[3] if alpha else 1
    planes[:3] *= planes[3]
    return planes


def square(height: int, width: int) -> np.ndarray:
    """uv over a whole frame, v upwards."""
    u, v = (np.arange(width) + 0.5) / width, 1 - (np.arange(height) + 0.5) / height
    return np.stack(np.broadcast_arrays(u[None, :], v[:, None])).astype(np.float32)


def laid(shown: np.ndarray, uv: np.ndarray, **how: object) -> np.ndarray:
    """What is seen of a picture, over black; as its fourth plane what it leaves of white."""
    where, black = np.ones(uv.shape[1:], np.float32), np.zeros((3, *uv.shape[1:]), np.float32)
    pyramid, placement = picture_pyramid(shown), Placement(**how)
    over = lay_label(black, where, uv, pyramid, placement)
    left = lay_label(black + 1, where, uv, pyramid, placement) - over
    return np.concatenate([over, 1 - left[:1]])


class LabelTest(unittest.TestCase):
    def test_one_to_one_it_is_itself(self) -> None:
        shown = picture(24, 32, alpha=True)
        np.testing.assert_allclose(laid(shown, square(24, 32)), shown, atol=1e-5)
        upside = laid(shown, square(24, 32), v_up=False)
        np.testing.assert_allclose(upside, shown[:, ::-1], atol=1e-5)

    def test_smaller_it_is_the_mean_of_what_each_pixel_sees(self) -> None:
        for times in (2, 3, 4, 8):
            shown = picture(24 * times, 32 * times, alpha=True)
            wanted = shown.reshape(4, 24, times, 32, times).mean(axis=(2, 4))
            np.testing.assert_allclose(laid(shown, square(24, 32)), wanted, atol=2e-3)
        wide = picture(24, 256)
        wanted = wide.reshape(4, 24, 32, 8).mean(axis=3)
        np.testing.assert_allclose(laid(wide, square(24, 32)), wanted, atol=2e-3)

    def test_scaled_turned_and_moved(self) -> None:
        shown = picture(32, 32)
        quarter = laid(shown, square(32, 32), turn=90)
        np.testing.assert_allclose(quarter, np.rot90(shown, axes=(1, 2)), atol=1e-4)
        moved = laid(shown, square(32, 32), move=(0.25, 0.5))
        np.testing.assert_allclose(moved[:, :16, 8:], shown[:, 16:, :24], atol=1e-4)
        self.assertEqual(moved[:, 17:].max(), 0)
        small = laid(shown, square(32, 32), scale=(0.5, 0.5))
        np.testing.assert_allclose(small[:, 8:24, 8:24], shown.reshape(4, 16, 2, 16, 2).mean(axis=(2, 4)), atol=1e-4)
        self.assertEqual(small[:, :8].max(), 0)

    def test_beyond_its_edges(self) -> None:
        shown = picture(16, 16)
        tiled = laid(shown, square(32, 32), scale=(0.5, 0.5), outside="repeat")
        np.testing.assert_allclose(tiled, np.roll(np.tile(shown, (1, 2, 2)), (8, 8), (1, 2)), atol=1e-4)
        mirrored = laid(shown, square(32, 32), scale=(0.5, 0.5), outside="mirror")
        np.testing.assert_allclose(mirrored, np.pad(shown, ((0, 0), (8, 8), (8, 8)), "symmetric"), atol=1e-4)

    def test_a_seam_does_not_smear(self) -> None:
        uv = square(24, 32)
        uv[0] = (uv[0] + 0.5) % 1.0
        shown = picture(24, 32)
        np.testing.assert_allclose(laid(shown, uv), np.roll(shown, 16, axis=2), atol=1e-4)
        uv[:, :, 20:] = 0.9
        self.assertTrue(np.isfinite(laid(shown, uv)).all())

    def test_nothing_is_laid_where_nothing_is_wanted(self) -> None:
        uv, where = square(8, 8), np.zeros((8, 8), np.float32)
        where[2, 3] = 0.5
        uv[:, 0, 0] = np.nan
        grey = np.full((3, 8, 8), 0.4, np.float32)
        shown = picture(8, 8)
        found = lay_label(grey, where, uv, picture_pyramid(shown), Placement())
        self.assertEqual(np.argwhere((found != grey).any(axis=0)).tolist(), [[2, 3]])
        np.testing.assert_allclose(found[:, 2, 3], 0.2 + shown[:3, 2, 3] / 2, rtol=1e-5)
        part = lay_label(grey[:, 1:4, 2:6], where[1:4, 2:6], uv, picture_pyramid(shown), Placement(), (1, 2))
        np.testing.assert_array_equal(part, found[:, 1:4, 2:6])

    def test_what_does_not_fit_is_refused(self) -> None:
        with self.assertRaises(ShapeError):
            wrong = np.ones((3, 8, 8), np.float32), np.ones((4, 8), np.float32), square(8, 8)
            lay_label(*wrong, picture_pyramid(picture(8, 8)), Placement())
        with self.assertRaises(UnknownChoice):
            laid(picture(8, 8), square(8, 8), outside="stretch")
