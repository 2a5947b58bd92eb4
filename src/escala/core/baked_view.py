"""A view baked into a log-shaped 65^3 table, read by tetrahedral interpolation: for the moving picture only."""

from collections.abc import Callable, Iterator
from typing import Any

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


# A cell of the table that is off by more than this (of 255) is divided again, so many times along each side.
_TOLERANCE = 1.1
_PARTS = 6
_NODES_IN_CELL = (_PARTS + 1) ** 3
# Where inside a cell the error is looked for: its middle, and halfway from there to every second corner.
_TRIALS = np.array([[2, 2, 2], [1, 1, 1], [3, 3, 1], [3, 1, 3], [1, 3, 3]]) / 4


class BakedView:
    """A display view of one working space, as 8-bit pixels.

    `refine` divides the cells in which the view bends too sharply for the table, which it does at the edges of the
    display's gamut: until then single colours there may be off by tens of 255, afterwards hardly any by more than 2.
    """

    def __init__(self, config: ColourConfig, space: str, view: View) -> None:
        self._config, self._view = config, view
        # Wide primaries: every real colour lies inside the table.
        self._lattice = config.space("ACEScg") if config.has_space("ACEScg") else space
        self._matrix = config.matrix_between(space, self._lattice)
        grid = np.indices((NODES, NODES, NODES)).reshape(3, -1).T
        # Values a little outside 0..255 stay for the sums.
        self._table = np.ascontiguousarray(self._exact(grid).T)
        self._parts = np.full((NODES - 1) ** 3, -1, np.int32)

    def refine(self, stop: Callable[[], bool] = lambda: False) -> None:
        """Divide the cells that are off; some seconds of work, and the view may be used meanwhile.

        It ends early, and changes nothing, as soon as `stop` says so.
        """
        cells = np.indices((NODES - 1,) * 3).reshape(3, -1).T
        worst = np.zeros(len(cells), np.float32)
        for chosen in _slices(len(cells)):
            if stop():
                return
            worst[chosen] = self._worst_in(cells[chosen])
        bent = np.flatnonzero(_with_neighbours(worst) > _TOLERANCE)
        inside = np.indices((_PARTS + 1,) * 3).reshape(3, -1).T / _PARTS
        table = np.empty((3, NODES**3 + len(bent) * _NODES_IN_CELL), np.float32)
        table[:, : NODES**3] = self._table[:, : NODES**3]
        nodes = table[:, NODES**3 :]
        for chosen in _slices(len(bent), 64):
            if stop():
                return
            places = (cells[bent[chosen]][:, None] + inside).reshape(-1, 3)
            nodes[:, chosen.start * _NODES_IN_CELL : chosen.start * _NODES_IN_CELL + len(places)] = self._exact(
                places
            ).T
        parts = np.full(len(cells), -1, np.int32)
        parts[bent] = NODES**3 + np.arange(len(bent), dtype=np.int32) * _NODES_IN_CELL
        self._table, self._parts = table, parts

    def _worst_in(self, cells: NDArray[Any]) -> NDArray[np.float32]:
        """The largest error that shows at the trial places of cells (N, 3), of 255; (N,)."""
        worst = np.zeros(len(cells), np.float32)
        for trial in _TRIALS:
            exact, table = self._exact(cells + trial), self._interpolated(cells + trial)
            np.maximum(worst, np.abs(np.clip(exact, 0, 255) - np.clip(table, 0, 255)).max(axis=1), out=worst)
        return worst

    def to_bytes(self, planes: Planes) -> NDArray[np.uint8]:
        """(3, H, W) working-space values to (H, W, 3) display bytes, red first."""
        source = as_planes(planes)
        height, width = source.shape[1:]
        out = np.empty((height, width, 3), np.uint8)
        # The table is read first: it holds at least what the parts speak of.
        parts, table = self._parts, self._table
        _look_up(source.reshape(3, -1), self._matrix, table, parts, numba.get_num_threads(), out.reshape(-1, 3))
        return out

    def _exact(self, positions: NDArray[Any]) -> NDArray[np.float32]:
        """The view at positions in the table, in nodes (N, 3), as 0..255."""
        span = float(_bits(TOP)) - float(_bits(BOTTOM))
        bits = float(_bits(BOTTOM)) + positions * (span / (NODES - 1))
        values = bits.astype(np.int32).view(np.float32) - OFFSET
        shown = self._config.display_packed(values, self._lattice, self._view)
        return np.clip(shown, -1.0, 2.0) * np.float32(255.0)

    def _interpolated(self, positions: NDArray[Any]) -> NDArray[np.float32]:
        """What the undivided table gives there."""
        places = np.ascontiguousarray(positions.T, np.float32)
        corners, weights = np.empty((4, len(positions)), np.int32), np.empty((4, len(positions)), np.float32)
        _find_corners(places, len(positions), corners, weights)
        return np.asarray(sum(self._table[:, c] * w for c, w in zip(corners, weights, strict=True)), np.float32).T


def _slices(count: int, step: int = 4096) -> Iterator[slice]:
    """Steps so short that whoever else needs the machine hardly waits."""
    return (slice(first, min(first + step, count)) for first in range(0, count, step))


def _with_neighbours(worst: NDArray[np.float32]) -> NDArray[np.float32]:
    """Each cell's error, or half of its worst neighbour's: a bend seldom ends at the side of a cell."""
    cube = worst.reshape((NODES - 1,) * 3)
    around = cube.copy()
    for axis in range(3):
        own, other = np.moveaxis(around, axis, 0), np.moveaxis(cube, axis, 0)
        np.maximum(own[1:], other[:-1], out=own[1:])
        np.maximum(own[:-1], other[1:], out=own[:-1])
    return np.asarray(np.maximum(cube, np.float32(0.5) * around)).ravel()


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
_CELLS, _FINER, _FINE_LAST = np.int32(NODES - 1), np.float32(_PARTS), np.float32(_PARTS - 1e-4)
_FINE_R, _FINE_G = np.int32((_PARTS + 1) ** 2), np.int32(_PARTS + 1)


@kernel
def _look_up(planes, matrix, table, parts, jobs, out):  # type: ignore[no-untyped-def]
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
            _enter_parts(places, size, parts, corners, weights)
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
def _enter_parts(places, size, parts, corners, weights):  # type: ignore[no-untyped-def]
    """Where a cell is divided, the tetrahedron in its finer grid takes the place of the coarse one."""
    for i in range(size):
        r, g, b = np.int32(places[0, i]), np.int32(places[1, i]), np.int32(places[2, i])
        first = parts[np.uint32((r * _CELLS + g) * _CELLS + b)]
        if first >= 0:
            fr = min((places[0, i] - np.float32(r)) * _FINER, _FINE_LAST)
            fg = min((places[1, i] - np.float32(g)) * _FINER, _FINE_LAST)
            fb = min((places[2, i] - np.float32(b)) * _FINER, _FINE_LAST)
            ri, gi, bi = np.int32(fr), np.int32(fg), np.int32(fb)
            fr, fg, fb = fr - np.float32(ri), fg - np.float32(gi), fb - np.float32(bi)
            largest, smallest = max(fr, max(fg, fb)), min(fr, min(fg, fb))
            middle = fr + fg + fb - largest - smallest
            to_first = _FINE_R if fr == largest else (_FINE_G if fg == largest else _STEP_B)
            to_last = _STEP_B if fb == smallest else (_FINE_G if fg == smallest else _FINE_R)
            near = np.int32(first + ri * _FINE_R + gi * _FINE_G + bi)
            far = np.int32(near + _FINE_R + _FINE_G + _STEP_B)
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
