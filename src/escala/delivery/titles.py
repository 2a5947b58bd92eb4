"""Titles of a break-down, in the type of the interface, in a strip beneath each image."""

import re
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

_FONT = "atkinson-hyperlegible-next-latin-400-normal.woff"
# Of the height of an image: its strip; of the strip: the size of its type. Both even, as video wants them.
_STRIP_SHARE, _TYPE_SHARE = 1 / 14, 0.5
_LEAST_STRIP = 24
_GREY, _WHITE = 0.13, 0.93


def titled(pixels: NDArray[Any], label: str) -> NDArray[Any]:
    """An image, (H, W, 3) whole numbers, with the title of a step (`NN_name`) beneath."""
    return np.concatenate([pixels, title_strip(label, pixels.shape[1], strip_height(pixels.shape[0]), pixels.dtype)])


def strip_height(height: int) -> int:
    """The height of the strip beneath an image."""
    return max(_LEAST_STRIP, 2 * round(height * _STRIP_SHARE / 2))


def title_strip(label: str, width: int, height: int, kind: Any) -> NDArray[Any]:
    """A strip with a title, (height, width, 3); of the ten bits of a video where `kind` is of 16 bits."""
    top = 255 if np.dtype(kind) == np.uint8 else 1023
    canvas = oiio.ImageBuf(oiio.ImageSpec(width, height, 3, oiio.FLOAT))
    oiio.ImageBufAlgo.fill(canvas, (_GREY,) * 3)
    size = int(height * _TYPE_SHARE)
    words = title_of(label)
    room = max(1, int(width * 2 / max(1, size)))
    words = words if len(words) <= room else f"{words[: max(1, room - 1)]}…"
    oiio.ImageBufAlgo.render_text(canvas, size // 2, int(height * 0.68), words, size, str(_font()), (_WHITE,) * 3)
    return np.rint(np.clip(canvas.get_pixels(oiio.FLOAT), 0, 1) * top).astype(kind)


def title_of(label: str) -> str:
    """The title of a step: its place, and its name with spaces."""
    place, _, name = label.partition("_")
    return f"{int(place)}  {re.sub(r'[_.]+', ' ', name)}" if place.isdecimal() else label


@cache
def _font() -> Path:
    return Path(__file__).parent / "type" / _FONT
