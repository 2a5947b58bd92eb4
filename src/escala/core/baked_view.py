"""A view baked into a log-shaped 65^3 table, read by tetrahedral interpolation: for the moving picture only."""

import numba
import numpy as np
from numpy.typing import NDArray

from .colour import ColourConfig, View
from .kernels import kernel
from .planes import Planes, as_planes

NODES = 65
# The shaper is the bit pattern of (value + offset): a logarithm made of straight pieces, exactly invertible.
OFFSET = np.float32(2.0**-7)
TOP = np.float32(2.0**7.5)
# Half a node below black, so that small negative values are told apart too.
BOTTOM = np.float32(OFFSET * 0.5)


class BakedView:
    """A display view of one working space, as 8-bit pixels."""

    def __init__(self, config: ColourConfig, space: str, view: View) -> None:
        positions = np.linspace(float(_bits(BOTTOM)), float(_bits(TOP)), NODES)
        nodes = positions.astype(np.int32).view(np.float32) - OFFSET
        grid = np.stack(np.meshgrid(nodes, nodes, nodes, indexing="ij"), axis=-1).reshape(-1, 3)
        lattice = config.lattice_space(view.display)
        self._matrix = config.matrix_between(space, lattice)
        self._table = np.zeros((NODES**3, 4), np.float32)
        self._table[:, :3] = config.display_packed(grid, lattice, view) * 255.0

    def to_bytes(self, planes: Planes) -> NDArray[np.uint8]:
        """(3, H, W) working-space values to (H, W, 3) display bytes, red first."""
        source = as_planes(planes)
        height, width = source.shape[1:]
        out = np.empty((height, width, 3), np.uint8)
        _look_up(source.reshape(3, -1), self._matrix, self._table, out.reshape(-1, 3))
        return out


def _bits(value: np.float32) -> np.int32:
    return np.int32(np.float32(value).view(np.int32))


_FIRST = np.int32(_bits(BOTTOM))
_SCALE = np.float32((NODES - 1) / (int(_bits(TOP)) - int(_bits(BOTTOM))))
_LAST = np.float32(NODES - 1 - 1e-4)
_BLOCK = 1024
_BRIGHTEST = np.float32(65504.0)
_STEP_R = NODES * NODES
_STEP_G = NODES


@kernel
def _look_up(planes, matrix, table, out):  # type: ignore[no-untyped-def]
    count = planes.shape[1]
    for job in numba.prange((count + _BLOCK - 1) // _BLOCK):
        first = job * _BLOCK
        last = min(first + _BLOCK, count)
        lifted = np.empty((3, last - first), np.float32)
        for c in range(3):
            for i in range(last - first):
                value = OFFSET
                for k in range(3):
                    value += matrix[c, k] * max(min(planes[k, first + i], _BRIGHTEST), -_BRIGHTEST)
                # Not a number fails the comparison and becomes black.
                lifted[c, i] = min(value, TOP) if value > BOTTOM else BOTTOM
        bits = lifted.view(np.int32)
        for c in range(3):
            for i in range(last - first):
                lifted[c, i] = min(np.float32(bits[c, i] - _FIRST) * _SCALE, _LAST)
        for i in range(last - first):
            _tetrahedron(lifted[0, i], lifted[1, i], lifted[2, i], table, out, first + i)


@numba.njit(nogil=True, cache=True, inline="always")
def _tetrahedron(r, g, b, table, out, place):  # type: ignore[no-untyped-def]
    ri, gi, bi = np.int32(r), np.int32(g), np.int32(b)
    fr, fg, fb = r - np.float32(ri), g - np.float32(gi), b - np.float32(bi)
    near = (ri * NODES + gi) * NODES + bi
    far = near + _STEP_R + _STEP_G + 1
    largest, middle, smallest = fr, fg, fb
    first, second = near + _STEP_R, near + _STEP_R + _STEP_G
    if fg > fr:
        if fb > fg:
            largest, middle, smallest, first, second = fb, fg, fr, near + 1, near + 1 + _STEP_G
        elif fb > fr:
            largest, middle, smallest, first, second = fg, fb, fr, near + _STEP_G, near + _STEP_G + 1
        else:
            largest, middle, smallest, first, second = fg, fr, fb, near + _STEP_G, near + _STEP_R + _STEP_G
    elif fb > fr:
        largest, middle, smallest, first, second = fb, fr, fg, near + 1, near + 1 + _STEP_R
    elif fb > fg:
        largest, middle, smallest, first, second = fr, fb, fg, near + _STEP_R, near + _STEP_R + 1
    w0, w1 = np.float32(1.0) - largest, largest - middle
    w2, w3 = middle - smallest, smallest
    for c in range(3):
        value = w0 * table[near, c] + w1 * table[first, c] + w2 * table[second, c] + w3 * table[far, c]
        out[place, c] = np.uint8(min(max(value, np.float32(0.0)), np.float32(255.0)) + np.float32(0.5))
