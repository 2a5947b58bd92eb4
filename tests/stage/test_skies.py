"""The backdrops of the demo: written once, of other sizes than the shot, in spaces that their files name."""

from unittest import mock

import cv2
import numpy as np
import OpenEXR

from escala.core.colour.gamuts import GAMUTS
from escala.stage import skies
from tests.fixtures import FolderTest


class SkiesTest(FolderTest):
    def test_they_are_written_once_and_say_what_they_hold(self) -> None:
        sizes = {"STILL_SIZE": (64, 32), "SEQUENCE_SIZE": (24, 12), "MIST_SIZE": (32, 16)}
        with mock.patch.multiple(skies, SEQUENCE_FRAMES=range(1, 3), **sizes):
            skies.write_skies(self.folder)
            times = {file.name: file.stat().st_mtime_ns for file in self.folder.iterdir()}
            skies.write_skies(self.folder)
        self.assertEqual({file.name: file.stat().st_mtime_ns for file in self.folder.iterdir()}, times)
        self.assertEqual(sorted(times), ["dawn_sky.exr", "drifting_sky.0001.png", "drifting_sky.0002.png", "mist.exr"])
        with OpenEXR.File(str(self.folder / "dawn_sky.exr"), separate_channels=True) as file:
            np.testing.assert_allclose(np.ravel(file.header()["chromaticities"]), GAMUTS["AP1"], atol=1e-5)
            sky = np.stack([file.channels()[letter].pixels.astype(np.float32) for letter in "RGB"])
        self.assertGreater(float(sky[0, -4:].mean()), 4 * float(sky[0, :4].mean()))  # the horizon glows
        with OpenEXR.File(str(self.folder / "mist.exr"), separate_channels=True) as file:
            alpha, blue = (file.channels()[letter].pixels.astype(np.float32) for letter in "AB")
        np.testing.assert_allclose(blue, 0.27 * alpha, atol=2e-4)  # associated
        self.assertTrue(alpha.min() >= 0 and alpha.max() <= 0.85)
        frames = [cv2.imread(str(self.folder / f"drifting_sky.000{number}.png")).astype(int) for number in (1, 2)]
        self.assertGreater(int(np.abs(frames[0] - frames[1]).max()), 0)
