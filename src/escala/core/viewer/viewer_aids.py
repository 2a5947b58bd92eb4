"""Aids for judging a picture on screen: brightness as bands of stops, one channel alone, marks where the screen ends.

They belong to the viewer and never reach a delivery.
"""

import colorsys

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..balance.levels import MIDDLE_GREY
from ..planes import Matte, Planes

Bytes = NDArray[np.uint8]

# Bands of one stop from so many below middle grey to so many above.
BELOW, ABOVE = 8, 8
_HATCH = 6
_SQUARE = 16
_HATCHED = np.array([243, 230, 194], np.float32)
# Negative channels up to this share of the largest one come from rounding and filtering.
_SLACK = np.float32(1e-3)
_LUMA = np.array([0.2126, 0.7152, 0.0722])


def stop_colours() -> Bytes:
    """The colour of each band, darkest first, (17, 3): ever lighter, from cold to warm, middle grey itself grey."""
    rows = []
    for stop in range(-BELOW, ABOVE + 1):
        share = (stop + BELOW) / (BELOW + ABOVE)
        pure = np.array(colorsys.hls_to_rgb(0.68 - 0.62 * share, 0.5, 0.0 if stop == 0 else 0.7))
        wanted, own = 0.03 + 0.92 * share, float(_LUMA @ pure)
        darker, lighter = pure * (wanted / own), pure + (1 - pure) * ((wanted - own) / (1 - own))
        rows.append(darker if wanted <= own else lighter)
    return np.rint(np.array(rows) * 255).astype(np.uint8)


def show_stops(planes: Planes, weights: ArrayLike) -> Bytes:
    """Scene-linear planes (3, H, W) as bands of stops around middle grey 0.18, by luminance; (H, W, 3)."""
    light = np.tensordot(np.asarray(weights, np.float32), np.nan_to_num(planes), axes=1)
    with np.errstate(divide="ignore"):
        stops = np.log2(np.maximum(light, 0.0) / np.float32(MIDDLE_GREY))
    bands = np.clip(np.rint(stops), -BELOW, ABOVE).astype(np.int64) + BELOW
    return stop_colours()[bands]


def outside_gamut(planes: Planes) -> NDArray[np.bool_]:
    """Where (H, W) a colour lies beyond the primaries of its space: a channel is negative by more than rounding."""
    largest = np.maximum(np.abs(planes).max(axis=0), np.float32(1e-4))
    return np.asarray(planes.min(axis=0) < -_SLACK * largest)


def show_outside(planes: Planes, weights: ArrayLike) -> Bytes:
    """The picture as a dim grey, and white where its colours lie beyond the primaries of its space; (H, W, 3)."""
    light = np.tensordot(np.asarray(weights, np.float32), np.nan_to_num(planes), axes=1)
    grey = np.clip(np.maximum(light, 0) ** (1 / 2.4), 0, 1) * 96
    shown = np.where(outside_gamut(np.nan_to_num(planes)), 255, grey)
    return np.repeat(np.rint(shown).astype(np.uint8)[..., None], 3, axis=2)


def show_matte(matte: Matte) -> Bytes:
    """A matte (H, W) alone, as grey: white where it covers; (H, W, 3)."""
    return np.repeat(np.rint(np.clip(matte, 0, 1) * 255).astype(np.uint8)[..., None], 3, axis=2)


def hatch_matte(pixels: Bytes, matte: Matte) -> Bytes:
    """Display bytes (H, W, 3) with slanted lines over what a matte (H, W) covers, as strong as it does."""
    y, x = np.ogrid[: matte.shape[0], : matte.shape[1]]
    share = np.where((x + y) % _HATCH < 2, np.clip(matte, 0, 1) * np.float32(0.75), np.float32(0.0))[..., None]
    return np.asarray(np.rint(pixels + share * (_HATCHED - pixels.astype(np.float32))), np.uint8)


def brighter_than(planes: Planes, stops: float) -> Matte:
    """1 where the largest channel (3, H, W) is brighter than so many stops over middle grey, else 0."""
    return np.asarray(planes.max(axis=0) > np.float32(MIDDLE_GREY * 2.0**stops), np.float32)


def lay_over(planes: Planes, alpha: NDArray[np.float32], behind: Planes) -> Planes:
    """Associated colour (3, H, W) over what lies behind it, by its coverage (H, W)."""
    return np.asarray(planes + (np.float32(1.0) - np.clip(alpha, 0, 1)) * behind, np.float32)


def checker(height: int, width: int) -> Planes:
    """A board of squares in two greys, as scene-linear light; (3, height, width)."""
    y, x = np.indices((height, width)) // _SQUARE
    return grey_of(np.where((x + y) % 2 == 0, np.float32(0.12), np.float32(0.3)))


def show_channel(shown: Planes, channel: str) -> Planes:
    """One display channel (red, green, blue) as grey, (3, H, W); any other name leaves all as they are."""
    index = {"red": 0, "green": 1, "blue": 2}.get(channel)
    return shown if index is None else np.repeat(shown[index : index + 1], 3, axis=0)


def grey_of(plane: NDArray[np.float32]) -> Planes:
    """A plane (H, W) for all three channels."""
    return np.repeat(np.asarray(plane, np.float32)[None], 3, axis=0)


def mark_ends(pixels: Bytes, shown: Planes) -> Bytes:
    """Hatch what the screen cannot show: stripes where a channel is at 1 or above, dots where all are at 0 or below.

    `shown` are the display values (3, H, W) before they were cut.
    """
    above, below = (shown >= 1.0).any(axis=0), (shown <= 0.0).all(axis=0)
    y, x = np.indices(above.shape)
    stripe = ((x + y) // (_HATCH // 2)) % 2 == 0
    dot = (x % _HATCH < 2) & (y % _HATCH < 2)
    marked = pixels.copy()
    marked[above & stripe] = 0
    marked[above & ~stripe] = 255
    marked[below & dot] = 160
    return marked


def apply_gamma(shown: Planes, gamma: float) -> Planes:
    """Display values with the viewer's gamma, above 1 lighter; below 0 nothing changes."""
    if gamma == 1.0:
        return shown
    return np.where(shown > 0, np.power(np.maximum(shown, 0), np.float32(1.0 / gamma)), shown).astype(np.float32)
