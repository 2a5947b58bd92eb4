"""A picture as surfels, spread, and a picture again: what defocus and motion blur have in common."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_planes
from ..progress import ProgressCallback, no_progress
from .blocks import AROUND, merge_blocks
from .footprints import BLOCKS, Footprints
from .layers import ALPHA, CHANNELS, GONE, STAYS, WEIGHT, Box, Surfels, spread_footprints
from .occlusion import fill_occluded

# Margins reach to multiples of this: what blocks are chosen by lies where it does in the whole picture, and is whole.
_GRID = AROUND << (BLOCKS - 1)
# How much is done when pixels are laid out, and when they are ready to be spread.
_LAID_OUT, _PREPARED = 0.05, 0.2


def spread_picture(
    planes: Planes,
    alpha: Planes | None,
    slices: NDArray[np.int16],
    codes: NDArray[np.int32],
    spread: NDArray[np.float32],
    footprints: Callable[[NDArray[np.int32], ProgressCallback], Footprints],
    origin: tuple[int, int] = (0, 0),
    still: int = 0,
    blocks: float = 0.0,
    most_codes: int = 1 << 22,
    report_progress: ProgressCallback = no_progress,
) -> tuple[Planes, Matte | None]:
    """Colour (3, H, W) and alpha with every pixel spread by the footprint of its code; edge pixels are carried on.

    `slices`: by depth, from near to far; `spread`: how far each pixel goes; `origin`: column and row of the first
    pixel in the whole picture; `still`: the code of what is not spread. What is no number stays where it is.
    `footprints`: of codes, reporting its progress; `blocks`: as `merge_blocks`, 0 for none; `most_codes`: codes lie
    below it; `report_progress`: as `spread_footprints`.
    """
    height, width = slices.shape
    margin = int(np.ceil(spread.max())) + 2
    left, top = (margin + (start - margin) % _GRID for start in origin)
    right, bottom = (
        margin - (start + size + margin) % -_GRID for start, size in zip(origin, (width, height), strict=True)
    )
    shape = 2, height + top + bottom, width + left + right
    surfels = Surfels(np.empty((*shape, CHANNELS), np.float32), np.empty(shape, np.int16), np.empty(shape, np.int32))
    reached = np.empty(shape[1:], np.float32)
    cover = np.ones((1, 1), np.float32) if alpha is None else as_planes(alpha)
    _lay_out(planes, cover, slices, codes, spread, top, left, surfels.light, surfels.slice, surfels.footprint, reached)
    report_progress(_LAID_OUT)
    fill_occluded(surfels, reached, still)
    if blocks:
        merge_blocks(surfels, blocks)
    preparing, rest = _PREPARED - _LAID_OUT, 1 - _PREPARED
    codes = _numbered(surfels.footprint, most_codes)
    prints = footprints(codes, lambda share: report_progress(_LAID_OUT + share * preparing))
    inside = Box(top, left, height, width)
    out = spread_footprints(
        surfels, prints, inside, alpha is not None, lambda share: report_progress(_PREPARED + share * rest)
    )
    return out[:3], None if alpha is None else out[3]


@kernel
def _lay_out(planes, alpha, slices, codes, spread, top, left, light, depths, prints, reached):  # type: ignore[no-untyped-def]
    """The first layer of surfels, with a margin in which edge pixels are carried on; one alpha is everywhere."""
    height, width = slices.shape
    is_even = alpha.size == 1 and slices.size != 1
    for row in prange(light.shape[1]):
        y = min(max(np.int64(row) - top, 0), height - 1)
        for column in range(light.shape[2]):
            x = min(max(column - left, 0), width - 1)
            red, green, blue = planes[0, y, x], planes[1, y, x], planes[2, y, x]
            cover = alpha[0, 0] if is_even else alpha[y, x]
            light[0, row, column, 0], light[0, row, column, 1] = red, green
            light[0, row, column, 2], light[0, row, column, ALPHA] = blue, cover
            light[0, row, column, WEIGHT] = 1.0
            depths[0, row, column] = slices[y, x]
            prints[0, row, column] = codes[y, x] if np.isfinite(red + green + blue + cover) else STAYS
            prints[1, row, column] = GONE
            reached[row, column] = spread[y, x]


def _numbered(prints: NDArray[np.int32], most_codes: int) -> NDArray[np.int32]:
    """Codes become numbers of footprints, in place; which codes they were, in order."""
    there = np.zeros(most_codes, np.uint8)
    _mark(prints.reshape(-1), there)
    codes = _places_of(there)
    number = np.zeros(most_codes, np.int32)
    number[codes] = np.arange(codes.size)
    _number(prints.reshape(-1), number)
    return codes.astype(np.int32)


def _places_of(there: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Where a table is not 0, looked for eight entries at a time: few of many are."""
    first = np.flatnonzero(there.view(np.uint64)) * 8
    places = (first[:, None] + np.arange(8)).reshape(-1)
    return np.asarray(places[there[places] != 0])


_CHUNK = 1 << 14


@kernel
def _mark(prints, there):  # type: ignore[no-untyped-def]
    for job in prange((prints.size + _CHUNK - 1) // _CHUNK):
        for i in range(job * _CHUNK, min(prints.size, (job + 1) * _CHUNK)):
            if prints[i] >= 0 and there[prints[i]] == 0:
                there[prints[i]] = 1


@kernel
def _number(prints, number):  # type: ignore[no-untyped-def]
    for job in prange((prints.size + _CHUNK - 1) // _CHUNK):
        for i in range(job * _CHUNK, min(prints.size, (job + 1) * _CHUNK)):
            if prints[i] >= 0:
                prints[i] = number[prints[i]]
