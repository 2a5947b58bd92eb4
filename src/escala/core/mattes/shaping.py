"""What is done to a finished matte: grown, shrunk, softened, times a gain, turned round, put together with others."""

from collections.abc import Callable, Sequence
from functools import reduce

import numpy as np

from ..errors import choose
from ..gaussian import gaussian, reach_of_gaussian
from ..planes import Matte, as_planes

# Rows that are grown at once: the tables of a block stay small, and in the cache.
_BLOCK_ROWS = 64


def grow(matte: Matte, radius_px: float) -> Matte:
    """The maximum over all pixel centres within `radius_px`; the minimum where that is negative. (H, W).

    Outside the frame nothing is looked at, which is as if its edge pixels were carried on. Radii below 1 change
    nothing: no other centre is that near.
    """
    plane = as_planes(matte)
    if abs(radius_px) < 1:
        return plane
    if radius_px < 0:
        return np.asarray(-grow(-plane, -radius_px), np.float32)
    reach = int(radius_px)
    chords = [int(np.sqrt(max(0.0, radius_px**2 - dy**2))) for dy in range(reach + 1)]
    out = np.empty_like(plane)
    for top in range(0, plane.shape[0], _BLOCK_ROWS):
        bottom = min(plane.shape[0], top + _BLOCK_ROWS)
        first, last = max(0, top - reach), min(plane.shape[0], bottom + reach)
        out[top:bottom] = _grown_rows(plane[first:last], top - first, bottom - top, chords)
    return out


def _grown_rows(rows: Matte, skip: int, count: int, chords: Sequence[int]) -> Matte:
    """Rows `skip` to `skip + count`, grown: from above and below the maxima of chords of a disc, one for each row.

    The maximum of a chord is that of two runs, whose length is a power of two.
    """
    width, edge = rows.shape[1], chords[0]
    if (rows == rows[0, 0]).all():
        return rows[skip : skip + count]
    padded = np.full((rows.shape[0], width + 2 * edge), -np.inf, np.float32)
    padded[:, edge : edge + width] = rows
    runs = [padded]
    while 2 ** len(runs) <= 2 * edge + 1:
        half = 2 ** (len(runs) - 1)
        runs.append(np.maximum(runs[-1][:, :-half], runs[-1][:, half:]))
    out = np.full((count, width), -np.inf, np.float32)
    for dy in range(1 - len(chords), len(chords)):
        first, last = max(0, skip + dy), min(rows.shape[0], skip + count + dy)
        if first >= last:
            continue
        half_width = chords[abs(dy)]
        run = runs[(2 * half_width + 1).bit_length() - 1][first:last]
        left, right = edge - half_width, edge + half_width + 1 - 2 ** ((2 * half_width + 1).bit_length() - 1)
        target = out[first - skip - dy : last - skip - dy]
        np.maximum(target, run[:, left : left + width], out=target)
        np.maximum(target, run[:, right : right + width], out=target)
    return out


def soften(matte: Matte, sigma_px: float) -> Matte:
    """A Gaussian of `sigma_px`, cut at four sigmas; edge pixels are carried on outside. (H, W)."""
    plane = as_planes(matte)
    return gaussian(plane, sigma_px, sigma_px)


def reach_of(grow_px: float, soften_px: float) -> float:
    """How far around a pixel growing and softening look, in the pixels of both."""
    return abs(grow_px) + reach_of_gaussian(soften_px)


def level_matte(matte: Matte, gain: float = 1.0, invert: bool = False) -> Matte:
    """`value * gain`, clipped to 0..1, then turned round. (H, W)."""
    plane = as_planes(matte)
    if gain != 1.0:
        plane = np.clip(plane * np.float32(gain), np.float32(0.0), np.float32(1.0))
    return np.asarray(np.float32(1.0) - plane) if invert else plane


def _minus(first: Matte, other: Matte) -> Matte:
    return np.asarray(first * (np.float32(1.0) - other))


def _sum(first: Matte, other: Matte) -> Matte:
    return np.asarray(np.minimum(first + other, np.float32(1.0)))


# How two mattes become one; more are joined in their order.
JOINS: dict[str, Callable[[Matte, Matte], Matte]] = {
    "any": np.maximum,
    "all": np.minimum,
    "minus": _minus,
    "product": np.multiply,
    "sum": _sum,
}


def join_mattes(mattes: Sequence[Matte], how: str) -> Matte:
    """Mattes of one size as one: any (maximum), all (minimum), minus (the first times 1 - each other), product, sum."""
    return reduce(choose("way to join mattes", how, JOINS), map(as_planes, mattes))
