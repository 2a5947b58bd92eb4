"""OpenEXR in and out, by the format's own library. Reading is meant for a child process: native code may fall."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from math import isfinite
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from numpy.typing import NDArray

from escala.core.errors import NoRoom, TooLarge, UnreadableFile

from .atomic_write import write_atomically
from .limits import check_bytes, check_claim, check_memory
from .path_safety import is_file
from .windows import Window, exr_box

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
    if not is_file(path):
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
    try:
        parts = [_part(path, header) for header in headers]
    except (UnicodeDecodeError, TypeError, KeyError, OverflowError) as error:
        raise UnreadableFile(path, f"the header cannot be read: {_sentence(error)}") from error
    claimed = sum(part.data.width * part.data.height * 4 * len(part.channels) for part in parts)
    check_bytes(path, claimed)
    size = path.stat().st_size
    if claimed > max(_TRUSTED_BYTES, _MOST_SHRINKING * size):
        raise TooLarge(path, f"the header claims {claimed >> 20} MiB of pixels, but the file has only {size} bytes")
    return parts


def read_channels(path: Path, parts: Sequence[ExrPart]) -> list[dict[str, NDArray[Any]]]:
    """All pixels: for each part, planes by channel name, each (H, W) of its data window, in the stored type."""
    check_memory(path, sum(4 * part.data.width * part.data.height * len(part.channels) for part in parts))
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
    compression: str = "zip",
) -> None:
    """Write one part of scanlines, whole or not at all.

    `channels`: full names to (H, W) planes, each half, float or 32-bit unsigned. `compression`: its name in the format.
    """
    header = {
        **(attributes or {}),
        "compression": getattr(OpenEXR, f"{'NO' if compression == 'none' else compression.upper()}_COMPRESSION"),
        "type": OpenEXR.scanlineimage,
        "dataWindow": exr_box(data),
        "displayWindow": exr_box(display),
    }
    planes = {name: np.ascontiguousarray(plane) for name, plane in channels.items()}
    write_exr_file(path, OpenEXR.File(header, planes))


def write_exr_file(path: Path, file: OpenEXR.File) -> None:
    """Write a file of the format's library, whole or not at all; `NoRoom` where the disk is full."""

    def write(unfinished: Path) -> None:
        file.write(str(unfinished))
        try:
            check_end(unfinished)
        except UnreadableFile as error:
            raise NoRoom(path) from error

    write_atomically(path, write)


def check_end(path: Path) -> None:
    """Raises `NoRoom` where the last rows of any part are not there: the library does not tell of a failed close."""
    read_parts(path)
    source = oiio.ImageInput.open(str(path))
    if source is None:  # sub-sampled channels: what the other library does not read has at least its header
        oiio.geterror()
        return
    try:
        index = 0
        while source.seek_subimage(index, 0):
            spec = source.spec()
            bottom = spec.y + spec.height
            if source.read_scanlines(bottom - 1, bottom, 0, 0, 1, oiio.FLOAT) is None:
                source.geterror()
                raise NoRoom(path.name)
            index += 1
    finally:
        source.close()


def writable_attributes(attributes: Mapping[str, Any]) -> dict[str, Any]:
    """The attributes that can be written back: plain numbers, strings and vectors of them."""
    kept = (str, int, float, Fraction, np.ndarray, tuple, list, bytes)
    return {name: value for name, value in attributes.items() if isinstance(value, kept)}


def _part(path: Path, header: Mapping[str, Any]) -> ExrPart:
    if header.get("type") in _DEEP:
        raise UnreadableFile(path, "it holds deep data, which is not supported; flatten it first")
    channels = header.get("channels", [])
    data, display = _window(header["dataWindow"]), _window(header["displayWindow"])
    for window in (data, display):
        check_claim(path, window.width, window.height, len(channels))
    return ExrPart(
        name=str(header.get("name", "")),
        channels=tuple(channel.name for channel in channels),
        sampling=tuple((channel.xSampling, channel.ySampling) for channel in channels),
        data=data,
        display=display,
        pixel_aspect=_aspect(header.get("pixelAspectRatio", 1.0)),
        chromaticities=_numbers(header.get("chromaticities")),
        attributes={name: value for name, value in header.items() if name not in _STRUCTURE},
    )


def _window(box: Any) -> Window:
    (left, top), (right, bottom) = box
    return Window(int(left), int(top), int(right) - int(left) + 1, int(bottom) - int(top) + 1)


def _numbers(value: Any) -> tuple[float, ...] | None:
    """Plain numbers; none where any of them is not finite, for such say nothing."""
    numbers = () if value is None else tuple(float(number) for number in np.ravel(value))
    return numbers if numbers and all(map(isfinite, numbers)) else None


def _aspect(value: Any) -> float:
    """The shape of a pixel; square where the header holds what no pixel can have."""
    ratio = float(value)
    return ratio if isfinite(ratio) and 0.01 <= ratio <= 100 else 1.0


def _sentence(error: Exception) -> str:
    return " ".join(str(error).split())[:200]
