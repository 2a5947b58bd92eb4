"""Passes written as files: taken apart, gathered, every pixel as it was stored."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenEXR

from escala.core.errors import BadSource, UnknownChoice
from escala.delivery.passes import split_frames
from escala.media.repack import Choice, gather_frame
from escala.media.sources import find_render
from tests.fixtures import box, channels_of, light, read_colour, write_layers, write_parts


def split(file: Path, folder: Path, choice: Choice) -> list[Path]:
    source = find_render([file])
    return [file.path for file in split_frames(source.frames, folder, source.name, choice)]


class RepackTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.channels = channels_of({"": light(1), "key": light(2), "Z": light(3)[0]})
        self.channels["key.R"][3, 4] = np.nan
        header = {
            "compression": OpenEXR.PIZ_COMPRESSION,
            "type": OpenEXR.scanlineimage,
            "dataWindow": box(-4, 2, 32, 24),
            "displayWindow": box(0, 0, 40, 30),
            "comments": "kept",
            "shutter": 0.5,
        }
        self.file = self.folder / "shot.exr"
        OpenEXR.File(header, dict(self.channels)).write(str(self.file))

    def pixels(self, file: Path) -> dict[str, np.ndarray]:
        with OpenEXR.File(str(file), separate_channels=True) as found:
            return {n: c.pixels.copy() for part in found.parts for n, c in part.channels.items()}

    def same_bits(self, a: np.ndarray, b: np.ndarray) -> None:
        self.assertEqual(a.dtype, b.dtype)
        self.assertEqual(a.tobytes(), b.tobytes())

    def test_taken_apart_and_gathered_every_bit_is_the_same(self) -> None:
        (self.folder / "apart").mkdir()
        files = split(self.file, self.folder / "apart", Choice())
        self.assertEqual(sorted(f.name for f in files), ["shot.Z.exr", "shot.key.exr", "shot.rgba.exr"])
        self.same_bits(self.pixels(self.folder / "apart" / "shot.key.exr")["R"], self.channels["key.R"])
        together = self.folder / "together.exr"
        gather_frame(find_render(files).first, together, Choice())
        found = self.pixels(together)
        self.assertEqual(set(found), set(self.channels))
        for name, plane in self.channels.items():
            self.same_bits(found[name], plane)

    def test_windows_and_metadata_are_kept(self) -> None:
        (file,) = split(self.file, self.folder, Choice(only=("key",)))
        with OpenEXR.File(str(file), header_only=True) as found:
            header = dict(found.parts[0].header)
        self.assertEqual((header["comments"], header["shutter"]), ("kept", 0.5))
        np.testing.assert_array_equal(header["dataWindow"], box(-4, 2, 32, 24))
        np.testing.assert_array_equal(header["displayWindow"], box(0, 0, 40, 30))

    def test_passes_are_renamed_and_dropped(self) -> None:
        out = self.folder / "less.exr"
        gather_frame(find_render([self.file]).first, out, Choice(drop=("Z",), rename={"key": "lamp"}))
        self.assertEqual(set(self.pixels(out)), {"R", "G", "B", "lamp.R", "lamp.G", "lamp.B"})

    def test_other_windows_become_parts_of_their_own(self) -> None:
        other = self.folder / "shot_glow.exr"
        header = {
            "compression": OpenEXR.ZIP_COMPRESSION,
            "type": OpenEXR.scanlineimage,
            "displayWindow": box(0, 0, 40, 30),
        }
        OpenEXR.File(header, channels_of({"": light(7, 8, 8)})).write(str(other))
        main = self.folder / "shot_main.exr"
        self.file.rename(main)
        out = self.folder / "all.exr"
        gather_frame(find_render([main, other]).first, out, Choice())
        with OpenEXR.File(str(out), separate_channels=True) as found:
            self.assertEqual(len(found.parts), 2)
            self.same_bits(found.parts[0].channels["glow.R"].pixels, light(7, 8, 8)[0].astype(np.float16))

    def test_unknown_and_colliding_names_are_refused(self) -> None:
        source = find_render([self.file]).first
        for choice, error in (
            (Choice(drop=("nothing",)), UnknownChoice),
            (Choice(rename={"key": "Z"}), BadSource),
            (Choice(rename={"key": "beauty"}), BadSource),
            (Choice(drop=("key", "Z", "rgba")), BadSource),
        ):
            with self.subTest(choice=choice), self.assertRaises(error):
                gather_frame(source, self.folder / "never.exr", choice)
        self.assertFalse((self.folder / "never.exr").exists())

    def test_files_with_chromaticities_are_taken_apart_and_gathered(self) -> None:
        corners = (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)
        file = write_layers(self.folder / "wide.exr", {"": light(1), "key": light(2)}, chromaticities=corners)
        apart = split(file, self.folder, Choice())
        together = self.folder / "together.exr"
        gather_frame(find_render(apart).first, together, Choice())
        for written in (*apart, together):
            with OpenEXR.File(str(written), header_only=True) as found:
                np.testing.assert_allclose(found.parts[0].header["chromaticities"], corners, atol=1e-6)

    def test_new_names_that_become_one_file_name_do_not_overwrite_each_other(self) -> None:
        choice = Choice(rename={"key": "the light", "rgba": "the_light"})
        files = split(self.file, self.folder, choice)
        self.assertEqual(len({file.name for file in files}), 3)
        found = {file.name: self.pixels(file)["R"] for file in files if "light" in file.name}
        self.same_bits(found["shot.the_light.exr"], self.channels["R"])
        self.same_bits(found["shot.the_light-2.exr"], self.channels["key.R"])

    def test_the_report_says_which_pass_is_in_which_file(self) -> None:
        """Names that differ in what no file name can hold."""
        passes = {"lamp:1": light(1), "lamp/1": light(2), "lamp*1": light(3)}
        source = find_render([write_parts(self.folder / "odd.exr", passes)])
        (self.folder / "apart").mkdir()
        written = list(split_frames(source.frames, self.folder / "apart", source.name, Choice()))
        self.assertEqual(len({file.path.name for file in written}), 3)
        for file in written:
            (name,) = file.passes
            np.testing.assert_array_equal(read_colour(file.path), passes[name])
