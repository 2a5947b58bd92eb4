"""JPEG in strips: for every decoder the pixels of the image encoded whole."""

import io
import unittest
from unittest import mock

import cv2
import numpy as np
from PIL import Image

from escala.media import jpeg
from escala.media.jpeg import encode_jpeg


def picture(height: int, width: int) -> np.ndarray:
    """Smooth colours with some grain, (height, width, 3) bytes."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    smooth = np.stack([x / width, y / height, (x + y) / (width + height)], axis=2) * 200
    grain = np.random.default_rng(height).random((height, width, 3)) * 40
    return (smooth + grain).astype(np.uint8)


class StripsTest(unittest.TestCase):
    def encoded(self, pixels: np.ndarray, count: int) -> bytes:
        with (
            mock.patch.object(jpeg, "_STRIP_PIXELS", pixels.size // 3 // count),
            mock.patch.object(jpeg.os, "cpu_count", return_value=count),
        ):
            return encode_jpeg(pixels)

    def test_decoders_read_the_pixels_of_the_whole(self) -> None:
        for size in ((720, 1280), (541, 963), (101, 57), (33, 8), (17, 40)):
            pixels = picture(*size)
            whole = self.encoded(pixels, 1)
            for count in (2, 3, 4):
                with self.subTest(size=size, count=count):
                    file = self.encoded(pixels, count)
                    self.assertIn(b"\xff\xdd", file)
                    for decode in (
                        lambda data: cv2.imdecode(np.frombuffer(data, np.uint8), 1),
                        lambda data: np.asarray(Image.open(io.BytesIO(data))),
                    ):
                        np.testing.assert_array_equal(decode(file), decode(whole))
                        self.assertEqual(decode(file).shape, pixels.shape)

    def test_images_of_8k_and_very_high_ones(self) -> None:
        for size in ((4320, 7680), (60_000, 40)):
            with self.subTest(size=size):
                rows = np.arange(size[0]) % 251
                pixels = np.broadcast_to(rows.astype(np.uint8)[:, None, None], (*size, 3)).copy()
                found = cv2.imdecode(np.frombuffer(self.encoded(pixels, 2), np.uint8), 1)
                np.testing.assert_array_equal(found, cv2.imdecode(np.frombuffer(self.encoded(pixels, 1), np.uint8), 1))

    def test_it_is_near_what_was_encoded_and_small_ones_have_one_strip(self) -> None:
        pixels = picture(96, 160)
        file = encode_jpeg(pixels)
        self.assertNotIn(b"\xff\xdd", file[:600])
        found = np.asarray(Image.open(io.BytesIO(file))).astype(int)
        self.assertLess(np.abs(found - pixels).mean(), 8)


if __name__ == "__main__":
    unittest.main()
