"""Hundreds of damaged files: each gives a sentence or a picture, and nothing falls."""

import os
import time
import unittest

import numpy as np
import OpenEXR

from escala.core.errors import EscalaError
from escala.media.intake import import_frame
from escala.media.sources import SourceFile
from tests.fixtures import FolderTest, channels_of, light, sampled

SEEDS = {"scanlines": OpenEXR.scanlineimage, "tiles": OpenEXR.tiledimage}
EACH = 110


class FuzzTest(FolderTest):
    def write_seed(self, kind: str) -> bytes:
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": SEEDS[kind], "comments": "to be damaged"}
        if kind == "tiles":
            header["tiles"] = OpenEXR.TileDescription()
            header["tiles"].xSize = header["tiles"].ySize = 16
        file = self.folder / f"{kind}.exr"
        OpenEXR.File(header, channels_of({"": light(1), "key": light(2), "Z": light(3)[0]})).write(str(file))
        return file.read_bytes()

    def damaged(self, good: bytes, number: int) -> bytes:
        """Bytes flipped near the header or anywhere, a cut, zeros, or numbers turned huge; the same for a number."""
        rng = np.random.default_rng(number)
        data = bytearray(good)
        way = number % 5
        if way == 0:
            return bytes(data[: int(rng.integers(0, len(data)))])
        if way == 1:
            for place in rng.integers(8, min(len(data), 600), 6):
                data[place] = int(rng.integers(0, 256))
        elif way == 2:
            for place in rng.integers(8, len(data), 12):
                data[place] = int(rng.integers(0, 256))
        elif way == 3:
            start = int(rng.integers(8, len(data) - 64))
            data[start : start + 64] = bytes(64)
        else:
            start = int(rng.integers(8, min(len(data), 600)))
            data[start : start + 4] = b"\xff\xff\xff\x7f"
        return bytes(data)

    def test_damaged_files_give_a_sentence_or_a_picture(self) -> None:
        refused = 0
        numbers = sampled(range(EACH), 4)
        for kind in SEEDS:
            good = self.write_seed(kind)
            for number in numbers:
                file = self.folder / f"{kind} {number}.exr"
                file.write_bytes(self.damaged(good, number))
                began = time.monotonic()
                try:
                    frame = import_frame([SourceFile(file)], self.folder / "store")
                    self.assertGreater(len(frame.passes), 0)
                except EscalaError as error:
                    refused += 1
                    self.assertIn(str(number), str(error))
                    self.assertNotIn("Traceback", str(error))
                    self.assertNotIn("\n", str(error))
                self.assertLess(time.monotonic() - began, 30)
        self.assertGreater(refused, len(numbers) * len(SEEDS) // 8)
        left = [name for name in os.listdir(self.folder / "store") if name.startswith(".new")]
        self.assertEqual(left, [])

    def test_what_is_no_picture_at_all(self) -> None:
        for name, data in (("empty.exr", b""), ("text.exr", b"not a picture"), ("magic.exr", b"\x76\x2f\x31\x01")):
            with self.subTest(name=name):
                (self.folder / name).write_bytes(data)
                with self.assertRaises(EscalaError):
                    import_frame([SourceFile(self.folder / name)], self.folder / "store")


if __name__ == "__main__":
    unittest.main()
