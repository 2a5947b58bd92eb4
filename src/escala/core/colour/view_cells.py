"""A colour table of cells that each keep their own nodes: the lookup's kernels, and how nodes are packed.

Three channels share one 64-bit number, in fields of 21 bits: 12 bits of value times 9 bits of weight. One load and one
multiplication then do all three. A cell's nodes lie side by side, so that its corners share a line of the cache, and
each cell may be divided as finely as it needs.
"""

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange, serial_kernel

Cells = NDArray[np.int32]
Nodes = NDArray[np.int64]

CELLS = 64
# The most parts along a side into which a cell can be divided: four bits tell them.
MOST_PARTS = 15
# Shown values (0..255) that a node can hold, in steps of an eighth. What lies outside 0..255 stays for the sums.
LOWEST, HIGHEST = -128.0, 383.875

# The shaper is the bit pattern of (value + offset): a logarithm made of straight pieces, exactly invertible.
OFFSET = np.float32(2.0**-7)
TOP = np.float32(2.0**7.5)
# Half a cell below black, so that small negative values are distinguished too.
BOTTOM = np.float32(OFFSET * 0.5)


def pack_nodes(shown: NDArray[np.float32]) -> Nodes:
    """(N, 3) shown values 0..255 as N nodes."""
    codes = np.rint((np.clip(shown, LOWEST, HIGHEST) - LOWEST) * 8.0).astype(np.int64)
    return np.asarray(codes[:, 0] | (codes[:, 1] << 21) | (codes[:, 2] << 42), np.int64)


def cell_words(first_nodes: NDArray[np.int64], parts: int) -> Cells:
    """What the table says of cells: where the nodes of each begin (below 2^26), and its parts along each side."""
    return (first_nodes * 32 + parts).astype(np.int32)


def as_unfollowed(words: Cells) -> Cells:
    """The same cells, marked: the view bends there too sharply for their nodes."""
    return words | np.int32(16)


def position_values(positions: NDArray[np.float64]) -> NDArray[np.float32]:
    """The light that lies at positions in the table, in cells (0..64)."""
    span = float(_bits(TOP)) - float(_bits(BOTTOM))
    bits = float(_bits(BOTTOM)) + positions * (span / CELLS)
    return np.asarray(bits.astype(np.int32).view(np.float32) - OFFSET, np.float32)


def _bits(value: np.float32) -> np.int32:
    return np.int32(np.float32(value).view(np.int32))


_BLOCK = 1024
_FRACTION = np.int32(14)
_WHOLE = np.int32(1 << 14)
_MASK = np.int32((1 << 14) - 1)
_TO_WEIGHT, _HALF_WEIGHT, _ALL = np.int32(5), np.int32(16), np.int32(512)
_FIRST = _bits(BOTTOM)
_SCALE = np.float32(CELLS * (1 << 14) / (int(_bits(TOP)) - int(_bits(BOTTOM))))
_LAST = np.int32(CELLS * (1 << 14) - 1)
_BRIGHTEST = np.float32(65504.0)
_STEP_R, _STEP_G = np.int32(12), np.int32(6)
_PARTS_BITS, _PARTS_MASK, _MARK_BIT = np.int32(5), np.int32(15), np.int32(4)
_ONE, _BLACK, _WHITE = np.int32(1), np.int32(0), np.int32(255)
_FIELD, _HALF_FIELD, _FIELD_BITS, _LIFT = np.int64((1 << 21) - 1), np.int32(2048), np.int32(12), np.int32(-LOWEST)


@kernel
def look_up(planes, matrix, cells, nodes, jobs, out, unfollowed):  # type: ignore[no-untyped-def]
    """(3, N) light to (N, 3) bytes, and (N,) whether the cell is a marked one.

    Each job takes blocks in turn, with scratch of its own that stays in the cache.

    Stages go over a whole block one after another: only plain loops over whole scratch arrays become vector code.
    """
    count = planes.shape[1]
    for job in prange(jobs):
        light = np.empty((3, _BLOCK), np.float32)
        words, sums = np.empty(_BLOCK, np.int32), np.empty(_BLOCK, np.int64)
        corners, weights = np.empty((4, _BLOCK), np.int32), np.empty((4, _BLOCK), np.int32)
        bytes_ = np.empty((3, _BLOCK), np.uint8)
        places = light.view(np.int32)
        for first in range(job * _BLOCK, count, jobs * _BLOCK):
            size = min(_BLOCK, count - first)
            for c in range(3):
                _place_channel(planes, first, matrix[c], light[c, :size])
            _find_cells(places, size, cells, words)
            for i in range(size):
                unfollowed[first + i] = (words[i] >> _MARK_BIT) & _ONE
            _find_corners(places, size, words, corners, weights)
            _gather(nodes, corners, weights, size, sums)
            _unpack(sums, size, bytes_)
            for i in range(size):
                out[first + i, 0], out[first + i, 1], out[first + i, 2] = bytes_[0, i], bytes_[1, i], bytes_[2, i]


@serial_kernel
def _place_channel(planes, first, row, out):  # type: ignore[no-untyped-def]
    """Where values lie along one axis, in cells with 14 binary places, left in `out` as whole numbers."""
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
        bits[i] = min(np.int32(np.float32(bits[i] - _FIRST) * _SCALE), _LAST)


@serial_kernel
def _find_cells(places, size, cells, words):  # type: ignore[no-untyped-def]
    """What the table says of each place's cell. Unsigned places spare the check for negative indices."""
    for i in range(size):
        r, g, b = places[0, i] >> _FRACTION, places[1, i] >> _FRACTION, places[2, i] >> _FRACTION
        words[i] = (r << _STEP_R) + (g << _STEP_G) + b
    for i in range(size):
        words[i] = cells[np.uint32(words[i])]


@serial_kernel
def _find_corners(places, size, words, corners, weights):  # type: ignore[no-untyped-def]
    """The tetrahedron around each place: from the near to the far corner by size of fraction, without a branch."""
    for i in range(size):
        parts = words[i] & _PARTS_MASK
        r, g, b = (places[0, i] & _MASK) * parts, (places[1, i] & _MASK) * parts, (places[2, i] & _MASK) * parts
        step_g = np.int32(parts + _ONE)
        step_r = np.int32(step_g * step_g)
        near = np.int32((words[i] >> _PARTS_BITS) + (r >> _FRACTION) * step_r + (g >> _FRACTION) * step_g)
        near = np.int32(near + (b >> _FRACTION))
        far = np.int32(near + step_r + step_g + _ONE)
        r = ((r & _MASK) + _HALF_WEIGHT) >> _TO_WEIGHT
        g = ((g & _MASK) + _HALF_WEIGHT) >> _TO_WEIGHT
        b = ((b & _MASK) + _HALF_WEIGHT) >> _TO_WEIGHT
        largest, smallest = max(r, max(g, b)), min(r, min(g, b))
        middle = np.int32(r + g + b - largest - smallest)
        to_first = step_r if r == largest else (step_g if g == largest else _ONE)
        to_last = _ONE if b == smallest else (step_g if g == smallest else step_r)
        corners[0, i], corners[1, i], corners[2, i], corners[3, i] = near, near + to_first, far - to_last, far
        weights[0, i], weights[1, i] = _ALL - largest, largest - middle
        weights[2, i], weights[3, i] = middle - smallest, smallest


@serial_kernel
def _gather(nodes, corners, weights, size, sums):  # type: ignore[no-untyped-def]
    """The weighted sum of four nodes, three channels at once: no field can run over into the next."""
    for i in range(size):
        near = np.int64(weights[0, i]) * nodes[np.uint32(corners[0, i])]
        near += np.int64(weights[1, i]) * nodes[np.uint32(corners[1, i])]
        far = np.int64(weights[2, i]) * nodes[np.uint32(corners[2, i])]
        sums[i] = near + far + np.int64(weights[3, i]) * nodes[np.uint32(corners[3, i])]


@serial_kernel
def _unpack(sums, size, out):  # type: ignore[no-untyped-def]
    """Sums of 512 parts of eighths to bytes, to the nearest."""
    for c in range(3):
        shift = np.int64(21 * c)
        for i in range(size):
            field = np.int32((sums[i] >> shift) & _FIELD)
            value = ((field + _HALF_FIELD) >> _FIELD_BITS) - _LIFT
            out[c, i] = np.uint8(min(max(value, _BLACK), _WHITE))
