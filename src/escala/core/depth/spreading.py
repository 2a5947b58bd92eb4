"""A picture as surfels, spread, and a picture again: what defocus and motion blur have in common."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..planes import Matte, Planes
from .behind import add_hidden
from .blocks import merge_blocks
from .footprints import BLOCKS, Footprints
from .layers import CHANNELS, GONE, STAYS, WEIGHT, Surfels, spread_footprints

# Margins are multiples of the largest block, so that blocks begin where they would in the whole picture.
_GRID = 1 << BLOCKS
# Codes of footprints lie below this.
_MOST_CODES = 1 << 22


def spread_picture(
    planes: Planes,
    alpha: Planes | None,
    slices: NDArray[np.int16],
    codes: NDArray[np.int32],
    spread: NDArray[np.float32],
    footprints: Callable[[NDArray[np.int32]], Footprints],
    origin: tuple[int, int] = (0, 0),
    still: int = 0,
    in_blocks: bool = False,
) -> tuple[Planes, Matte | None]:
    """Colour (3, H, W) and alpha with every pixel spread by the footprint of its code; edge pixels are carried on.

    `slices`: by depth, from near to far; `spread`: how far each pixel goes; `origin`: column and row of the first
    pixel in the whole picture; `still`: the code of what is not spread. What is no number stays where it is.
    """
    margin = -(-(int(np.ceil(spread.max())) + 2) // _GRID) * _GRID
    left, top = (margin + start % _GRID for start in origin)
    sides = ((top, margin), (left, margin))

    def widened(values: NDArray[np.generic]) -> NDArray[np.generic]:
        return np.pad(values, sides, mode="edge")

    height, width = slices.shape
    light = np.zeros((2, height + top + margin, width + left + margin, CHANNELS), np.float32)
    for k, plane in enumerate(planes):
        light[0, :, :, k] = widened(plane)
    light[0, :, :, 3] = 1.0 if alpha is None else widened(alpha)
    light[0, :, :, WEIGHT] = 1.0
    depths = np.zeros(light.shape[:3], np.int16)
    prints = np.full(light.shape[:3], GONE, np.int32)
    depths[0], prints[0] = widened(slices), widened(codes)
    prints[0][~np.isfinite(light[0]).all(axis=2)] = STAYS
    surfels = Surfels(light, depths, prints)
    add_hidden(surfels, np.asarray(widened(spread), np.float32), still)
    if in_blocks:
        merge_blocks(surfels)
    out = spread_footprints(surfels, footprints(_numbered(prints)))
    out = out[:, top : top + height, left : left + width]
    return np.ascontiguousarray(out[:3]), None if alpha is None else np.ascontiguousarray(out[3])


def _numbered(prints: NDArray[np.int32]) -> NDArray[np.int32]:
    """Codes become numbers of footprints, in place; which codes they were, in order."""
    there = np.zeros(_MOST_CODES, bool)
    there[np.maximum(prints, 0)] = True
    codes = np.flatnonzero(there)
    number = np.zeros(_MOST_CODES, np.int32)
    number[codes] = np.arange(codes.size)
    prints[:] = np.where(prints < 0, prints, number[np.maximum(prints, 0)])
    return codes.astype(np.int32)
