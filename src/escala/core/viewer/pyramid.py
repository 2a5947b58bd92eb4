"""Halves of planes: box filter for light, nearest for depth and ids; and views of a plane at any scale."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange
from ..planes import as_planes, narrow_to_half

SMALLEST = 64


def level_count(height: int, width: int) -> int:
    """How many levels a pyramid has, the full one counted: halved until the longer side is 64 or less."""
    levels = 1
    while max(height, width) > SMALLEST:
        height, width, levels = (height + 1) // 2, (width + 1) // 2, levels + 1
    return levels


def halve_nearest(plane: NDArray[Any], wide: NDArray[Any] | None = None) -> NDArray[Any]:
    """Every second pixel of every second row, beginning with the first; any type, (H, W)."""
    return np.ascontiguousarray(plane[::2, ::2])


def halve_box(plane: NDArray[Any], wide: NDArray[Any] | None = None) -> NDArray[Any]:
    """Means of 2 x 2 pixels, a last odd row or column of what is there; half or float32 (H, W), same type.

    `wide`: the plane as float32, where the caller has it already.
    """
    source = as_planes(plane) if wide is None else wide
    height, width = source.shape
    out = np.empty(((height + 1) // 2, (width + 1) // 2), np.float32)
    _halve(source, out)
    return narrow_to_half(out) if plane.dtype == np.float16 else out


@kernel
def _halve(source, out):  # type: ignore[no-untyped-def]
    height, width = source.shape
    for y in prange(out.shape[0]):
        upper = source[2 * y]
        lower = source[min(2 * y + 1, height - 1)]
        for x in range(width // 2):
            pair = (upper[2 * x] + upper[2 * x + 1]) + (lower[2 * x] + lower[2 * x + 1])
            out[y, x] = np.float32(0.25) * pair
        if width % 2:
            out[y, width // 2] = np.float32(0.5) * (upper[width - 1] + lower[width - 1])
