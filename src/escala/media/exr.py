"""OpenEXR in and out, by the format's own library. Reading is meant for a child process: native code may fall."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from escala.core.errors import TooLarge, UnreadableFile

from .whole import write_whole
from .windows import Window, exr_box

MAX_CHANNELS = 1024
MAX_SIDE = 65536
MAX_BYTES = 12 * 2**30

_DEEP = (OpenEXR.deepscanline, OpenEXR.deeptile)
_STRUCTURE = {
    "channels", "compression", "dataWindow", "displayWindow", "lineOrder", "pixelAspectRatio", "screenWindowCenter",
    "screenWindowWidth", "type", "tiles", "name", "chunkCount", "version", "chromaticities", "multiView", "view",
}  # fmt: skip
# No compression of the format shrinks pixels further than this; a header that claims more is not to be believed.
_MOST_SHRINKING = 4000
_TRUSTED_BYTES = 64 * 2**20


@dataclass(frozen=True)
class ExrPart:
    """One part's header, in plain values."""

    name: str
    channels: tuple[str, ...]
    sampling: tuple[tuple[int, int], ...]
    data: Window
    display: Window
    pixel_aspect: float
    chromaticities: tuple[float, ...] | None
    attributes: Mapping[str, Any] = field(default_factory=dict)


def read_parts(path: Path) -> list[ExrPart]:
    """The headers of a file, checked: raises `UnreadableFile` or `TooLarge` before memory is taken."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    with path.open("rb") as file:
        if file.read(4) != b"\x76\x2f\x31\x01":
            raise UnreadableFile(path, "not an OpenEXR file")
    try:
        headers = [part.header for part in OpenEXR.File(str(path), header_only=True).parts]
    except Exception as error:  # the binding raises bare RuntimeError, ValueError and TypeError alike
        raise UnreadableFile(path, f"the header cannot be read: {_sentence(error)}") from error
    if not headers:
        raise UnreadableFile(path, "the header cannot be read: it is damaged or cut short")
    parts = [_part(path, header) for header in headers]
    claimed = sum(part.data.width * part.data.height * 4 * len(part.channels) for part in parts)
    if claimed > MAX_BYTES:
        raise TooLarge(path, f"the header claims {claimed / 2**30:.0f} GiB of pixels; {MAX_BYTES >> 30} are the most")
    size = path.stat().st_size
    if claimed > max(_TRUSTED_BYTES, _MOST_SHRINKING * size):
        raise TooLarge(path, f"the header claims {claimed >> 20} MiB of pixels, but the file has only {size} bytes")
    return parts


def read_channels(path: Path, parts: Sequence[ExrPart]) -> list[dict[str, NDArray[Any]]]:
    """All pixels: for each part, planes by channel name, each (H, W) of its data window, in the stored type."""
    try:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            decoded = [{name: channel.pixels for name, channel in part.channels.items()} for part in file.parts]
    except Exception as error:  # as above
        raise UnreadableFile(path, f"the pixels cannot be read: {_sentence(error)}") from error
    for index, part in enumerate(parts):
        planes = decoded[index] if index < len(decoded) else {}
        for name, sampling in zip(part.channels, part.sampling, strict=True):
            shape = (-(-part.data.height // sampling[1]), -(-part.data.width // sampling[0]))
            if name not in planes or planes[name].shape != shape:
                raise UnreadableFile(path, "the pixels cannot be read: the file is damaged or cut short")
    return decoded


def write_exr(
    path: Path,
    channels: Mapping[str, NDArray[Any]],
    data: Window,
    display: Window,
    attributes: Mapping[str, Any] | None = None,
    compression: Any = OpenEXR.ZIP_COMPRESSION,
) -> None:
    """Write one part of scanlines, whole or not at all. `channels`: full names to (H, W) planes, half or float."""
    header = {
        **(attributes or {}),
        "compression": compression,
        "type": OpenEXR.scanlineimage,
        "dataWindow": exr_box(data),
        "displayWindow": exr_box(display),
    }
    planes = {name: np.ascontiguousarray(plane) for name, plane in channels.items()}
    write_whole(path, lambda unfinished: OpenEXR.File(header, planes).write(str(unfinished)))


def writable_attributes(attributes: Mapping[str, Any]) -> dict[str, Any]:
    """The attributes that can be written back: plain numbers, strings and vectors of them."""
    kept = (str, int, float, Fraction, np.ndarray, tuple, list, bytes)
    return {name: value for name, value in attributes.items() if isinstance(value, kept)}


def _part(path: Path, header: Mapping[str, Any]) -> ExrPart:
    if header.get("type") in _DEEP:
        raise UnreadableFile(path, "it holds deep data; flatten it first, Escala reads flat pictures")
    channels = header.get("channels", [])
    if not channels or len(channels) > MAX_CHANNELS:
        raise TooLarge(path, f"the header claims {len(channels)} channels; 1 to {MAX_CHANNELS} are read")
    data, display = _window(header["dataWindow"]), _window(header["displayWindow"])
    for window in (data, display):
        if not (0 < window.width <= MAX_SIDE and 0 < window.height <= MAX_SIDE):
            raise TooLarge(path, f"the header claims a picture of {window}; {MAX_SIDE} pixels a side are the most")
    return ExrPart(
        name=str(header.get("name", "")),
        channels=tuple(channel.name for channel in channels),
        sampling=tuple((channel.xSampling, channel.ySampling) for channel in channels),
        data=data,
        display=display,
        pixel_aspect=float(header.get("pixelAspectRatio", 1.0)),
        chromaticities=_numbers(header.get("chromaticities")),
        attributes={name: value for name, value in header.items() if name not in _STRUCTURE},
    )


def _window(box: Any) -> Window:
    (left, top), (right, bottom) = box
    return Window(int(left), int(top), int(right) - int(left) + 1, int(bottom) - int(top) + 1)


def _numbers(value: Any) -> tuple[float, ...] | None:
    return None if value is None else tuple(float(number) for number in np.ravel(value))


def _sentence(error: Exception) -> str:
    return " ".join(str(error).split())[:200]
