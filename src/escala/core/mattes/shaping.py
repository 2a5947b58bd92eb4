"""What is done to a finished matte: grown, shrunk, softened, times a gain, turned round, combined with others."""

from collections.abc import Callable, Iterable
from functools import reduce

import numpy as np

from ..errors import choose
from ..gaussian import gaussian, reach_of_gaussian, wide_gaussian
from ..kernels import kernel, prange, serial_kernel
from ..planes import Matte, as_planes
from ..progress import ProgressCallback, no_progress

# Pixels along the sides of the blocks that are grown by one thread each: what it works on stays in its cache.
_BLOCK_ROWS, _BLOCK_COLUMNS = 64, 1024
# From this sigma on a Gaussian is made by Fourier transforms.
_WIDE_SIGMA = 16.0


def grow(matte: Matte, radius_px: float, report_progress: ProgressCallback = no_progress) -> Matte:
    """The maximum over all pixel centres within `radius_px`; the minimum where that is negative. (H, W).

    Outside the frame nothing is looked at, which is as if its edge pixels were carried on. Radii below 1 change
    nothing: no other centre is that near.
    """
    plane = as_planes(matte)
    if abs(radius_px) < 1:
        return plane
    if radius_px < 0:
        return np.asarray(-grow(-plane, -radius_px, report_progress), np.float32)
    reach = int(radius_px)
    chords = np.array([int(np.sqrt(max(0.0, radius_px**2 - dy**2))) for dy in range(reach + 1)], np.int64)
    out, least = np.empty_like(plane), plane.min()
    for top in range(0, plane.shape[0], _BLOCK_ROWS):
        report_progress(top / plane.shape[0])
        _grow_block(plane, top, min(plane.shape[0], top + _BLOCK_ROWS), chords, least, out)
    return out


@kernel
def _grow_block(plane, top, bottom, chords, least, out):  # type: ignore[no-untyped-def]
    """Rows `top` to `bottom`, grown, in strips of columns: each takes the maxima of chords of a disc, row by row.

    The maximum of a chord is that of two runs whose length is a power of two.
    """
    width, reach, edge = plane.shape[1], chords.size - 1, chords[0]
    levels = 1
    while 2**levels <= 2 * edge + 1:
        levels += 1
    for strip in prange((width + _BLOCK_COLUMNS - 1) // _BLOCK_COLUMNS):
        left = strip * _BLOCK_COLUMNS
        right = min(width, left + _BLOCK_COLUMNS)
        runs = np.empty((levels, right - left + 2 * edge), np.float32)
        for y in range(top, bottom):
            out[y, left:right] = plane[y, left:right]
        for y in range(max(0, top - reach), min(plane.shape[0], bottom + reach)):
            if not _lay_runs(plane[y], left - edge, least, runs):
                continue
            for row in range(max(top, y - reach), min(bottom, y + reach + 1)):
                chord = chords[abs(y - row)]
                level = 0
                while 2 ** (level + 1) <= 2 * chord + 1:
                    level += 1
                first = edge - chord
                _raise_row(out[row, left:right], runs[level], first, first + 2 * chord + 1 - 2**level)


@serial_kernel
def _lay_runs(row, first, least, runs):  # type: ignore[no-untyped-def]
    """Kernel part: maxima of runs of 1, 2, 4 ... pixels from a place of a row on; whether any is above the least."""
    size = runs.shape[1]
    most = least
    for x in range(size):
        value = row[first + x] if 0 <= first + x < row.size else least
        runs[0, x] = value
        most = max(most, value)
    if most <= least:
        return False
    for level in range(1, runs.shape[0]):
        half = 2 ** (level - 1)
        before, after = runs[level - 1], runs[level]
        later = before[half:]
        for x in range(size - half):
            after[x] = before[x] if before[x] > later[x] else later[x]
        after[size - half :] = before[size - half :]
    return True


@serial_kernel
def _raise_row(row, run, first, second):  # type: ignore[no-untyped-def]
    """Kernel part: a row no less than two runs that begin at two places."""
    one, other = run[first : first + row.size], run[second : second + row.size]
    for x in range(row.size):
        most = one[x] if one[x] > other[x] else other[x]
        row[x] = row[x] if row[x] > most else most


def soften(matte: Matte, sigma_px: float, report_progress: ProgressCallback = no_progress) -> Matte:
    """A Gaussian of `sigma_px`, cut at four sigmas; edge pixels are carried on outside. (H, W)."""
    plane = as_planes(matte)
    if sigma_px >= _WIDE_SIGMA:
        return wide_gaussian(plane, sigma_px, report_progress)
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


def join_mattes(mattes: Iterable[Matte], how: str) -> Matte:
    """Mattes of one size as one, taken one by one.

    `how`: any (maximum), all (minimum), minus (the first times 1 - each other), product, sum.
    """
    return reduce(choose("way to join mattes", how, JOINS), map(as_planes, mattes))
