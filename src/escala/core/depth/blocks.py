"""Blocks of pixels that are spread as one, where that cannot be seen: of one depth, wide blur, and no highlight."""

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange
from ..viewer.pyramid import halve_box
from .footprints import BLOCKS, radius_step
from .layers import CHANNELS, GONE, Surfels

# A block of so many pixels a side is spread as one from this many times as large a radius on; fast where that is less.
FINE_BLOCKS, COARSE_BLOCKS = 4.0, 2.0
# The steps of radii that may lie within a block, and how much brighter than all around it a part of it may be.
_STEPS, _BRIGHTER, _FLOOR = 4, 3.0, 1e-4
# "Around" is so many sides of a block; three halvings of its own size.
AROUND = 8


def merge_blocks(surfels: Surfels, least_radius: float) -> None:
    """Put blocks together into their first pixels, in place. Sizes are powers of 2, blocks begin at multiples.

    `least_radius`: of the discs of what goes into a block, in sides of that.
    """
    around = _brightest(surfels.light, surfels.footprint)
    for block in range(1, BLOCKS):
        wider = _halved(around)
        least = radius_step(least_radius * (1 << block))
        _merge(surfels.light, surfels.slice, surfels.footprint, block, least, _halved(_halved(_halved(wider))))
        around = wider


@kernel
def _brightest(light, prints):  # type: ignore[no-untyped-def]
    """The brightest channel of each surfel; 0 where none is."""
    layers, height, width, _ = light.shape
    out = np.empty((layers, height, width), np.float32)
    for y in prange(height):
        for layer in range(layers):
            for x in range(width):
                red, green, blue = light[layer, y, x, 0], light[layer, y, x, 1], light[layer, y, x, 2]
                out[layer, y, x] = max(red, green, blue) if prints[layer, y, x] >= 0 else np.float32(0.0)
    return out


def _halved(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.stack([halve_box(plane) for plane in planes])


@kernel
def _merge(light, slices, prints, block, least, around):  # type: ignore[no-untyped-def]
    size, half = 1 << block, 1 << (block - 1)
    layers, height, width = slices.shape
    pixels = np.float32(half * half)
    for job in prange(min(height // size, AROUND * around.shape[1])):
        y = job * size
        for layer in range(layers):
            for x in range(0, min(width // size, AROUND * around.shape[2]) * size, size):
                low, high, brightest = 1 << 30, -1, np.float32(0.0)
                for part in range(4):
                    v, u = y + part // 2 * half, x + part % 2 * half
                    code = prints[layer, v, u]
                    if code < 0 or code % BLOCKS != block - 1 or slices[layer, v, u] != slices[layer, y, x]:
                        low = -1
                        break
                    low, high = min(low, code // BLOCKS), max(high, code // BLOCKS)
                    for k in range(3):
                        brightest = max(brightest, light[layer, v, u, k])
                mean = around[layer, y // size // AROUND, x // size // AROUND]
                if low < least or high - low > _STEPS or brightest > pixels * (_BRIGHTER * mean + _FLOOR):
                    continue
                prints[layer, y, x] = (low + high) // 2 * BLOCKS + block
                for part in range(1, 4):
                    v, u = y + part // 2 * half, x + part % 2 * half
                    prints[layer, v, u] = GONE
                    for k in range(CHANNELS):
                        light[layer, y, x, k] += light[layer, v, u, k]
