"""What of a picture is brighter than a threshold, and how it is spread wide: on a coarser grid, smoothly back."""

from collections.abc import Sequence
from dataclasses import dataclass

import numba
import numpy as np

from ..gaussian import gaussian, reach_of_gaussian
from ..kernels import kernel
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


def doublings_for(sigma: float, least: float = _LEAST_COARSE) -> int:
    """How many times the grid may be halved for a Gaussian of a sigma in pixels, `least` pixels of which it keeps."""
    return max(0, int(np.floor(np.log2(max(sigma, 1e-3) / least))))


def reach_of_glow(sigma: float) -> int:
    """How far light of a wide Gaussian goes, in pixels, with what its grid needs."""
    return reach_of_gaussian(sigma) + (8 << doublings_for(sigma))


@dataclass(frozen=True)
class Rung:
    """A picture on a grid, and column and row of its first pixel on that grid of the whole picture."""

    planes: Planes
    origin: tuple[int, int]

    def halved(self) -> "Rung":
        """On a grid of every second pixel, under a cubic B-spline that wide; outside is black.

        Two pixels more on each side: what lies at an edge of the part counts for them too.
        """
        left, top = (start % 2 for start in self.origin)
        height, width = self.planes.shape[-2:]
        shape = (top + height + 1) // 2 + 4, (left + width + 1) // 2 + 4
        out = np.zeros((self.planes.shape[0], *shape), np.float32)
        _halve(np.ascontiguousarray(self.planes), left, top, out)
        return Rung(out, ((self.origin[0] >> 1) - 2, (self.origin[1] >> 1) - 2))

    def doubled(self, coarse: Planes) -> Planes:
        """Planes of the next coarser rung at all pixels of this one, by cubic B-splines."""
        left, top = (start % 2 for start in self.origin)
        out = np.empty_like(self.planes)
        _double(np.ascontiguousarray(coarse), left, top, out)
        return out


def ladder(light: Planes, origin: tuple[int, int], steps: int) -> list[Rung]:
    """A picture, and its halves, one after another. `origin`: of its first pixel in the whole picture."""
    rungs = [Rung(as_colour(light), origin)]
    for _ in range(steps):
        rungs.append(rungs[-1].halved())
    return rungs


def wide_gaussian(rung: Rung, sigma: float, doublings: int) -> Planes:
    """A rung under a Gaussian of a sigma in fine pixels, less what the splines on the way to it and back spread.

    Each halving and each doubling spreads by a third of the square of its grid, in all 8/9 · (4^doublings - 1).
    """
    size = 4.0**doublings
    left = float(np.sqrt(max((sigma * sigma - 8.0 / 9.0 * (size - 1.0)) / size, 0.0)))
    around = reach_of_gaussian(left)
    wide = np.pad(rung.planes, ((0, 0), (around, around), (around, around)))
    out = np.stack([gaussian(np.ascontiguousarray(plane), left, left) for plane in wide])
    return out[:, around : around + rung.planes.shape[1], around : around + rung.planes.shape[2]]


# The spline of a square at the pixels that it is nearest to: its own two, and three on each side.
_SPLINE = np.array([1, 27, 121, 235, 235, 121, 27, 1], np.float32) / np.float32(768)


@kernel
def _halve(planes, left, top, out):  # type: ignore[no-untyped-def]
    channels, height, width = planes.shape
    rows, columns = out.shape[1:]
    for row in numba.prange(rows):
        line = np.empty(width + 16, np.float32)
        first = 2 * (np.int64(row) - 2) - top - 3
        for k in range(channels):
            line[:] = 0.0
            for j in range(8):
                y = first + j
                if 0 <= y < height:
                    weight = _SPLINE[j]
                    for x in range(width):
                        line[x + 8] += weight * planes[k, y, x]
            for column in range(columns):
                start = 2 * (column - 2) - left - 3 + 8
                total = np.float32(0.0)
                for i in range(8):
                    if 0 <= start + i < line.size:
                        total += _SPLINE[i] * line[start + i]
                out[k, row, column] = total


@kernel
def _double(coarse, left, top, out):  # type: ignore[no-untyped-def]
    channels, height, width = out.shape
    columns = coarse.shape[2]
    for line in numba.prange(height):
        y = np.int64(line)
        # A pixel lies a quarter of a square before the middle of its own, or after it.
        above = (y + top) // 2 + 2 - (2 if (y + top) % 2 == 0 else 1)
        late = (y + top) % 2
        mixed = np.empty(columns, np.float32)
        for k in range(channels):
            for u in range(columns):
                total = np.float32(0.0)
                for j in range(4):
                    total += _QUARTERS[late, j] * coarse[k, above + j, u]
                mixed[u] = total
            for x in range(width):
                odd = (x + left) % 2
                start = (x + left) // 2 + 2 - (2 if odd == 0 else 1)
                out[k, y, x] = (
                    _QUARTERS[odd, 0] * mixed[start]
                    + _QUARTERS[odd, 1] * mixed[start + 1]
                    + _QUARTERS[odd, 2] * mixed[start + 2]
                    + _QUARTERS[odd, 3] * mixed[start + 3]
                )


def _spline(t: float) -> list[float]:
    """The cubic B-spline at four squares, for a place t of the way between the middle two."""
    s = 1.0 - t
    return [s**3 / 6, (4 - 6 * t * t + 3 * t**3) / 6, (4 - 6 * s * s + 3 * s**3) / 6, t**3 / 6]


_QUARTERS = np.array([_spline(0.75), _spline(0.25)], np.float32)
