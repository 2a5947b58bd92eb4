"""A disk of a few hundred kilobytes that fills up, for tests of what happens then."""

import subprocess
import unittest
from pathlib import Path


def mount_small_disk(test: unittest.TestCase, place: Path, kilobytes: int) -> Path:
    """Mount a disk in memory at `place` for the length of a test; the test is skipped where that is not allowed."""
    place.mkdir(parents=True, exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={kilobytes}k", "tmpfs", str(place)]
    if subprocess.run(command, capture_output=True, check=False).returncode:
        test.skipTest("only root may mount a small disk here")
    test.addCleanup(subprocess.run, ["umount", "-l", str(place)], check=True)
    return place


def fill(disk: Path, leave: int = 0) -> Path:
    """A file that takes all the room of a disk but `leave` bytes."""
    file = disk / "filler"
    with file.open("wb", buffering=0) as filler:
        try:
            while True:
                filler.write(bytes(4096))
        except OSError:
            pass
    with file.open("r+b") as filler:
        filler.truncate(max(0, file.stat().st_size - leave))
    return file
