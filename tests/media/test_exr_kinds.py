"""Every kind of file that the format knows, written with the format's own library and read to the bit."""

from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from escala.core.viewer.pyramid import halve_box
from escala.engine.source.intake import read_render
from escala.media import decode
from escala.media.sources import SourceFile
from escala.media.store import INDEX, PIXELS, StoredFrame
from tests.fixtures import FolderTest, box, channels_of, light, write_layers

LOSSLESS = ("NO", "RLE", "ZIPS", "ZIP", "PIZ")
LOSSY = ("PXR24", "B44", "B44A", "DWAA", "DWAB")


class ExrKindTest(FolderTest):
    def read(self, header: dict, channels: dict) -> StoredFrame:
        start = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        file = self.folder / f"{len(list(self.folder.iterdir()))}.exr"
        OpenEXR.File(start | header, dict(channels)).write(str(file))
        return read_render([file], self.folder / "store")[1]

    def test_every_compression_and_pixel_type(self) -> None:
        for kind in (np.float16, np.float32):
            channels = channels_of({"": light(1), "key": light(2)}, kind)
            for name in (*LOSSLESS, *LOSSY):
                compression = getattr(OpenEXR, f"{name}_COMPRESSION")
                with self.subTest(compression=name, kind=kind.__name__):
                    found = self.read({"compression": compression}, channels).planes("key")
                    expected = np.stack([channels[f"key.{letter}"] for letter in "RGB"])
                    if name in LOSSLESS:
                        np.testing.assert_array_equal(found, expected)
                    np.testing.assert_array_equal(found, self.by_the_library("key"))

    def by_the_library(self, layer: str) -> np.ndarray:
        """A layer of the file written last, as the format's library decodes it."""
        newest = max(self.folder.glob("*.exr"), key=lambda file: int(file.stem))
        with OpenEXR.File(str(newest), separate_channels=True) as file:
            return np.stack([file.channels()[f"{layer}.{letter}"].pixels for letter in "RGB"])

    def test_tiles(self) -> None:
        channels = channels_of({"": light(1, 70, 90)})
        tiles = OpenEXR.TileDescription()
        tiles.xSize, tiles.ySize = 32, 16
        found = self.read({"type": OpenEXR.tiledimage, "tiles": tiles}, channels)
        np.testing.assert_array_equal(found.planes("rgba"), np.stack([channels[c] for c in "RGB"]))

    def test_tiles_with_smaller_levels(self) -> None:
        pixels = np.ascontiguousarray(light(1, 64, 96).transpose(1, 2, 0))
        file = self.folder / "mip.exr"
        spec = oiio.ImageSpec(96, 64, 3, oiio.HALF)
        spec.tile_width = spec.tile_height = 32
        spec.attribute("textureformat", "Plain Texture")
        out = oiio.ImageOutput.create(str(file))
        out.open(str(file), spec)
        out.write_image(pixels)
        for width, height in ((48, 32), (24, 16), (12, 8), (6, 4), (3, 2), (1, 1)):
            smaller = oiio.ImageSpec(width, height, 3, oiio.HALF)
            smaller.tile_width = smaller.tile_height = 32
            self.assertTrue(out.open(str(file), smaller, "AppendMIPLevel"))
            out.write_image(np.zeros((height, width, 3), np.float32))
        out.close()
        del out  # the file is written when the writer goes
        frame = read_render([file], self.folder / "store")[1]
        np.testing.assert_array_equal(frame.planes("rgba").astype(np.float32), pixels.transpose(2, 0, 1))

    def test_half_float_and_whole_numbers_in_one_file(self) -> None:
        ids = np.arange(24 * 32, dtype=np.uint32).reshape(24, 32) * 5_000_000
        depth = light(3)[0].astype(np.float32) + np.float32(1e-7)
        channels = {**channels_of({"": light(1)}), "depth.Z": depth, "objectId.I": ids}
        frame = self.read({}, channels)
        kinds = {name: stored.pixel_type for name, stored in frame.passes.items()}
        self.assertEqual(set(kinds.values()), {"half", "float", "uint"})
        np.testing.assert_array_equal(frame.planes("objectId")[0], ids)
        np.testing.assert_array_equal(frame.planes("depth")[0], depth)

    def test_files_are_the_same_in_bands_and_at_once(self) -> None:
        rng = np.random.default_rng(3)
        colour = rng.standard_normal((3, 150, 97)).astype(np.float16)  # more rows than a band has
        half, depth = channels_of({"key": colour}, np.float16), {"Z": rng.random((150, 97), np.float32) * 99}
        outer = {"dataWindow": box(-5, 3, 97, 150), "displayWindow": box(0, 0, 80, 170)}
        cases: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
            "half": ({}, half),
            "float": ({}, depth),
            "mixed": ({}, half | depth),
            "windows": (outer, half | depth),
            "wide blocks": ({"compression": OpenEXR.DWAB_COMPRESSION}, half),
        }
        for name, (header, channels) in cases.items():
            with self.subTest(name):
                file = self.folder / f"{name}.exr"
                usual = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
                OpenEXR.File({**usual, **header}, channels).write(str(file))
                self.assert_same_both_ways(file)

    def assert_same_both_ways(self, file: Path) -> None:
        ways = [self.folder / f"{file.stem} {way}" for way in ("at once", "in bands")]
        with patch.object(decode, "_write_bands", wraps=decode._write_bands) as in_bands:
            decode.decode_frame_here([SourceFile(file)], ways[0], lambda share: None)
            in_bands.assert_not_called()
            with patch.object(decode, "_MOST_BYTES_AT_ONCE", 0):
                decode.decode_frame_here([SourceFile(file)], ways[1], lambda share: None)
            in_bands.assert_called_once()
        for part in (INDEX, PIXELS):
            self.assertEqual((ways[0] / part).read_bytes(), (ways[1] / part).read_bytes(), part)

    def test_many_files_of_a_frame_are_not_held_in_memory_together(self) -> None:
        planes = [light(seed, 70, 90).astype(np.float16) for seed in range(4)]
        files = [
            write_layers(self.folder / f"{name}.exr", {"": each}) for name, each in zip("abcd", planes, strict=True)
        ]
        sources = [SourceFile(file, file.stem) for file in files]
        size = 4 * 3 * 70 * 90
        with (
            patch.object(decode, "_MOST_BYTES_AT_ONCE", 2 * size),
            patch.object(decode, "_write_bands", wraps=decode._write_bands) as in_bands,
        ):
            decode.decode_frame_here(sources, self.folder / "several", lambda share: None)
        self.assertEqual(in_bands.call_count, 2)
        frame = StoredFrame(self.folder / "several")
        self.assertEqual(len(frame.passes), 4)
        for stored, each in zip(frame.passes, planes, strict=True):
            np.testing.assert_array_equal(frame.planes(stored), each)
            np.testing.assert_array_equal(frame.planes(stored, 1), [halve_box(plane) for plane in each])

    def test_whole_numbers_named_as_a_mask_or_alpha_disturb_nothing(self) -> None:
        whole = np.ones((24, 32), np.uint32)
        beauty = (light(1) + light(2)).astype(np.float16).astype(np.float32)
        channels = channels_of({"": beauty, "lg_key": light(1), "lg_fill": light(2)})
        file = self.folder / "whole.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, channels | {"mask.M": whole, "A": whole.copy(), "shadow.S": whole.copy()}).write(str(file))
        render, _ = read_render([file], self.folder / "store")
        self.assertTrue(render.recipes[0].exact)

    def test_data_windows_smaller_larger_and_offset(self) -> None:
        for x, y in ((0, 0), (-7, -5), (5, 3), (100, 200)):
            with self.subTest(x=x, y=y):
                planes = light(1)
                frame = self.read(
                    {"dataWindow": box(x, y, 32, 24), "displayWindow": box(0, 0, 40, 30)}, channels_of({"": planes})
                )
                raster = frame.header.raster
                rows, columns = slice(y - raster.y, y - raster.y + 24), slice(x - raster.x, x - raster.x + 32)
                np.testing.assert_array_equal(frame.planes("rgba")[:, rows, columns].astype(np.float32), planes)
                self.assertAlmostEqual(float(frame.planes("rgba").astype(float).sum()), float(planes.sum()), delta=1e-3)

    def test_pixel_aspect_and_one_pixel(self) -> None:
        frame = self.read({"pixelAspectRatio": 2.0}, channels_of({"": light(1, 1, 1)}))
        self.assertEqual((frame.header.pixel_aspect, frame.planes("rgba").shape), (2.0, (3, 1, 1)))

    def test_long_odd_and_non_ascii_names(self) -> None:
        long = "a_very_" + "long_" * 40 + "pass"
        frame = self.read({}, channels_of({"": light(1), long: light(2), 'tür\'s "licht"': light(3)}))
        self.assertIn(long, frame.passes)
        self.assertIn('tür\'s "licht"', frame.passes)

    def test_parts_with_equal_channel_names_and_own_windows(self) -> None:
        start = {
            "compression": OpenEXR.ZIP_COMPRESSION,
            "type": OpenEXR.scanlineimage,
            "displayWindow": box(0, 0, 32, 24),
        }
        parts = [
            OpenEXR.Part(dict(start), channels_of({"": light(1)}), "beauty"),
            OpenEXR.Part({**start, "dataWindow": box(4, 4, 8, 8)}, channels_of({"": light(2, 8, 8)}), "key"),
            OpenEXR.Part(dict(start), {"Z": light(3)[0].astype(np.float32)}, "depth"),
        ]
        file = self.folder / "parts.exr"
        OpenEXR.File(parts).write(str(file))
        render, frame = read_render([file], self.folder / "store")
        self.assertEqual([p.name for p in render.passes], ["beauty", "key", "depth"])
        np.testing.assert_array_equal(frame.planes("key")[:, 4:12, 4:12].astype(np.float32), light(2, 8, 8))
