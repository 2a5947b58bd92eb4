"""Pictures drawn out from a place, or in to it: distortion, and colours that a lens brings to different places."""

import numpy as np
from numpy.typing import NDArray

from ..kernels import inlined_kernel, kernel, prange, serial_kernel
from ..planes import Planes, as_colour
from .geometry import FramePart
from .lanczos6 import LANES, TAPS, six_by_six

_LOBES = TAPS // 2
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


_WEIGHTS = np.pad(lanczos_table(_PHASES).astype(np.float32), ((0, 0), (0, LANES - TAPS)))


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
    _warp(
        _with_edges(planes),
        x,
        y,
        part.first_pixel,
        part.step,
        corner,
        factors,
        comes,
        _STEPS / max(1.0, farthest),
        fill,
        out,
    )
    return out


def spread_colours(planes: Planes, part: FramePart, shift_px: float) -> Planes:
    """Red drawn outwards and blue inwards by `shift_px · r²`, r = 1 at the corners. (3, H, W); green stays."""
    colour = as_colour(planes)
    x, y = part.from_place(colour, part.middle)
    corner = part.half_diagonal
    out = np.empty_like(colour)
    out[1] = colour[1]
    for channel, shift in ((0, shift_px), (2, -shift_px)):
        # Seen from where it arrives: what is at r comes from `r - shift · r²`.
        place = slice(channel, channel + 1)
        _shift(_with_edges(colour[place]), x, y, part.first_pixel, part.step, corner, shift, out[place])
    return out


def _with_edges(planes: Planes) -> Planes:
    """Planes with their edge pixels carried on, as far as is looked at."""
    channels, height, width = planes.shape
    out = np.empty((channels, height + 2 * _LOBES, width + LANES), np.float32)
    _carried_on(planes, out)
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
def _warp(around, x, y, first, step, corner, factors, comes, places, fill, out):  # type: ignore[no-untyped-def]
    height, width = out.shape[1:]
    left, top, right, bottom = first[0] - 0.5, first[1] - 0.5, first[0] + width - 0.5, first[1] + height - 0.5
    per_place, per_step, last = places / corner, 1.0 / step, factors.size - 2.0
    for line in prange(height):
        row = np.int64(line)
        across, down, is_there = np.empty(width), np.empty(width), np.empty(width, np.bool_)
        for column in range(width):
            across[column] = np.sqrt(x[column] * x[column] + y[row] * y[row]) * per_place
        for column in range(width):
            before = np.uint64(min(across[column], last))
            low, high = factors[before], factors[before + np.uint64(1)]
            down[column] = low + (across[column] - before) * (high - low) - 1.0
            is_there[column] = comes[before] and comes[before + np.uint64(1)]
        for column in range(width):
            u = first[0] + column + x[column] * down[column] * per_step
            v = first[1] + row + y[row] * down[column] * per_step
            is_there[column] &= left <= u < right and top <= v < bottom
            across[column], down[column] = min(max(u, left), right), min(max(v, top), bottom)
        _sample(around, (first[0] - _LOBES, first[1] - _LOBES), across, down, out[:, row])
        if not fill:
            for k in range(out.shape[0]):
                for column in range(width):
                    # Not times 0: an edge pixel that is no number would stay one.
                    out[k, row, column] = out[k, row, column] if is_there[column] else np.float32(0.0)


@kernel
def _shift(around, x, y, first, step, corner, shift, out):  # type: ignore[no-untyped-def]
    height, width = out.shape[1:]
    left, top, right, bottom = first[0] - 0.5, first[1] - 0.5, first[0] + width - 0.5, first[1] + height - 0.5
    per_pixel = shift / (corner * corner * step)
    for line in prange(height):
        row = np.int64(line)
        across, down = np.empty(width), np.empty(width)
        for column in range(width):
            share = np.sqrt(x[column] * x[column] + y[row] * y[row]) * per_pixel
            across[column] = min(max(first[0] + column - x[column] * share, left), right)
            down[column] = min(max(first[1] + row - y[row] * share, top), bottom)
        _sample(around, (first[0] - _LOBES, first[1] - _LOBES), across, down, out[:, row])


@kernel
def _carried_on(planes, out):  # type: ignore[no-untyped-def]
    """Planes in the middle of larger ones, their edge pixels carried on around them."""
    channels, height, width = planes.shape
    around = (out.shape[1] - height) // 2
    for line in prange(out.shape[1]):
        row = min(max(np.int64(line) - around, 0), height - 1)
        for k in range(channels):
            out[k, line, :around] = planes[k, row, 0]
            out[k, line, around : around + width] = planes[k, row]
            out[k, line, around + width :] = planes[k, row, width - 1]


@serial_kernel
def _sample(planes, first, across, down, out):  # type: ignore[no-untyped-def]
    """Planes between their pixels, at places along a row; `first`: column and row of the first one, counted as these.

    Never below 0 where nothing is: the lobes of a lamp would leave dark rings. Beside what is no number, the nearest
    pixel.
    """
    flat, a, b = planes.reshape(-1), np.empty(LANES, np.float32), np.empty(LANES, np.float32)
    channels, height, width = planes.shape
    for place in range(out.shape[1]):
        x, y = _weigh(across[place], a) - first[0], _weigh(down[place], b) - first[1]
        for k in range(channels):
            total = six_by_six(flat, (k * height + y) * width + x, width, a, b)
            if not (total >= 0 and np.isfinite(total)):
                nearest = _LOBES - (1 if a[2] >= a[3] else 0), _LOBES - (1 if b[2] >= b[3] else 0)
                total = _instead(planes[k], total, x, y, nearest)
            out[k, place] = total


@inlined_kernel
def _weigh(place, weights):  # type: ignore[no-untyped-def]
    """The first pixel that counts at a place (0: the middle of the first one); the weights of it and those after it."""
    whole = np.floor(place)
    phase = (place - whole) * _PHASES
    row = np.uint64(phase)
    after, share = row + np.uint64(1), np.float32(phase - row)
    for lane in range(LANES):
        i = np.uint64(lane)
        weights[i] = _WEIGHTS[row, i] + share * (_WEIGHTS[after, i] - _WEIGHTS[row, i])
    return int(whole) - _LOBES + 1


@serial_kernel
def _instead(plane, total, first_x, first_y, nearest):  # type: ignore[no-untyped-def]
    """What stands at a place for a sum that is below 0, or no number."""
    if not np.isfinite(total):
        return plane[first_y + nearest[1], first_x + nearest[0]]
    return max(total, min(np.float32(0.0), plane[first_y : first_y + TAPS, first_x : first_x + TAPS].min()))
