"""ICC profiles, read and applied by an independent colour engine."""

import io
import unittest

import numpy as np
from PIL import Image, ImageCms

from escala.core.colour.gamuts import gamut_matrix
from escala.core.colour.interop import Encoding, encoding_of
from escala.media.icc import icc_profile


def profile(encoding: Encoding) -> ImageCms.ImageCmsProfile:
    return ImageCms.ImageCmsProfile(io.BytesIO(icc_profile(encoding)))


class IccTest(unittest.TestCase):
    def encoding(self, identifier: str) -> Encoding:
        found = encoding_of(identifier)
        assert found is not None
        return found

    def through(self, pixels: np.ndarray, source: object, target: object) -> np.ndarray:
        intent = ImageCms.Intent.RELATIVE_COLORIMETRIC
        transform = ImageCms.buildTransform(source, target, "RGB", "RGB", renderingIntent=intent)
        return np.asarray(ImageCms.applyTransform(Image.fromarray(pixels), transform))

    def test_srgb_is_the_engines_own(self) -> None:
        pixels = np.random.default_rng(1).integers(0, 256, (16, 16, 3), np.uint8)
        ours = profile(self.encoding("srgb_rec709_display"))
        for source, target in ((ours, ImageCms.createProfile("sRGB")), (ImageCms.createProfile("sRGB"), ours)):
            off = np.abs(self.through(pixels, source, target).astype(int) - pixels)
            self.assertLessEqual(int(off.max()), 1)

    def test_display_p3_goes_to_srgb_by_its_matrix_and_curve(self) -> None:
        pixels = np.full((4, 4, 3), (120, 140, 130), np.uint8)
        p3, srgb = self.encoding("srgb_p3d65_display"), self.encoding("srgb_rec709_display")
        found = self.through(pixels, profile(p3), profile(srgb))[0, 0]
        linear = gamut_matrix("P3-D65", "Rec.709") @ p3.decode(pixels[0, 0] / 255)
        encoded = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
        np.testing.assert_allclose(found, encoded * 255, atol=1.01)

    def test_tables_of_curves_are_read(self) -> None:
        pq = self.encoding("pq_rec2020_display")
        pixels = np.repeat(np.arange(0, 250, 10, dtype=np.uint8)[None, :, None], 3, axis=2)
        found = self.through(pixels, profile(pq), profile(self.encoding("g22_rec709_display")))
        expected = pq.decode(pixels[0, :, 0] / 255) ** (1 / 2.2) * 255
        np.testing.assert_allclose(found[0, 3:, 1], expected[3:], atol=1.5)  # dark ones lie between two entries
        self.assertEqual(len(icc_profile(pq)) % 4, 0)
