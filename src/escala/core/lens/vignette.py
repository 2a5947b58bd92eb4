"""Vignette: a picture that grows darker, or lighter, away from a place."""

import numpy as np

from ..corrections.powers import exp2_row, whole_row
from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour, as_planes
from .geometry import FramePart


def vignette(
    planes: Planes,
    part: FramePart,
    stops: float,
    centre: tuple[float, float] | None,
    size: float,
    roundness: float,
    soft: float,
    matte: Matte | None = None,
) -> Planes:
    """Light (3, H, W) times `2^(stops · s)`, s a smoothstep of the distance from `size · (1 - soft)` to `size`.

    Distances in half diagonals: `roundness` 1 measures along circles, 0 along the ellipse of the frame, between them
    in proportion. As far as the matte, (H, W), says: a gain becomes `1 + matte · (gain - 1)`.
    """
    colour = as_colour(planes)
    x, y = part.from_place(colour, part.middle if centre is None else centre)
    out = np.empty_like(colour)
    circle, wide = roundness / part.half_diagonal, (1.0 - roundness) * np.sqrt(2.0)
    shape = circle, wide / part.width, wide / part.height, size * (1.0 - soft), size, stops
    everywhere = np.ones((1, 1), np.float32) if matte is None else as_planes(matte)
    _darken(colour, everywhere, matte is not None, x, y, np.array(shape, np.float32), out)
    return out


@kernel
def _darken(planes, matte, is_limited, x, y, shape, out):  # type: ignore[no-untyped-def]
    circle, across, down, inner, outer, stops = shape
    none, one, two, three = np.float32(0.0), np.float32(1.0), np.float32(2.0), np.float32(3.0)
    is_soft = outer > inner
    per_step = one / (outer - inner) if is_soft else none
    for line in prange(y.size):
        row = np.int64(line)
        gain, room = np.zeros(whole_row(x.size), np.float32), np.empty(whole_row(x.size), np.float32)
        v = y[row] * down
        for column in range(x.size):
            u = x[column] * across
            far = circle * np.sqrt(x[column] * x[column] + y[row] * y[row]) + np.sqrt(u * u + v * v)
            hard = one if far >= outer else none
            t = min(max((far - inner) * per_step, none), one) if is_soft else hard
            gain[column] = stops * t * t * (three - two * t)
        exp2_row(gain, room, room.view(np.int32))
        if is_limited:
            cover = matte[row]
            for column in range(x.size):
                gain[column] = one + cover[column] * (gain[column] - one)
        for k in range(planes.shape[0]):
            source, changed = planes[k, row], out[k, row]
            for column in range(x.size):
                changed[column] = source[column] * gain[column]
