"""Video in: single frames by their number, and what a file says of itself. Runs in the decoder child."""

from collections import OrderedDict
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import UnreadableFile

from .exr import check_claim
from .optional_packages import video_package
from .path_safety import is_file

VIDEO_SUFFIXES = (".mp4", ".mov", ".mkv", ".webm", ".avi", ".m4v", ".mxf", ".ogv")
# Files that stay open, each where its last frame was decoded.
_MOST_OPEN = 4
# A frame that lies so far ahead of the last is decoded up to, a farther one is sought.
_NEAR = 48
_LARGEST = 65535
# Colour primaries and transfers (ITU-T H.273) that are not those of an sRGB display.
_TRANSFERS = {16: "PQ (SMPTE ST 2084)", 18: "HLG (ARIB STD-B67)"}
_PRIMARIES = {9: "Rec.2020", 11: "DCI-P3", 12: "Display P3"}


@dataclass(frozen=True)
class VideoHeader:
    """What a video file says of itself. `told`: colour that is not that of an sRGB display, in words."""

    frames: int
    frame_rate: float
    width: int
    height: int
    pixel_aspect: float = 1.0
    told: str | None = None


class _Video:
    """An open file, decoded one frame after another."""

    def __init__(self, path: Path) -> None:
        av = video_package()

        if not is_file(path):
            raise UnreadableFile(path, "no such file")
        self._path = path
        try:
            self._file: Any = av.open(str(path))
            if not self._file.streams.video:
                raise UnreadableFile(path, "it holds no video")
        except (OSError, ValueError) as error:
            if isinstance(error, UnreadableFile):
                raise
            raise UnreadableFile(path, f"it cannot be read as a video: {_plain(error)}") from error
        self._stream: Any = self._file.streams.video[0]
        self._stream.thread_type = "AUTO"
        check_claim(path, self._stream.width, self._stream.height, 3)
        rate = self._stream.average_rate or self._stream.guessed_rate or 24
        self._rate = float(rate)
        self._start = (self._stream.start_time or 0) * self._stream.time_base
        self._is_begun = False
        self._coming: Iterator[Any] = iter(())
        # The last frame decoded, by its number, and the one after it.
        self._held: tuple[int, Any] | None = None
        self._next: tuple[int, Any] | None = None

    @cached_property
    def header(self) -> VideoHeader:
        """What the file says; the first frame is decoded for it."""
        first = self.frame(0)
        turned = _quarter_turns(first) % 2
        width, height = (first.height, first.width) if turned else (first.width, first.height)
        aspect = float(self._stream.sample_aspect_ratio or 1) or 1.0
        told = (_PRIMARIES.get(int(first.color_primaries)), _TRANSFERS.get(int(first.color_trc)))
        words = " ".join(word for word in told if word)
        return VideoHeader(self._count(), self._rate, width, height, 1 / aspect if turned else aspect, words or None)

    def _count(self) -> int:
        if self._stream.frames:
            return int(self._stream.frames)
        if self._stream.duration:
            return max(1, round(float(self._stream.duration * self._stream.time_base) * self._rate))
        return max(1, round((self._file.duration or 0) / 1e6 * self._rate))

    def frame(self, number: int) -> Any:
        """The frame that is shown at a number: the last that begins by then. Raises `UnreadableFile` beyond the end."""
        held = self._held
        if held is None or not held[0] <= number <= held[0] + _NEAR:
            self._seek(number)
        while self._next is not None and self._next[0] <= number:
            self._held, self._next = self._next, self._decode()
        if self._held is None:
            raise UnreadableFile(self._path, f"it has no frame {number}")
        return self._held[1]

    def _seek(self, number: int) -> None:
        self._held = None
        if number > 0 or self._is_begun:
            target = self._start + number / self._rate
            with suppress(OSError):
                self._file.seek(int(target / self._stream.time_base), stream=self._stream, backward=True)
            self._stream.codec_context.flush_buffers()
        self._is_begun = True
        self._coming = self._file.decode(self._stream)
        self._next = self._decode()
        if self._next is not None and self._next[0] > number:
            # The file cannot be sought: from the beginning.
            with suppress(OSError):
                self._file.seek(0)
            self._stream.codec_context.flush_buffers()
            self._coming = self._file.decode(self._stream)
            self._next = self._decode()
            if self._next is not None and self._next[0] > number:
                self._held = self._next

    def _decode(self) -> tuple[int, Any] | None:
        try:
            found = next(self._coming, None)
        except (OSError, ValueError, EOFError) as error:
            raise UnreadableFile(self._path, f"its frames cannot be decoded: {_plain(error)}") from error
        if found is None:
            return None
        time = float(found.pts * found.time_base - self._start) if found.pts is not None else 0.0
        return round(time * self._rate), found

    def close(self) -> None:
        """Close the file."""
        self._file.close()


_OPEN: OrderedDict[tuple[str, int], _Video] = OrderedDict()


def _opened(path: Path) -> _Video:
    key = str(path), path.stat().st_mtime_ns if path.exists() else 0
    if key not in _OPEN:
        _OPEN[key] = _Video(path)
        while len(_OPEN) > _MOST_OPEN:
            _OPEN.popitem(last=False)[1].close()
    _OPEN.move_to_end(key)
    return _OPEN[key]


def read_video_header(path: Path) -> VideoHeader:
    """What a video file says of itself. Raises `UnreadableFile`."""
    return _opened(path).header


def read_video_frame(path: Path, number: int) -> list[NDArray[np.float32]]:
    """Red, green and blue of a frame as encoded, each (H, W), 0..1, upright as the file says. Raises `UnreadableFile`.

    Luma and chroma are converted by the file's own matrix and range; untagged files are Rec.709, small ones Rec.601.
    """
    frame = _opened(path).frame(number)
    matrix = "ITU709" if frame.height >= 720 else "ITU601"
    known = {1: "ITU709", 5: "ITU601", 6: "SMPTE170M", 7: "SMPTE240M"}
    found = known.get(int(frame.colorspace), matrix)
    if frame.format.is_rgb and frame.format.components[0].bits == 8:
        # The library rounds on the way to more bits.
        pixels, largest = frame.reformat(format="rgb24").to_ndarray(), 255
    else:
        wide = frame.reformat(format="rgb48le", src_colorspace=found, dst_color_range="JPEG")
        pixels, largest = wide.to_ndarray(), _LARGEST
    scaled = np.rot90(pixels, _quarter_turns(frame)).astype(np.float32) / np.float32(largest)
    return [np.ascontiguousarray(scaled[..., channel]) for channel in range(3)]


def _quarter_turns(frame: Any) -> int:
    """How often a frame is turned counter-clockwise by 90 degrees to be upright."""
    return round(getattr(frame, "rotation", 0) / 90) % 4


def _plain(error: Exception) -> str:
    return " ".join(str(getattr(error, "strerror", None) or error).split())[:160]
