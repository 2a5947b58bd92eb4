"""What of a picture is brighter than a threshold, and how it is spread wide: on a coarser grid, smoothly back."""

from collections.abc import Sequence

import numba
import numpy as np
from numpy.typing import NDArray

from ..gaussian import gaussian, reach_of_gaussian
from ..kernels import kernel, serial_kernel
from ..planes import Matte, Planes, as_colour


def light_over(planes: Planes, threshold: float, tint: Sequence[float], matte: Matte | None = None) -> Planes:
    """`v · max(0, 1 - t / max(v)) · tint`, t = 0.18 · 2^threshold, as far as the matte says; (3, H, W).

    What is no number gives no light.
    """
    colour = as_colour(planes)
    brightest = colour.max(axis=0)
    limit = np.float32(0.18 * 2.0**threshold)
    there = (brightest > limit) & np.isfinite(colour).all(axis=0)
    share = np.where(there, np.float32(1.0) - limit / np.where(there, brightest, np.float32(1.0)), np.float32(0.0))
    if matte is not None:
        share = share * matte
    light = np.where(there, colour, np.float32(0.0)) * share
    return np.asarray(light * np.array(tint, np.float32)[:, None, None], np.float32)


# A Gaussian is made on a grid on which it is at least so wide.
_LEAST_COARSE = 3.0


def doublings_for(sigma: float) -> int:
    """How many times the grid may be halved for a Gaussian of a sigma in pixels."""
    return max(0, int(np.floor(np.log2(max(sigma, 1e-3) / _LEAST_COARSE))))


def reach_of_glow(sigma: float) -> int:
    """How far light of a wide Gaussian goes, in pixels, with what its grid needs."""
    return reach_of_gaussian(sigma) + (4 << doublings_for(sigma))


def coarser(planes: Planes, doublings: int, origin: tuple[int, int]) -> Planes:
    """Planes on a grid of every 2^doublings-th pixel, under a cubic B-spline that wide; outside is black.

    Squares of the grid begin at multiples in the whole picture; `origin`: column and row of the first pixel there.
    """
    if doublings == 0:
        return planes
    size = 1 << doublings
    left, top = (start % size for start in origin)
    height, width = planes.shape[-2:]
    shape = -(-(top + height) // size), -(-(left + width) // size)
    # Two squares more on each side: what lies at an edge of the part counts for them too.
    out = np.zeros((planes.shape[0], shape[0] + 4, shape[1] + 4), np.float32)
    _coarser(as_colour(planes), size, left, top, out)
    return out


@kernel
def _coarser(planes, size, left, top, out):  # type: ignore[no-untyped-def]
    channels, height, width = planes.shape
    rows, columns = out.shape[1:]
    across = np.zeros((width, 4))
    firsts = np.empty(width, np.int64)
    for x in range(width):
        place = (x + left + 0.5) / size - 0.5
        firsts[x] = int(np.floor(place)) + 1
        _spline(place - np.floor(place), across[x])
    for row in numba.prange(rows):
        line, down = np.empty(columns), np.empty(4)
        # The pixels within two squares of the middle of this one; the first square is number -2.
        first = max(0, int(np.floor((row - 2 - 1.5) * size)) - top)
        last = min(height, int(np.ceil((row - 2 + 2.5) * size)) - top + 1)
        for k in range(channels):
            line[:] = 0.0
            for y in range(first, last):
                place = (y + top + 0.5) / size - 0.5
                part = row - (int(np.floor(place)) + 1)
                if part < 0 or part > 3:
                    continue
                _spline(place - np.floor(place), down)
                weight = down[part] / (size * size)
                for x in range(width):
                    value = weight * planes[k, y, x]
                    f = firsts[x]
                    line[f] += across[x, 0] * value
                    line[f + 1] += across[x, 1] * value
                    line[f + 2] += across[x, 2] * value
                    line[f + 3] += across[x, 3] * value
            for u in range(columns):
                out[k, row, u] = line[u]


def wide_gaussian(coarse: Planes, sigma: float, doublings: int) -> Planes:
    """Coarse planes under a Gaussian of a sigma in fine pixels, less what `coarser` and `finer` themselves spread."""
    size = 1 << doublings
    spread = 2 * size * size / 3 if doublings else 0.0
    left = np.sqrt(max(sigma * sigma - spread, 0.0)) / size
    around = reach_of_gaussian(left)
    wide = np.pad(coarse, ((0, 0), (around, around), (around, around)))
    out = np.stack([gaussian(np.ascontiguousarray(plane), left, left) for plane in wide])
    return out[:, around : around + coarse.shape[1], around : around + coarse.shape[2]]


def finer(coarse: Planes, doublings: int, origin: tuple[int, int], shape: tuple[int, int]) -> NDArray[np.float32]:
    """Coarse planes at all fine pixels of a part, by cubic B-splines; outside is black. (C, *shape)."""
    if doublings == 0:
        return coarse
    size = 1 << doublings
    left, top = (start % size for start in origin)
    out = np.empty((coarse.shape[0], *shape), np.float32)
    _finer(np.ascontiguousarray(coarse), size, left, top, out)
    return out


@kernel
def _finer(coarse, size, left, top, out):  # type: ignore[no-untyped-def]
    channels, height, width = out.shape
    firsts, weights = np.empty(width, np.int64), np.empty((width, 4))
    for x in range(width):
        place = (x + left + 0.5) / size - 0.5
        firsts[x] = int(np.floor(place)) + 1
        _spline(place - np.floor(place), weights[x])
    for y in numba.prange(height):
        place = (y + top + 0.5) / size - 0.5
        first = int(np.floor(place)) + 1
        down = np.empty(4)
        _spline(place - np.floor(place), down)
        line = np.empty(coarse.shape[2])
        for k in range(channels):
            for u in range(line.size):
                line[u] = 0.0
                for j in range(4):
                    line[u] += down[j] * coarse[k, first + j, u]
            for x in range(width):
                f = firsts[x]
                out[k, y, x] = (
                    weights[x, 0] * line[f] + weights[x, 1] * line[f + 1]
                    + weights[x, 2] * line[f + 2] + weights[x, 3] * line[f + 3]
                )  # fmt: skip


@serial_kernel
def _spline(t, weights):  # type: ignore[no-untyped-def]
    s = 1.0 - t
    weights[0] = s * s * s / 6
    weights[1] = (4 - 6 * t * t + 3 * t * t * t) / 6
    weights[2] = (4 - 6 * s * s + 3 * s * s * s) / 6
    weights[3] = t * t * t / 6
