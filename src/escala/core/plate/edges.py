"""Edges of a layer: the old backing taken out of half-covered pixels, alpha grown or shrunk and softened."""

import numpy as np
from numpy.typing import NDArray

from ..gaussian import gaussian, reach_of_gaussian
from ..kernels import kernel, prange
from ..mattes.shaping import grow
from ..planes import Matte, as_colour, as_planes
from ..progress import ProgressCallback, no_progress
from .operators import Layer

# Colour of pixels that are covered less than this is taken from beside them.
COVERED = 1e-4
_NOWHERE = np.int32(1 << 30)


def clean_backing(layer: Layer, backing: tuple[float, float, float]) -> Layer:
    """A layer without the colour of the backing that it was rendered on: colour − (1 − alpha)·backing."""
    colour = np.array(backing, np.float32)[:, None, None]
    return Layer(np.asarray(layer.colour - (np.float32(1.0) - layer.alpha) * colour, np.float32), layer.alpha)


def reach_of_edges(grow_px: float, soften_px: float) -> int:
    """How many pixels around each `reshape_edges` looks at, beyond those of the colour that it carries on."""
    return int(abs(grow_px)) + reach_of_gaussian(soften_px)


def reshape_edges(
    layer: Layer, grow_px: float, soften_px: float, report_progress: ProgressCallback = no_progress
) -> Layer:
    """A layer with its alpha grown (shrunk where negative), then softened by a Gaussian of sigma `soften_px`.

    Colour follows: it is divided by alpha before, carried on from the nearest covered pixel beyond the edge, and
    multiplied by the new alpha. Lengths in pixels of the layer. Outside the frame edge pixels are carried on.
    """
    alpha = as_planes(layer.alpha)
    shaped = grow(alpha, grow_px, report_progress)
    if soften_px > 0:
        shaped = gaussian(shaped, soften_px, soften_px)
    colour, out = as_colour(layer.colour), np.empty_like(layer.colour, np.float32)
    source = _nearest_covered(alpha, reach_of_edges(grow_px, soften_px) + 1)
    _multiply(colour, alpha, source, np.float32(COVERED), shaped, out)
    return Layer(out, shaped)


def _nearest_covered(alpha: Matte, farthest: int) -> NDArray[np.int32]:
    """Row and column of the nearest covered pixel of each, (2, H, W) int32; its own where none is near.

    Down each column the distance to the nearest covered pixel of that column; then along each row the least sum of
    squares: exact Euclidean distances within `farthest` pixels.
    """
    height, width = alpha.shape
    down = np.empty((height, width), np.int32)
    out = np.empty((2, height, width), np.int32)
    _look_down(alpha, np.float32(COVERED), down)
    _look_along(down, np.int64(farthest), out)
    return out


@kernel
def _look_down(alpha, covered, down):  # type: ignore[no-untyped-def]
    """Signed rows to the nearest covered pixel of the column."""
    height, width = alpha.shape
    block = 64
    for strip in prange((width + block - 1) // block):
        for x in range(strip * block, min(width, strip * block + block)):
            last = -1
            for y in range(height):
                if alpha[y, x] > covered:
                    last = y
                down[y, x] = last - y if last >= 0 else _NOWHERE
            last = -1
            for y in range(height - 1, -1, -1):
                if alpha[y, x] > covered:
                    last = y
                if last >= 0 and last - y < abs(down[y, x]):
                    down[y, x] = last - y


@kernel
def _look_along(down, farthest, out):  # type: ignore[no-untyped-def]
    height, width = down.shape
    for row in prange(height):
        y = np.int64(row)
        for x in range(width):
            out[0, y, x], out[1, y, x] = y, x
            if down[y, x] == 0:
                continue
            best = farthest * farthest + 1
            for step in range(farthest + 1):
                if step * step >= best:
                    break
                for side in range(2):
                    column = x + step if side else x - step
                    if column < 0 or column >= width or abs(down[y, column]) > farthest:
                        continue
                    distance = step * step + np.int64(down[y, column]) * np.int64(down[y, column])
                    if distance < best:
                        best = distance
                        out[0, y, x], out[1, y, x] = y + down[y, column], column


@kernel
def _multiply(colour, alpha, source, covered, shaped, out):  # type: ignore[no-untyped-def]
    height, width = alpha.shape
    for y in prange(height):
        for x in range(width):
            v, u = source[0, y, x], source[1, y, x]
            cover = alpha[v, u]
            share = shaped[y, x] / cover if cover > covered else np.float32(0.0)
            same = v == y and u == x and shaped[y, x] == cover
            for channel in range(3):
                out[channel, y, x] = colour[channel, v, u] if same else colour[channel, v, u] * share
