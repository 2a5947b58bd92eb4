"""`escala split`, `gather` and `stage` from a terminal."""

import os
import subprocess
import sys

import numpy as np
import OpenEXR

from tests.fixtures import add_up, light, read_colour, write_layers
from tests.test_cli import CommandTest

KEY, FILL = light(1), light(2)


class SplitGatherTest(CommandTest):
    def setUp(self) -> None:
        super().setUp()
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "depth.Z": KEY[0]}
        self.files = [write_layers(self.folder / f"shot.{n:04d}.exr", passes) for n in (1, 2)]
        self.out = self.folder / "apart"

    def test_a_sequence_is_taken_apart_and_gathered_to_the_bit(self) -> None:
        told = self.run_command("split", self.folder / "shot.####.exr", "--out", self.out)
        self.assertEqual(len(told.split()), 8)
        self.assertIn("shot.lg_key.0002.exr", told)
        together = self.folder / "together.####.exr"
        self.run_command("gather", self.out, "--out", together)
        for number, file in enumerate(self.files, 1):
            with (
                OpenEXR.File(str(file), separate_channels=True) as before,
                OpenEXR.File(str(self.folder / f"together.{number:04d}.exr"), separate_channels=True) as after,
            ):
                ours, theirs = before.channels(), after.channels()
                planes = {name.removesuffix(".Z"): channel.pixels for name, channel in theirs.items()}
                for name, channel in ours.items():
                    np.testing.assert_array_equal(planes[name.removesuffix(".Z")], channel.pixels)

    def test_names_are_chosen_dropped_and_changed(self) -> None:
        arguments = ["--pass", "lg_key", "--pass", "lg_fill", "--rename", "lg_key=lamp", "--drop", "lg_fill"]
        self.run_command("split", str(self.files[0]), "--out", str(self.out), *arguments)
        self.assertEqual(os.listdir(self.out), ["shot.lamp.exr"])
        np.testing.assert_array_equal(read_colour(self.out / "shot.lamp.exr"), KEY)

    def test_denoised_passes_take_the_place_of_the_stored_and_all_else_keeps_its_bits(self) -> None:
        out = self.folder / "calm.####.exr"
        self.run_command("denoise", self.folder / "shot.####.exr", "--out", out, "--passes", "lg_key")
        for number, file in enumerate(self.files, 1):
            with (
                OpenEXR.File(str(file), separate_channels=True) as before,
                OpenEXR.File(str(self.folder / f"calm.{number:04d}.exr"), separate_channels=True) as after,
            ):
                ours, theirs = before.channels(), after.channels()
                self.assertEqual(set(ours), set(theirs))
                for name, channel in ours.items():
                    self.assertEqual(theirs[name].pixels.dtype, channel.pixels.dtype)
                    same = np.array_equal(theirs[name].pixels, channel.pixels)
                    self.assertEqual(same, not name.startswith("lg_key"), name)
                calm = np.stack([theirs[f"lg_key.{c}"].pixels.astype(np.float32) for c in "RGB"])
                self.assertLess(np.abs(np.diff(calm, axis=2)).mean(), 0.7 * np.abs(np.diff(KEY, axis=2)).mean())

    def test_bad_requests_take_one_line(self) -> None:
        file = str(self.files[0])
        for arguments, word in (
            (("split", file, "--out", str(self.out), "--drop", "sun"), "no pass is named 'sun'"),
            (("split", file, "--out", str(self.out), "--rename", "lg_key=lg_fill"), "two passes"),
            (("gather", file, "--out", str(self.folder / "a.png")), "EXR file"),
            (("denoise", file, "--out", str(self.folder / "a.png")), "EXR file"),
            (("denoise", file, "--out", str(self.folder / "a.exr"), "--passes", "sun"), "no pass is named 'sun'"),
            (("stage", "--aperture", "far", "--out", str(self.folder)), "not a number from 0 to 1000"),
            (("gather", file, "--out", str(self.folder / "none" / "a.exr")), "folder does not exist"),
            (("split", file, "--out", str(self.out), "--rename", "lg_key"), "OLD=NEW"),
        ):
            with self.subTest(word=word):
                self.assertIn(word, self.refused(*arguments))


class StageTest(CommandTest):
    def test_a_renderer_ends_when_whoever_requested_it_is_gone(self) -> None:
        command = [sys.executable, "-m", "escala.cli", "stage", "--size", "32x18", "--samples", "4000"]
        command += ["--for", "1", "--out", str(self.folder)]
        done = subprocess.run(command, capture_output=True, text=True, timeout=120, check=False)
        self.assertEqual(done.returncode, 2)
        self.assertIn("parent process ended", done.stderr)
        self.assertNotIn("Traceback", done.stderr)

    def test_frames_are_named_and_sizes_checked(self) -> None:
        told = self.run_command(
            "stage", "--size", "32x18", "--samples", "1", "--frames", "3-4", "--out", self.folder / "r"
        )
        names = [line.rsplit("/", 1)[1] for line in told.split()]
        self.assertEqual(names, ["night_quay.0003.exr", "night_quay.0004.exr"])
        for option in (("--size", "3x4"), ("--samples", "0"), ("--frames", "9-2")):
            with self.subTest(option=option):
                self.refused("stage", *option, "--out", self.folder)
