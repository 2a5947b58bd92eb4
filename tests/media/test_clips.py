"""Pictures, sequences and videos by their own frame numbers, in the dialects that files come in."""

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from escala.core.errors import BadSource, EscalaError
from escala.media.clips import Clip, group_clips, is_clip, open_clip
from escala.media.decode import decode_frame_here
from escala.media.intake import import_frame
from escala.media.path_safety import OutsideRoots, Roots
from escala.media.store import StoredFrame
from tests.fixtures import FolderTest, light, write_layers


def write_video(path: Path, frames: int = 30, size: tuple[int, int] = (64, 48), rate: int = 25, **more: object) -> Path:
    """A video whose frames are plain greys, each 6 brighter than the one before."""
    with av.open(str(path), "w") as file:
        stream = file.add_stream(str(more.pop("codec", "ffv1")), rate=Fraction(rate))
        stream.width, stream.height = size
        stream.pix_fmt = str(more.pop("pix_fmt", "bgr0"))
        for name, value in more.items():
            setattr(stream, name, value)
        for number in range(frames):
            pixels = np.full((size[1], size[0], 3), 20 + 6 * number % 230, np.uint8)
            pixels[:4, :4] = (255, 0, 0)
            for packet in stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")):
                file.mux(packet)
        for packet in stream.encode():
            file.mux(packet)
    return path


class ClipTest(FolderTest):
    def decoded(self, clip: Clip, frame: int) -> StoredFrame:
        return import_frame((clip.source(frame),), self.folder / "store", decoder=decode_frame_here)

    def mean_of(self, clip: Clip, frame: int) -> float:
        """The mean of a frame's lower half, 0..1."""
        stored = self.decoded(clip, frame)
        return float(stored.planes(next(iter(stored.passes)))[:3, 24:].mean())

    def test_a_sequence_by_pattern_and_by_folder(self) -> None:
        folder = self.folder / "sky"
        folder.mkdir()
        for number in (7, 8, 10, 11):
            cv2.imwrite(str(folder / f"sky.{number:04d}.jpg"), np.full((8, 8, 3), 10 * number, np.uint8))
        for name in (str(folder / "sky.####.jpg"), str(folder / "sky.%04d.jpg"), str(folder)):
            with self.subTest(name=name):
                clip = open_clip(name)
                self.assertEqual((clip.frames, clip.missing, clip.frame_rate), ((7, 8, 10, 11), (9,), None))
                self.assertTrue(is_clip(name))
        self.assertFalse(is_clip(str(folder / "fog.####.jpg")))

    def test_which_frame_is_shown(self) -> None:
        clip = Clip("x", (7, 8, 10, 11), (Path("x"),) * 4)
        self.assertEqual([clip.frame_at(n) for n in (5, 7, 9, 10, 40)], [7, 7, 8, 10, 11])
        self.assertEqual([clip.frame_at(n, "loop") for n in (6, 12, 13, 14)], [11, 7, 8, 8])
        self.assertEqual([clip.frame_at(n, "none") for n in (6, 7, 12)], [None, 7, None])
        still = Clip("x", (0,), (Path("x"),))
        self.assertEqual([still.frame_at(n, "none") for n in (-3, 0, 99)], [0, 0, 0])

    def test_the_rate_of_a_header(self) -> None:
        for number in (1, 2):
            write_layers(
                self.folder / f"mist.{number:02d}.exr", {"": light(number)}, framesPerSecond=Fraction(30000, 1001)
            )
        clip = open_clip(str(self.folder / "mist.##.exr"))
        self.assertAlmostEqual(clip.frame_rate or 0, 29.97, places=2)

    def test_a_video_by_its_frame_numbers_in_any_order(self) -> None:
        clip = open_clip(str(write_video(self.folder / "grey.mkv")))
        self.assertEqual((len(clip.frames), clip.frame_rate, clip.is_video), (30, 25.0, True))
        for number in (0, 1, 2, 17, 4, 29, 28):
            self.assertAlmostEqual(self.mean_of(clip, number), (20 + 6 * number) / 255, delta=1e-4)
        stored = self.decoded(clip, 3)
        colour = next(iter(stored.passes.values()))
        self.assertTrue(colour.colour.encoded)
        np.testing.assert_allclose(stored.planes(colour.name)[:, 1, 1], (1, 0, 0), atol=1e-4)

    def test_a_video_of_predicted_frames_and_limited_range(self) -> None:
        path = write_video(self.folder / "grey.webm", codec="libvpx-vp9", pix_fmt="yuv420p", gop_size=12)
        clip = open_clip(str(path))
        for number in (5, 6, 20, 11):
            self.assertAlmostEqual(self.mean_of(clip, number), (20 + 6 * number) / 255, delta=2.5 / 255)

    def test_one_name_with_several_pictures_is_refused(self) -> None:
        folder = self.folder / "plates"
        folder.mkdir()
        for name in ("sky.01.png", "sky.02.png", "fog.01.png"):
            cv2.imwrite(str(folder / name), np.zeros((4, 4, 3), np.uint8))
        with self.assertRaisesRegex(BadSource, "holds several pictures or sequences .fog, sky."):
            open_clip(str(folder))

    def test_what_cannot_be_read_is_a_sentence(self) -> None:
        (self.folder / "broken.mp4").write_bytes(b"no video at all" * 40)
        (self.folder / "notes.txt").write_text("x")
        cut = write_video(self.folder / "cut.mkv")
        cut.write_bytes(cut.read_bytes()[:700])
        for name, words in (
            ("broken.mp4", "cannot be read as a video"),
            ("notes.txt", "not read as layers"),
            ("gone.####.png", "no file matches"),
            ("gone.png", "no such file"),
            ("cut.mkv", "cut.mkv"),
        ):
            with self.subTest(name=name), self.assertRaisesRegex(EscalaError, words):
                clip = open_clip(str(self.folder / name))
                self.decoded(clip, 20)

    def test_nothing_outside_the_roots(self) -> None:
        inside = self.folder / "inside"
        inside.mkdir()
        cv2.imwrite(str(self.folder / "sky.0001.png"), np.zeros((4, 4, 3), np.uint8))
        (inside / "sky.0001.png").symlink_to(self.folder / "sky.0001.png")
        roots = Roots((inside,))
        for name in (self.folder / "sky.####.png", self.folder / "sky.0001.png", inside / "sky.####.png"):
            with self.subTest(name=name), self.assertRaises(OutsideRoots):
                open_clip(str(name), roots)

    def test_odd_pictures_are_read(self) -> None:
        bits = np.zeros((16, 16), np.uint8)
        bits[4:, 4:] = 255
        cv2.imwrite(str(self.folder / "bits.png"), bits, [cv2.IMWRITE_PNG_BILEVEL, 1])
        stored = self.decoded(open_clip(str(self.folder / "bits.png")), 0)
        planes = stored.planes(next(iter(stored.passes)))
        self.assertEqual((float(planes[0, 0, 0]), float(planes[0, 9, 9])), (0.0, 1.0))

    def test_files_of_one_sequence_are_one_entry(self) -> None:
        names = ("sky.0001.png", "sky.0002.png", "fog.png", "a.0001.mp4", "one.0007.exr")
        found = group_clips([Path("/p") / name for name in names])
        self.assertEqual(
            found, [("/p/a.0001.mp4", 1), ("/p/fog.png", 1), ("/p/one.0007.exr", 1), ("/p/sky.####.png", 2)]
        )
