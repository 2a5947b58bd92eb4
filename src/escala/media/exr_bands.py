"""Plain scanline parts of OpenEXR read band by band, all channels of a band at once: the fast way for large files.

What this way cannot read (tiles, sub-sampled channels, integers) is left to `exr.read_channels`.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from escala.core.errors import UnreadableFile

from .exr import ExrPart
from .windows import Window

_ROWS = 64
# This compression packs 256 rows together: fewer rows at once would unpack them again and again.
_ROWS_BY_COMPRESSION = {"dwab": 256}
_TYPES = {"half": "half", "float": "float"}


@dataclass(frozen=True)
class BandPart:
    """A part that can be read in bands: which subimage it is, name and pixel type of its channels, rows of a band."""

    subimage: int
    channels: tuple[str, ...]
    pixel_types: tuple[str, ...]
    band_rows: int


def band_parts(path: Path, parts: Sequence[ExrPart]) -> list[BandPart] | None:
    """How each part can be read in bands; None when any of them cannot."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        oiio.geterror()
        return None
    try:
        found = []
        for index, part in enumerate(parts):
            if not source.seek_subimage(index, 0):
                return None
            spec = source.spec()
            names, formats = tuple(spec.channelnames), spec.channelformats or (spec.format,) * spec.nchannels
            types = tuple(_TYPES.get(str(kind), "") for kind in formats)
            if spec.tile_width or set(names) != set(part.channels) or len(names) != len(part.channels) or "" in types:
                return None
            if Window(spec.x, spec.y, spec.width, spec.height) != part.data:
                return None
            rows = _ROWS_BY_COMPRESSION.get(spec.get_string_attribute("compression"), _ROWS)
            found.append(BandPart(index, names, types, rows))
        return found
    finally:
        source.close()


class BandReader:
    """Reads rows of one part, all channels together: half where every channel is half, else float."""

    def __init__(self, path: Path, part: BandPart) -> None:
        self._path = path
        self._source = oiio.ImageInput.open(str(path))
        if self._source is None or not self._source.seek_subimage(part.subimage, 0):
            raise UnreadableFile(path, f"the pixels cannot be read: {_plain(oiio.geterror())}")
        self.channel_count = len(part.channels)
        self.dtype = np.float16 if set(part.pixel_types) == {"half"} else np.float32

    def __enter__(self) -> "BandReader":
        return self

    def __exit__(self, *_: object) -> None:
        self._source.close()

    def read(self, top: int, bottom: int) -> NDArray[Any]:
        """Rows `top` up to `bottom` (absolute), (rows, W, channels); raises `UnreadableFile` for damaged pixels."""
        kind = oiio.HALF if self.dtype == np.float16 else oiio.FLOAT
        pixels = self._source.read_scanlines(top, bottom, 0, 0, self.channel_count, kind)
        if pixels is None:
            raise UnreadableFile(self._path, f"the pixels cannot be read: {_plain(self._source.geterror())}")
        return np.ascontiguousarray(pixels).reshape(bottom - top, -1, self.channel_count)


def _plain(message: str) -> str:
    return " ".join(message.split())[:200] or "the file is cut short"
