"""What would cost too much is refused before it begins, in a sentence; what is large and honest is not."""

import struct
import time
import unittest
import zlib
from pathlib import Path

import numpy as np
import OpenEXR
import psutil

from escala.core.errors import EscalaError, NoRoom, TooLarge
from escala.media.intake import import_frame
from escala.media.limits import MAX_PIXELS, check_claim, check_disk, check_memory, check_spread
from escala.media.sources import SourceFile
from escala.media.stills import read_still, read_still_header
from escala.media.windows import Window
from tests.fixtures import FolderTest, box


def write_flat_png(path: Path, width: int, height: int, bits: int = 1) -> Path:
    """A grey PNG of zeros: packed a thousand to one."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    row = bytes(1 + (width * bits + 7) // 8)
    packer = zlib.compressobj(9)
    body = b"".join(packer.compress(row) for _ in range(height)) + packer.flush()
    header = struct.pack(">IIBBBBB", width, height, bits, 0, 0, 0, 0)
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", body) + chunk(b"IEND", b""))
    return path


class LimitsTest(unittest.TestCase):
    def test_claims_beyond_reason_are_refused_with_their_numbers(self) -> None:
        path = Path("a.exr")
        for claim in (
            (70_000, 10, 3),
            (10, 70_000, 3),
            (20_000, 20_000, 1),
            (64, 64, 4000),
            (0, 5, 3),
            (16_000, 16_000, 128),
        ):
            with self.subTest(claim=claim), self.assertRaisesRegex(TooLarge, r"a\.exr: the header claims"):
                check_claim(path, *claim)
        check_claim(path, 16_384, MAX_PIXELS // 16_384, 3)

    def test_memory_and_disk_are_checked_before_they_are_taken(self) -> None:
        with self.assertRaisesRegex(TooLarge, "GiB of memory"):
            check_memory("a.exr", psutil.virtual_memory().total)
        check_memory("a.exr", 1 << 20)
        with self.assertRaisesRegex(NoRoom, "MiB wanted"):
            check_disk(Path("/"), 1 << 60, "the passes")
        check_disk(Path("/"), 0, "the passes")

    def test_windows_that_lie_apart_are_refused_and_overscan_is_not(self) -> None:
        display, overscan = Window(0, 0, 2000, 1000), Window(-200, -100, 2400, 1200)
        check_spread(Path("a.exr"), overscan, [display, overscan])
        far = Window(12_000, 12_000, 64, 64)
        with self.assertRaisesRegex(TooLarge, "are so far apart that they need 12064 × 12064"):
            check_spread(Path("a.exr"), display.union(far), [Window(0, 0, 64, 64), far])


class BombTest(FolderTest):
    def refused(self, path: Path) -> str:
        began = time.process_time()
        with self.assertRaises(EscalaError) as report_progress:
            import_frame((SourceFile(path),), self.folder / "store")
        self.assertLess(time.process_time() - began, 5)
        self.assertEqual([p for p in (self.folder / "store").rglob("*") if p.is_file()], [])
        return str(report_progress.exception)

    def test_a_small_png_that_claims_a_huge_picture(self) -> None:
        path = write_flat_png(self.folder / "flat.png", 22_000, 22_000)
        self.assertLess(path.stat().st_size, 100_000)
        self.assertIn("22000 × 22000 pixels", self.refused(path))
        with self.assertRaises(TooLarge):
            read_still(path)

    def test_a_header_that_claims_more_than_its_file_can_hold(self) -> None:
        path = write_flat_png(self.folder / "cut.png", 64, 64, 8)
        data = bytearray(path.read_bytes())
        data[16:24] = struct.pack(">II", 15_000, 15_000)
        data[29:33] = struct.pack(">I", zlib.crc32(bytes(data[12:29])))
        path.write_bytes(bytes(data))
        self.assertIn("far more than the file holds", self.refused(path))

    def test_a_flat_picture_of_honest_size_is_read(self) -> None:
        path = write_flat_png(self.folder / "black.png", 1920, 1080)
        self.assertEqual(read_still_header(path).width, 1920)
        self.assertEqual(read_still(path)[1][0].shape, (1080, 1920))

    def test_parts_that_lie_far_apart(self) -> None:
        parts = []
        for name, place in (("near", 0), ("far", 12_000)):
            header = {
                "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage,
                "dataWindow": box(place, place, 32, 32), "displayWindow": box(0, 0, 64, 64),
            }  # fmt: skip
            parts.append(OpenEXR.Part(header, {c: np.ones((32, 32), np.float16) for c in "RGB"}, name))
        path = self.folder / "apart.exr"
        OpenEXR.File(parts).write(str(path))
        self.assertIn("are so far apart", self.refused(path))
