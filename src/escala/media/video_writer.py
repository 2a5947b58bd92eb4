"""Video out through PyAV: FFV1 without loss, VP9 and AV1 for viewing; each file whole or not at all."""

import itertools
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.colour.interop import Encoding
from escala.core.errors import BadSource, choose

from .atomic_write import write_atomically
from .optional_packages import video_package

# ITU-T H.273.
_RGB, _REC709, _REC2020, _UNSPECIFIED = 0, 1, 9, 2
_LIMITED, _FULL = 1, 2


@dataclass(frozen=True)
class _Codec:
    """A codec of a container. `formats`: of pixels, by bits. `worst`: its rate factor at quality 0; 0 is lossless."""

    container: str
    name: str
    formats: dict[int, str]
    options: dict[str, str]
    worst: int = 0

    @property
    def is_rgb(self) -> bool:
        return "gbr" in self.formats[10] or "bgr" in self.formats[8]

    @property
    def is_halved(self) -> bool:
        """Whether colour has half the resolution."""
        return "420" in self.formats[8]


CODECS = {
    ".mkv": _Codec("matroska", "ffv1", {8: "bgr0", 10: "gbrp10le"}, {"level": "3", "slicecrc": "1"}),
    ".webm": _Codec("webm", "libvpx-vp9", {8: "yuv444p", 10: "yuv444p10le"}, {"b": "0", "row-mt": "1"}, 63),
    ".mp4": _Codec("mp4", "libsvtav1", {8: "yuv420p", 10: "yuv420p10le"}, {"preset": "8"}, 63),
}


@dataclass(frozen=True)
class VideoOptions:
    """How a video is written: frames a second, bits a channel, quality 1..100, and the encoding of its colour."""

    rate: float
    bits: int = 8
    quality: int = 80
    encoding: Encoding | None = None


def write_video(path: Path, frames: Iterable[NDArray[Any]], options: VideoOptions) -> None:
    """Encode frames, each (H, W, 3) whole numbers of the bits of the video, red first, as they come.

    Raises `BadSource` for a size or depth that the codec cannot hold, and where there is no frame.
    """
    coming = iter(frames)
    first = next(coming, None)
    if first is None:
        raise BadSource(f"{path.name}: there is no frame to write")
    codec = choose("file extension", path.suffix.lower(), CODECS)
    _check(path, codec, first, options)
    write_atomically(path, lambda growing: _encode(growing, codec, itertools.chain([first], coming), first, options))


def exact_rate(rate: float) -> Fraction:
    """A frame rate as the fraction that it stands for: 23.976 is 24000/1001."""
    slowed = round(rate * 1.001)
    if abs(slowed / 1.001 - rate) < 5e-4 and abs(round(rate) - rate) > 5e-4:
        return Fraction(slowed * 1000, 1001)
    return Fraction(rate).limit_denominator(1000)


def _check(path: Path, codec: _Codec, first: NDArray[Any], options: VideoOptions) -> None:
    av = video_package()

    known = {found.name for found in av.Codec(codec.name, "w").video_formats or ()}
    height, width = first.shape[:2]
    if codec.formats[options.bits] not in known:
        raise BadSource(f"{path.name}: the installed encoder {codec.name} writes no {options.bits} bits: choose 8")
    if codec.is_halved and (width % 2 or height % 2):
        raise BadSource(f"{path.name}: AV1 needs an even width and height, not {width} × {height}: choose a size")


def _encode(
    path: Path, codec: _Codec, frames: Iterable[NDArray[Any]], first: NDArray[Any], options: VideoOptions
) -> None:
    av = video_package()

    with av.open(str(path), "w", format=codec.container) as file:
        stream = _new_stream(file, codec, first, options)
        for count, pixels in enumerate(frames):
            frame = _frame(np.ascontiguousarray(pixels), codec, options, stream.codec_context.colorspace)
            frame.pts, frame.time_base = count, 1 / stream.codec_context.framerate
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))


def _new_stream(file: Any, codec: _Codec, first: NDArray[Any], options: VideoOptions) -> Any:
    chosen = dict(codec.options)
    if codec.worst:
        chosen["crf"] = str(round(codec.worst * (1 - options.quality / 100)))
    stream = file.add_stream(codec.name, rate=exact_rate(options.rate), options=chosen)
    stream.height, stream.width = first.shape[:2]
    stream.pix_fmt = codec.formats[options.bits]
    encoding = options.encoding
    tags = (_UNSPECIFIED, _UNSPECIFIED) if encoding is None or encoding.cicp is None else encoding.cicp
    context = stream.codec_context
    context.color_primaries, context.color_trc = tags
    context.colorspace = _RGB if codec.is_rgb else _REC2020 if tags[0] == _REC2020 else _REC709
    context.color_range = _FULL if codec.is_rgb else _LIMITED
    return stream


def _frame(pixels: NDArray[Any], codec: _Codec, options: VideoOptions, matrix: int) -> Any:
    new = video_package().VideoFrame.from_ndarray

    target = codec.formats[options.bits]
    if codec.is_rgb and options.bits > 8:
        return new(pixels, format=target)
    if options.bits == 8:
        frame = new(pixels, format="rgb24")
    else:  # in the whole range of 16 bits
        frame = new((pixels.astype(np.uint32) * 65535 // 1023).astype(np.uint16), format="rgb48le")
    if codec.is_rgb:
        return frame.reformat(format=target)
    made = frame.reformat(format=target, dst_colorspace=matrix, dst_color_range="MPEG")
    made.color_range = _LIMITED
    return made
