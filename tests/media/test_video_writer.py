"""Videos, read back by the library that carries the codecs."""

from fractions import Fraction

import av
import numpy as np

from escala.core.colour.interop import encoding_of
from escala.core.errors import BadSource
from escala.media.video_writer import VideoOptions, exact_rate, write_video
from escala.media.whole_files import is_whole
from tests.fixtures import FolderTest


def frames(bits: int, count: int = 4, height: int = 48, width: int = 64) -> list[np.ndarray]:
    ramp = np.linspace(0, 1, width)[None, :, None] * np.array([1.0, 0.5, 0.25]) * np.ones((height, 1, 1))
    kind = np.uint8 if bits == 8 else np.uint16
    return [np.rint(np.roll(ramp, 4 * i, axis=1) * ((1 << bits) - 1)).astype(kind) for i in range(count)]


class VideoWriterTest(FolderTest):
    def test_ffv1_is_lossless_in_8_and_10_bits(self) -> None:
        for bits in (8, 10):
            with self.subTest(bits=bits):
                path, wanted = self.folder / f"{bits}.mkv", frames(bits)
                write_video(path, iter(wanted), VideoOptions(24, bits, encoding=encoding_of("srgb_rec709_display")))
                with av.open(str(path)) as file:
                    found = list(file.decode(video=0))
                self.assertEqual(len(found), len(wanted))
                for made, expected in zip(found, wanted, strict=True):
                    pixels = made.to_ndarray(format="rgb24") if bits == 8 else made.to_ndarray()
                    np.testing.assert_array_equal(pixels, expected)
                tags = (found[0].color_primaries, found[0].color_trc, found[0].colorspace, found[0].color_range)
                self.assertEqual(tuple(map(int, tags)), (1, 13, 0, 2))

    def test_videos_for_viewing_are_near_and_tagged(self) -> None:
        cases = ((".webm", 8, "srgb_p3d65_display", (12, 13, 1)), (".mp4", 10, "pq_rec2020_display", (9, 16, 9)))
        for suffix, bits, identifier, tags in cases:
            with self.subTest(suffix=suffix):
                path, wanted = self.folder / f"a{suffix}", frames(bits)
                options = VideoOptions(25, bits, 90, encoding_of(identifier))
                write_video(path, wanted, options)
                with av.open(str(path)) as file:
                    self.assertEqual(file.streams.video[0].average_rate, 25)
                    found = list(file.decode(video=0))
                self.assertEqual(tuple(int(x) for x in (found[1].color_primaries, found[1].color_trc)), tags[:2])
                self.assertEqual(int(found[1].colorspace), tags[2])
                rgb = found[1].reformat(format="rgb48le", src_colorspace=tags[2]).to_ndarray() / 65535
                inside = slice(8, -8)
                off = np.abs(rgb - wanted[1] / ((1 << bits) - 1))[:, inside]
                self.assertLess(float(np.median(off)), 0.01)

    def test_rates_are_exact_fractions(self) -> None:
        known = {23.976: Fraction(24000, 1001), 24: Fraction(24), 29.97: Fraction(30000, 1001), 12.5: Fraction(25, 2)}
        for rate, fraction in known.items():
            self.assertEqual(exact_rate(rate), fraction)

    def test_what_a_codec_cannot_hold_is_refused_and_leaves_nothing(self) -> None:
        cases = (
            ("a.webm", frames(10), 10, "choose 8"),
            ("a.mp4", frames(8, width=63), 8, "even"),
            ("a.mkv", [], 8, "no frame"),
        )
        for name, wanted, bits, words in cases:
            with self.subTest(name=name), self.assertRaisesRegex(BadSource, words):
                write_video(self.folder / name, wanted, VideoOptions(24, bits))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_frame_that_fails_leaves_no_video(self) -> None:
        def broken():
            yield frames(8)[0]
            raise BadSource("frame 2 cannot be read")

        with self.assertRaisesRegex(BadSource, "frame 2"):
            write_video(self.folder / "a.mkv", broken(), VideoOptions(24))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_video_cut_short_is_not_whole(self) -> None:
        for suffix in (".mkv", ".webm", ".mp4"):
            with self.subTest(suffix=suffix):
                path = self.folder / f"a{suffix}"
                write_video(path, frames(8, 12), VideoOptions(24))
                self.assertTrue(is_whole(path))
                path.write_bytes(path.read_bytes()[: path.stat().st_size * 2 // 3])
                self.assertFalse(is_whole(path))
