import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenEXR

from escala.engine.source.intake import read_render
from escala.media.luma_chroma import luma_chroma_to_rgb

WEIGHTS = (0.2126, 0.7152, 0.0722)


class LumaChromaTest(unittest.TestCase):
    def setUp(self) -> None:
        y, x = np.mgrid[0:16, 0:24].astype(np.float32)
        self.rgb = np.stack([0.2 + x / 40, 0.3 + y / 40, 0.5 + (x + y) / 80])
        self.luma = np.tensordot(np.array(WEIGHTS, np.float32), self.rgb, 1)
        self.red, self.blue = (self.rgb[0] - self.luma) / self.luma, (self.rgb[2] - self.luma) / self.luma

    def test_full_chroma_gives_the_colours_back(self) -> None:
        found = luma_chroma_to_rgb(self.luma, self.red, self.blue, None)
        np.testing.assert_allclose(np.stack(found), self.rgb, atol=1e-4)

    def test_a_file_of_the_format_is_read_as_colour(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            file = Path(name) / "yc.exr"
            channels = {"Y": OpenEXR.Channel("Y", self.luma.astype(np.float16), 1, 1)}
            for letter, plane in (("RY", self.red), ("BY", self.blue)):
                full = np.zeros(plane.shape, np.float16)  # the library takes the first of so many pixels
                full.reshape(-1)[: 8 * 12] = plane[::2, ::2].reshape(-1)
                channels[letter] = OpenEXR.Channel(letter, full, 2, 2)
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            OpenEXR.File(header, channels).write(str(file))
            render, frame = read_render([file], Path(name) / "store")
            self.assertEqual((render.reference, render.passes[0].channels), ("rgba", ("Y", "RY", "BY")))
            np.testing.assert_allclose(
                frame.planes("rgba").astype(np.float32)[:, 2:-2, 2:-2], self.rgb[:, 2:-2, 2:-2], atol=0.01
            )
