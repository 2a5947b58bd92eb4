"""Pictures drawn out from a place, or in to it: distortion, and colours that a lens brings to different places."""

import numba
import numpy as np
from numpy.typing import NDArray

from ..kernels import inlined_kernel, kernel, serial_kernel
from ..planes import Planes, as_colour
from .geometry import FramePart

_LOBES = 3
_TAPS = 2 * _LOBES
_NEWTON = 12
# Where content comes from is looked up between so many distances.
_STEPS = 4096
# Weights are looked up between so many places within a pixel: to within 1e-6 of the formula.
_PHASES = 1024


def lanczos_table(phases: int) -> NDArray[np.float64]:
    """sinc(x) · sinc(x/3) at six pixels for places within one, (phases + 1, 6); each row sums to 1."""
    places = np.arange(phases + 1)[:, None] / phases
    x = places - np.arange(1 - _LOBES, 1 + _LOBES)[None]
    weights = np.sinc(x) * np.sinc(x / _LOBES)
    return np.asarray(weights / weights.sum(axis=1, keepdims=True))


_WEIGHTS = lanczos_table(_PHASES)


def reach_of_distortion(k1: float, k2: float, corner: float) -> float:
    """How far content moves at most, in pixels; `corner`: how far the farthest corner is."""
    return (abs(k1) + abs(k2)) * corner * 4 + _LOBES + 1


def distort(
    planes: Planes, part: FramePart, k1: float, k2: float, centre: tuple[float, float] | None, fill: bool
) -> Planes:
    """Content at r comes to `r · (1 + k1·r² + k2·r⁴)`, r = 1 at the corner farthest from the centre. (C, H, W).

    Lanczos with three lobes. Outside is nothing, or with `fill` the edge pixels carried on.
    """
    middle = part.middle if centre is None else centre
    x, y = part.from_place(planes, middle)
    corner = part.farthest_corner(middle)
    farthest = float(np.hypot(np.abs(x).max(), np.abs(y).max())) / corner
    factors, comes = _factors(np.linspace(0.0, max(1.0, farthest), _STEPS + 1), k1, k2)
    out = np.empty_like(planes)
    _warp(planes, x, y, part.first_pixel, part.step, corner, factors, comes, _STEPS / max(1.0, farthest), fill, out)
    return out


def spread_colours(planes: Planes, part: FramePart, shift_px: float) -> Planes:
    """Red drawn outwards and blue inwards by `shift_px · r²`, r = 1 at the corners. (3, H, W); green stays."""
    colour = as_colour(planes)
    x, y = part.from_place(colour, part.middle)
    corner = part.half_diagonal
    out = colour.copy()
    for channel, shift in ((0, shift_px), (2, -shift_px)):
        # Seen from where it arrives: what is at r comes from `r - shift · r²`.
        _shift(colour, channel, x, y, part.first_pixel, part.step, corner, shift, out)
    return out


@serial_kernel
def _come_from(arrived, k1, k2):  # type: ignore[no-untyped-def]
    """The r whose content comes to `arrived`, and whether it does: else where the way out turns back."""
    r = arrived
    for _ in range(_NEWTON):
        s = r * r
        slope = 1.0 + s * (3.0 * k1 + 5.0 * k2 * s)
        if slope <= 0.05:
            return _by_halves(arrived, k1, k2)
        step = (r * (1.0 + s * (k1 + k2 * s)) - arrived) / slope
        r -= step
        if abs(step) < 1e-9:
            break
    return r, True


@serial_kernel
def _by_halves(arrived, k1, k2):  # type: ignore[no-untyped-def]
    """As `_come_from`, where the way out turns back: the first r that gets there."""
    low, step = 0.0, 1.0 / 64
    while low < 4.0:
        high = low + step
        s = high * high
        if high * (1.0 + s * (k1 + k2 * s)) >= arrived:
            for _ in range(40):
                middle = (low + high) / 2
                s = middle * middle
                if middle * (1.0 + s * (k1 + k2 * s)) >= arrived:
                    high = middle
                else:
                    low = middle
            return high, True
        if high * (1.0 + s * (k1 + k2 * s)) < low * (1.0 + low * low * (k1 + k2 * low * low)):
            return low, False
        low = high
    return low, False


@serial_kernel
def _factors(arrived, k1, k2):  # type: ignore[no-untyped-def]
    """How much nearer to the middle content came from, for each distance, and whether any came."""
    out, comes = np.ones(arrived.size), np.ones(arrived.size, np.bool_)
    for i in range(arrived.size):
        if arrived[i] > 1e-9:
            r, comes[i] = _come_from(arrived[i], k1, k2)
            out[i] = r / arrived[i]
    return out, comes


@kernel
def _warp(planes, x, y, first, step, corner, factors, comes, places, fill, out):  # type: ignore[no-untyped-def]
    channels, height, width = planes.shape
    left, top, right, bottom = first[0] - 0.5, first[1] - 0.5, first[0] + width - 0.5, first[1] + height - 0.5
    for row in numba.prange(height):
        across, down = np.empty(_TAPS, np.float32), np.empty(_TAPS, np.float32)
        for column in range(width):
            place = np.sqrt(x[column] * x[column] + y[row] * y[row]) / corner * places
            before = min(int(place), factors.size - 2)
            low, high = factors[before], factors[before + 1]
            factor = low + (place - before) * (high - low)
            u = first[0] + column + x[column] * (factor - 1.0) / step
            v = first[1] + np.int64(row) + y[row] * (factor - 1.0) / step
            is_there = comes[before] and comes[before + 1] and left <= u < right and top <= v < bottom
            if not (is_there or fill):
                for k in range(channels):
                    out[k, row, column] = 0.0
                continue
            u, v = min(max(u, left), right), min(max(v, top), bottom)
            first_x, first_y = lanczos_weights(u, across) - first[0], lanczos_weights(v, down) - first[1]
            for k in range(channels):
                out[k, row, column] = _sample(planes, k, first_x, first_y, across, down)


@kernel
def _shift(planes, k, x, y, first, step, corner, shift, out):  # type: ignore[no-untyped-def]
    height, width = planes.shape[1:]
    left, top, right, bottom = first[0] - 0.5, first[1] - 0.5, first[0] + width - 0.5, first[1] + height - 0.5
    for row in numba.prange(height):
        across, down = np.empty(_TAPS, np.float32), np.empty(_TAPS, np.float32)
        for column in range(width):
            far = np.sqrt(x[column] * x[column] + y[row] * y[row])
            if far < 1e-6:
                out[k, row, column] = planes[k, row, column]
                continue
            share = shift * (far / (corner * corner)) / step
            u = min(max(first[0] + column - x[column] * share, left), right)
            v = min(max(first[1] + np.int64(row) - y[row] * share, top), bottom)
            first_x, first_y = lanczos_weights(u, across) - first[0], lanczos_weights(v, down) - first[1]
            out[k, row, column] = _sample(planes, k, first_x, first_y, across, down)


@inlined_kernel
def lanczos_weights(place, weights):  # type: ignore[no-untyped-def]
    """Kernel part: the first pixel that counts at a place (0: the middle of the first one), and the weights of six."""
    whole = np.floor(place)
    phase = (place - whole) * _PHASES
    row = int(phase)
    share = phase - row
    for i in range(_TAPS):
        weights[i] = _WEIGHTS[row, i] + share * (_WEIGHTS[row + 1, i] - _WEIGHTS[row, i])
    return int(whole) - _LOBES + 1


@inlined_kernel
def _sample(planes, k, first_x, first_y, across, down):  # type: ignore[no-untyped-def]
    """A plane between its pixels, edge pixels carried on. Beside what is no number, the nearest pixel.

    Never below 0 where nothing is: the lobes of a lamp would leave dark rings.
    """
    height, width = planes.shape[1:]
    total = np.float32(0.0)
    if first_x >= 0 and first_x + _TAPS <= width and first_y >= 0 and first_y + _TAPS <= height:
        w0, w1, w2, w3, w4, w5 = across[0], across[1], across[2], across[3], across[4], across[5]
        u = first_x
        # Pairs wait for one another less than a sum of six does.
        for j in range(_TAPS):
            v = first_y + j
            one = w0 * planes[k, v, u] + w1 * planes[k, v, u + 1]
            other = w2 * planes[k, v, u + 2] + w3 * planes[k, v, u + 3]
            last = w4 * planes[k, v, u + 4] + w5 * planes[k, v, u + 5]
            total += down[j] * ((one + other) + last)
    else:
        for j in range(_TAPS):
            y = min(max(first_y + j, 0), height - 1)
            line = np.float32(0.0)
            for i in range(_TAPS):
                line += across[i] * planes[k, y, min(max(first_x + i, 0), width - 1)]
            total += down[j] * line
    if total >= 0 and np.isfinite(total):
        return total
    near_y = first_y + _LOBES - 1 + (1 if down[_LOBES] > down[_LOBES - 1] else 0)
    near_x = first_x + _LOBES - 1 + (1 if across[_LOBES] > across[_LOBES - 1] else 0)
    if not np.isfinite(total):
        return planes[k, min(max(near_y, 0), height - 1), min(max(near_x, 0), width - 1)]
    lowest = np.float32(0.0)
    for j in range(_TAPS):
        for i in range(_TAPS):
            lowest = min(lowest, planes[k, min(max(first_y + j, 0), height - 1), min(max(first_x + i, 0), width - 1)])
    return max(total, lowest)
