import cv2
import numpy as np

from escala.core.errors import EscalaError, UnknownChoice, UnreadableFile
from escala.media.atomic_write import write_atomically
from escala.media.cdl import read_cdl
from escala.media.jpeg import encode_jpeg
from escala.media.stills import StillOptions, encode_png, read_still, still_pixels, to_bytes, write_still
from escala.media.windows import Window
from tests.fixtures import FolderTest

CDL = """<?xml version="1.0"?>
<ColorDecisionList xmlns="urn:ASC:CDL:v1.01"><ColorDecision><ColorCorrection id="a">
<SOPNode><Slope>1.2 1 0.9</Slope><Offset>0.01 0 -0.02</Offset><Power>1 1.1 1</Power></SOPNode>
<SatNode><Saturation>0.8</Saturation></SatNode></ColorCorrection></ColorDecision></ColorDecisionList>"""


class StillTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.planes = np.random.default_rng(1).random((3, 12, 16), np.float32)

    def test_what_is_written_is_read_back_within_its_bits(self) -> None:
        for name, bits in (("a.png", 16), ("b.png", 8), ("c.tif", 16), ("d.tif", 8)):
            with self.subTest(name=name):
                path = self.folder / name
                write_still(path, still_pixels(self.planes, bits), {"ImageDescription": "sRGB"}, StillOptions())
                names, planes, _ = read_still(path)
                self.assertEqual(names[:3], ["R", "G", "B"])
                np.testing.assert_allclose(np.stack(planes[:3]), self.planes, atol=0.51 / (2**bits - 1))

    def test_values_beyond_the_screen_are_limited_and_nan_is_black(self) -> None:
        odd = np.array([np.nan, -1.0, 2.0, np.inf], np.float32).reshape(1, 1, 4).repeat(3, axis=0)
        np.testing.assert_array_equal(to_bytes(odd)[0, :, 0], [0, 0, 255, 255])

    def test_png_is_exact_and_jpeg_near(self) -> None:
        smooth = np.linspace(0, 255, 64 * 64).reshape(64, 64, 1).repeat(3, axis=2).astype(np.uint8)
        read = [cv2.imdecode(np.frombuffer(data, np.uint8), 1) for data in (encode_png(smooth), encode_jpeg(smooth))]
        np.testing.assert_array_equal(read[0], smooth)
        self.assertLess(np.abs(read[1].astype(int) - smooth).mean(), 2)

    def test_unknown_extensions_and_damaged_files_are_refused(self) -> None:
        with self.assertRaises(UnknownChoice):
            write_still(self.folder / "a.xyz", still_pixels(self.planes, 8), {}, StillOptions())
        (self.folder / "broken.png").write_bytes(b"\x89PNG broken")
        with self.assertRaisesRegex(UnreadableFile, r"broken\.png"):
            read_still(self.folder / "broken.png")

    def test_a_failing_writer_leaves_the_old_file(self) -> None:
        path = self.folder / "kept.txt"
        path.write_text("old")

        def fall(unfinished: object) -> None:
            raise RuntimeError("the library fell")

        with self.assertRaisesRegex(UnreadableFile, "the library fell"):
            write_atomically(path, fall)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["kept.txt"])
        self.assertEqual(path.read_text(), "old")


class CdlFileTest(FolderTest):
    def test_a_decision_list_is_read(self) -> None:
        path = self.folder / "g.cdl"
        path.write_text(CDL)
        found = read_cdl(path)
        self.assertEqual((found.slope, found.saturation), ((1.2, 1.0, 0.9), 0.8))
        self.assertEqual(found.offset, (0.01, 0.0, -0.02))

    def test_what_is_none_is_refused(self) -> None:
        (self.folder / "g.cc").write_text("hello")
        for name in ("g.cc", "ghost.cc"):
            with self.subTest(name=name), self.assertRaisesRegex(EscalaError, name):
                read_cdl(self.folder / name)


class WindowTest(FolderTest):
    def test_unions_and_places(self) -> None:
        a, b = Window(0, 0, 10, 8), Window(-2, 3, 5, 9)
        both = a.union(b)
        self.assertEqual(both, Window(-2, 0, 12, 12))
        self.assertEqual(b.within(both), (slice(3, 12), slice(0, 5)))
