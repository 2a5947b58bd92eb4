"""Vignette: a picture that grows darker, or lighter, away from a place."""

import numba
import numpy as np

from ..corrections.powers import exp2_row, whole_row
from ..kernels import kernel
from ..planes import Matte, Planes, as_colour, as_planes
from .geometry import FramePart


def vignette_gain(
    planes: Planes,
    part: FramePart,
    stops: float,
    centre: tuple[float, float] | None,
    size: float,
    roundness: float,
    soft: float,
) -> Matte:
    """`2^(stops · s)`, (H, W), s a smoothstep of the distance from `size · (1 - soft)` to `size`.

    Distances in half diagonals: `roundness` 1 measures along circles, 0 along the ellipse of the frame, between them
    in proportion.
    """
    x, y = part.from_place(planes, part.middle if centre is None else centre)
    out = np.empty((y.size, x.size), np.float32)
    circle, wide = roundness / part.half_diagonal, (1.0 - roundness) * np.sqrt(2.0)
    across, down, inner = np.float32(wide / part.width), np.float32(wide / part.height), np.float32(size * (1.0 - soft))
    _gain(x, y, np.float32(circle), across, down, inner, np.float32(size), np.float32(stops), out)
    return out


def times_gain(planes: Planes, gain: Matte) -> Planes:
    """Light (3, H, W) times a gain (H, W)."""
    colour, factor = as_colour(planes), as_planes(gain)
    out = np.empty_like(colour)
    _times(colour, factor, out)
    return out


@kernel
def _times(planes, gain, out):  # type: ignore[no-untyped-def]
    channels, height, width = planes.shape
    for y in numba.prange(height):
        for k in range(channels):
            for x in range(width):
                out[k, y, x] = planes[k, y, x] * gain[y, x]


@kernel
def _gain(x, y, circle, across, down, inner, outer, stops, out):  # type: ignore[no-untyped-def]
    none, one, two, three = np.float32(0.0), np.float32(1.0), np.float32(2.0), np.float32(3.0)
    is_soft = outer > inner
    per_step = one / (outer - inner) if is_soft else none
    for row in numba.prange(y.size):
        line, bits = np.zeros(whole_row(x.size), np.float32), np.empty(whole_row(x.size), np.float32)
        v = y[row] * down
        for column in range(x.size):
            u = x[column] * across
            far = circle * np.sqrt(x[column] * x[column] + y[row] * y[row]) + np.sqrt(u * u + v * v)
            hard = one if far >= outer else none
            t = min(max((far - inner) * per_step, none), one) if is_soft else hard
            line[column] = stops * t * t * (three - two * t)
        exp2_row(line, bits, bits.view(np.int32))
        out[row] = line[: x.size]
