import os
import platform
import subprocess
import sys
import unittest
from unittest import mock

import numpy as np
import psutil

from escala.core.errors import NoRoom, UnreadableFile
from escala.media.atomic_write import is_alive, owner, remove_stale, unfinished, write_atomically, write_bytes
from escala.media.exr import write_exr
from escala.media.stills import StillOptions, still_pixels, write_still
from escala.media.windows import Window
from tests.fixtures import FolderTest
from tests.small_disk import fill, mount_small_disk


class WholeTest(FolderTest):
    def test_a_file_replaces_another_in_one_step(self) -> None:
        path = self.folder / "kept.txt"
        path.write_text("old")
        write_bytes(path, [b"ne", b"w"])
        self.assertEqual(path.read_text(), "new")
        self.assertEqual(os.listdir(self.folder), ["kept.txt"])

    def test_what_cannot_be_written_says_why(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, r"x\.txt: it cannot be written: No such file"):
            write_bytes(self.folder / "ghost" / "x.txt", [b"a"])

    def test_what_a_killed_process_left_is_swept_and_what_a_living_one_writes_is_not(self) -> None:
        gone = subprocess.run(
            [sys.executable, "-c", "from escala.media.atomic_write import unfinished; print(unfinished())"],
            capture_output=True, text=True, check=True,
        ).stdout.strip()  # fmt: skip
        for name in (f"{gone}abc", ".new-old1", ".escala-old2", f"{unfinished()}mine", ".other", "kept"):
            (self.folder / name).mkdir()
            (self.folder / name / "x").touch()
        (self.folder / "kept" / f"{gone}deep").mkdir()
        self.assertEqual(remove_stale(self.folder), 4)
        self.assertEqual(sorted(os.listdir(self.folder)), sorted([f"{unfinished()}mine", ".other", "kept"]))
        self.assertEqual(os.listdir(self.folder / "kept"), ["x"])

    def test_a_process_is_known_by_when_it_began(self) -> None:
        self.assertTrue(is_alive(owner()))
        for other in (f"{os.getpid()}-1", "0-0", "", "x-y", f"{2**70}-1"):
            self.assertFalse(is_alive(other))

    @unittest.skipUnless(platform.system() == "Linux", "other systems keep the start time of a process as it was")
    def test_a_clock_that_is_set_while_a_process_runs_changes_nothing(self) -> None:
        with subprocess.Popen(["sleep", "60"]) as other, mock.patch("psutil._pslinux.boot_time", return_value=5e8):
            self.addCleanup(other.kill)
            ticks = round((psutil.Process(other.pid).create_time() - 5e8) * os.sysconf("SC_CLK_TCK"))
            self.assertTrue(is_alive(f"{other.pid}-{ticks}"))
            self.assertFalse(is_alive(f"{other.pid}-{ticks + 1}"))
            other.kill()
        self.assertFalse(is_alive(f"{other.pid}-{ticks}"))


class FullDiskTest(FolderTest):
    """Nothing may stand under a final name that is not whole, whoever wrote it, and all goes on once there is room."""

    def setUp(self) -> None:
        super().setUp()
        self.disk = mount_small_disk(self, self.folder / "disk", 512)
        self.planes = np.random.default_rng(1).random((3, 200, 300), np.float32)

    def write(self, name: str) -> None:
        path = self.disk / name
        if name.endswith(".exr"):
            window = Window(0, 0, 300, 200)
            write_exr(path, dict(zip("RGB", self.planes.astype(np.float16), strict=True)), window, window)
        elif name.endswith(".txt"):
            write_atomically(path, lambda growing: growing.write_bytes(bytes(200_000)))
        else:
            write_still(path, still_pixels(self.planes, 16), {"Software": "Escala"}, StillOptions())

    def test_every_writer_reports_of_a_full_disk_and_leaves_nothing(self) -> None:
        for name in ("a.png", "a.tif", "a.jpg", "a.exr", "a.txt"):
            for leave in (0, 4096, 12_288, 100_000):
                with self.subTest(name=name, leave=leave):
                    filler = fill(self.disk, leave)
                    if leave < 100_000 or name != "a.jpg":
                        with self.assertRaisesRegex(NoRoom, f"disk full: .*{name}"):
                            self.write(name)
                        self.assertEqual(os.listdir(self.disk), ["filler"])
                    filler.unlink()
            self.write(name)
            self.assertGreater((self.disk / name).stat().st_size, 1000)
            (self.disk / name).unlink()
