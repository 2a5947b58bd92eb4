"""What of a picture is brighter than a threshold, and how it is spread wide: on a coarser grid, smoothly back."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..gaussian import gaussian, reach_of_gaussian
from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour, as_planes


def light_over(planes: Planes, threshold: float, tint: Sequence[float], matte: Matte | None = None) -> Planes:
    """`v · max(0, 1 - t / max(v)) · tint`, t = 0.18 · 2^threshold, as far as the matte says; (3, H, W).

    What is no number gives no light.
    """
    colour = as_colour(planes)
    out = np.empty_like(colour)
    everywhere = np.ones((1, 1), np.float32) if matte is None else as_planes(matte)
    _light_over(colour, np.float32(0.18 * 2.0**threshold), np.array(tint, np.float32), everywhere, out)
    return out


@kernel
def _light_over(colour, limit, tint, matte, out):  # type: ignore[no-untyped-def]
    """One matte is everywhere."""
    height, width = colour.shape[1:]
    is_even = matte.size == 1
    for row in prange(height):
        y = np.int64(row)
        cover = matte[0 if is_even else y]
        for x in range(width):
            red, green, blue = colour[0, y, x], colour[1, y, x], colour[2, y, x]
            brightest = max(red, green, blue)
            there = brightest > limit and np.isfinite(red) and np.isfinite(green) and np.isfinite(blue)
            share = np.float32(1.0) - limit / brightest if there else np.float32(0.0)
            share *= cover[0] if is_even else cover[x]
            out[0, y, x] = red * share * tint[0] if there else np.float32(0.0)
            out[1, y, x] = green * share * tint[1] if there else np.float32(0.0)
            out[2, y, x] = blue * share * tint[2] if there else np.float32(0.0)


def add_light(planes: Planes, light: Planes, amount: float, gain: Planes | None = None) -> Planes:
    """`v + light · amount · gain`, all (3, H, W); the gain is 1 where it is None."""
    colour = as_colour(planes)
    out = np.empty_like(colour)
    everywhere = np.ones((1, 1, 1), np.float32) if gain is None else as_planes(gain)
    _add_light(colour, as_planes(light), np.float32(amount), everywhere, out)
    return out


@kernel
def _add_light(colour, light, amount, gain, out):  # type: ignore[no-untyped-def]
    """One gain is everywhere."""
    channels, height, width = colour.shape
    for y in prange(height):
        for k in range(channels):
            if gain.size == 1:
                for x in range(width):
                    out[k, y, x] = colour[k, y, x] + light[k, y, x] * amount * gain[0, 0, 0]
            else:
                for x in range(width):
                    out[k, y, x] = colour[k, y, x] + light[k, y, x] * amount * gain[k, y, x]


# A Gaussian is made on a grid on which it is at least so wide.
_LEAST_COARSE = 3.0


def doublings_for(sigma: float, least: float = _LEAST_COARSE) -> int:
    """How many times the grid may be halved for a Gaussian of a sigma in pixels, `least` pixels of which it keeps."""
    return max(0, int(np.floor(np.log2(max(sigma, 1e-3) / least))))


def reach_of_glow(sigma: float) -> int:
    """How far light of a wide Gaussian goes, in pixels, with what its grid needs."""
    return reach_of_gaussian(sigma) + (8 << doublings_for(sigma))


@dataclass(frozen=True)
class PyramidLevel:
    """A picture on a grid, and column and row of its first pixel on that grid of the whole picture."""

    planes: Planes
    origin: tuple[int, int]

    def halved(self) -> "PyramidLevel":
        """On a grid of every second pixel, under a cubic B-spline that wide; outside is black.

        Two pixels more on each side: what lies at an edge of the part counts for them too.
        """
        left, top = (start % 2 for start in self.origin)
        height, width = self.planes.shape[-2:]
        shape = (top + height + 1) // 2 + 4, (left + width + 1) // 2 + 4
        out = np.zeros((self.planes.shape[0], *shape), np.float32)
        _halve(np.ascontiguousarray(self.planes), left, top, out)
        return PyramidLevel(out, ((self.origin[0] >> 1) - 2, (self.origin[1] >> 1) - 2))

    def doubled(self, coarse: Planes) -> Planes:
        """Planes of the next coarser rung at all pixels of this one, by cubic B-splines."""
        left, top = (start % 2 for start in self.origin)
        out = np.empty_like(self.planes)
        _double(np.ascontiguousarray(coarse), left, top, out)
        return out


def pyramid(light: Planes, origin: tuple[int, int], steps: int) -> list[PyramidLevel]:
    """A picture, and its halves, one after another. `origin`: of its first pixel in the whole picture."""
    rungs = [PyramidLevel(as_colour(light), origin)]
    for _ in range(steps):
        rungs.append(rungs[-1].halved())
    return rungs


def wide_gaussian(rung: PyramidLevel, sigma: float, doublings: int) -> Planes:
    """A rung under a Gaussian of a sigma in fine pixels, less what the splines on the way to it and back spread.

    Each halving and each doubling spreads by a third of the square of its grid, in all 8/9 · (4^doublings - 1).
    """
    size = 4.0**doublings
    left = float(np.sqrt(max((sigma * sigma - 8.0 / 9.0 * (size - 1.0)) / size, 0.0)))
    out = np.empty_like(rung.planes)
    for plane, wide in zip(rung.planes, out, strict=True):
        gaussian(plane, left, left, is_black_outside=True, out=wide)
    return out


# The spline of a square at the pixels that it is nearest to: its own two, and three on each side.
_SPLINE = np.array([1, 27, 121, 235, 235, 121, 27, 1], np.float32) / np.float32(768)


@kernel
def _halve(planes, left, top, out):  # type: ignore[no-untyped-def]
    channels, height, width = planes.shape
    rows, columns = out.shape[1:]
    for row in prange(rows):
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
    # A pixel lies a quarter of a square before the middle of its own, or after it.
    early, late = _QUARTERS[0], _QUARTERS[1]
    for line in prange(height):
        y = np.int64(line)
        above = (y + top) // 2 + (y + top) % 2
        weights = _QUARTERS[(y + top) % 2]
        mixed, twice = np.empty(columns, np.float32), np.empty(2 * columns, np.float32)
        for k in range(channels):
            for u in range(columns):
                one = weights[0] * coarse[k, above, u] + weights[1] * coarse[k, above + 1, u]
                mixed[u] = one + (weights[2] * coarse[k, above + 2, u] + weights[3] * coarse[k, above + 3, u])
            for u in range(columns - 4):
                a, b, c, d, e = mixed[u], mixed[u + 1], mixed[u + 2], mixed[u + 3], mixed[u + 4]
                twice[2 * u] = (early[0] * a + early[1] * b) + (early[2] * c + early[3] * d)
                twice[2 * u + 1] = (late[0] * b + late[1] * c) + (late[2] * d + late[3] * e)
            out[k, y] = twice[left : left + width]


def _spline(t: float) -> list[float]:
    """The cubic B-spline at four squares, for a place t of the way between the middle two."""
    s = 1.0 - t
    return [s**3 / 6, (4 - 6 * t * t + 3 * t**3) / 6, (4 - 6 * s * s + 3 * s**3) / 6, t**3 / 6]


_QUARTERS = np.array([_spline(0.75), _spline(0.25)], np.float32)
