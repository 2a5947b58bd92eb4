"""A view baked into a log-shaped 65^3 table, read by tetrahedral interpolation: for the moving picture only."""

import numba
import numpy as np
from numpy.typing import NDArray

from .colour import ColourConfig, View
from .kernels import kernel, serial_kernel
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
        shown = config.display_packed(grid, lattice, view)
        # Values a little outside 0..255 stay for the sums.
        self._table = np.ascontiguousarray(np.clip(shown, -1.0, 2.0).T * np.float32(255.0), np.float32)

    def to_bytes(self, planes: Planes) -> NDArray[np.uint8]:
        """(3, H, W) working-space values to (H, W, 3) display bytes, red first."""
        source = as_planes(planes)
        height, width = source.shape[1:]
        out = np.empty((height, width, 3), np.uint8)
        _look_up(source.reshape(3, -1), self._matrix, self._table, numba.get_num_threads(), out.reshape(-1, 3))
        return out


def _bits(value: np.float32) -> np.int32:
    return np.int32(np.float32(value).view(np.int32))


_FIRST = np.int32(_bits(BOTTOM))
_SCALE = np.float32((NODES - 1) / (int(_bits(TOP)) - int(_bits(BOTTOM))))
_LAST = np.float32(NODES - 1 - 1e-4)
_BLOCK = 1024
_ONE, _HALF, _BLACK, _WHITE = np.float32(1.0), np.float32(0.5), np.float32(0.0), np.float32(255.0)
_BRIGHTEST = np.float32(65504.0)
_STEP_R, _STEP_G, _STEP_B = np.int32(NODES * NODES), np.int32(NODES), np.int32(1)
_DIAGONAL = np.int32(NODES * NODES + NODES + 1)


@kernel
def _look_up(planes, matrix, table, jobs, out):  # type: ignore[no-untyped-def]
    """Each job takes blocks in turn, with scratch of its own that stays in the first cache."""
    count = planes.shape[1]
    for job in numba.prange(jobs):
        places, weights = np.empty((3, _BLOCK), np.float32), np.empty((4, _BLOCK), np.float32)
        corners, bytes_ = np.empty((4, _BLOCK), np.int32), np.empty((3, _BLOCK), np.uint8)
        for first in range(job * _BLOCK, count, jobs * _BLOCK):
            last = min(first + _BLOCK, count)
            size = last - first
            for c in range(3):
                _place_channel(planes, first, matrix[c], places[c, :size])
            # Whole scratch arrays, not slices of them: only what is surely contiguous becomes vector code.
            _find_corners(places, size, corners, weights)
            for c in range(3):
                _gather(table[c], corners, size, weights, bytes_[c])
            for i in range(size):
                out[first + i, 0], out[first + i, 1], out[first + i, 2] = bytes_[0, i], bytes_[1, i], bytes_[2, i]


@serial_kernel
def _place_channel(planes, first, row, out):  # type: ignore[no-untyped-def]
    """Where values lie along one axis of the table, in nodes."""
    red, green = planes[0, first : first + out.size], planes[1, first : first + out.size]
    blue = planes[2, first : first + out.size]
    for i in range(out.size):
        value = OFFSET + row[0] * max(min(red[i], _BRIGHTEST), -_BRIGHTEST)
        value += row[1] * max(min(green[i], _BRIGHTEST), -_BRIGHTEST)
        value += row[2] * max(min(blue[i], _BRIGHTEST), -_BRIGHTEST)
        # What is not a number fails the comparison and becomes black.
        out[i] = min(value, TOP) if value > BOTTOM else BOTTOM
    bits = out.view(np.int32)
    for i in range(out.size):
        out[i] = min(np.float32(bits[i] - _FIRST) * _SCALE, _LAST)


@serial_kernel
def _find_corners(places, size, corners, weights):  # type: ignore[no-untyped-def]
    """The tetrahedron around each place: from the near to the far corner by size of fraction, without a branch."""
    for i in range(size):
        r, g, b = places[0, i], places[1, i], places[2, i]
        ri, gi, bi = np.int32(r), np.int32(g), np.int32(b)
        fr, fg, fb = r - np.float32(ri), g - np.float32(gi), b - np.float32(bi)
        largest, smallest = max(fr, max(fg, fb)), min(fr, min(fg, fb))
        middle = fr + fg + fb - largest - smallest
        to_first = _STEP_R if fr == largest else (_STEP_G if fg == largest else _STEP_B)
        to_last = _STEP_B if fb == smallest else (_STEP_G if fg == smallest else _STEP_R)
        near = np.int32(ri * _STEP_R + gi * _STEP_G + bi)
        far = np.int32(near + _DIAGONAL)
        corners[0, i], corners[1, i], corners[2, i], corners[3, i] = near, near + to_first, far - to_last, far
        weights[0, i], weights[1, i] = _ONE - largest, largest - middle
        weights[2, i], weights[3, i] = middle - smallest, smallest


@serial_kernel
def _gather(table, corners, size, weights, out):  # type: ignore[no-untyped-def]
    """One channel's bytes. Unsigned places spare the check for negative indices, and the loop becomes vector code."""
    for i in range(size):
        value = weights[0, i] * table[np.uint32(corners[0, i])] + weights[1, i] * table[np.uint32(corners[1, i])]
        value += weights[2, i] * table[np.uint32(corners[2, i])] + weights[3, i] * table[np.uint32(corners[3, i])]
        out[i] = np.uint8(np.int32(min(max(value, _BLACK), _WHITE) + _HALF))
