"""From interleaved rows or whole planes, as files are read, to planes with their smaller levels and figures: one loop
that splits, measures and halves while rows are near.

Half values stand as their bits (uint16), so that what is stored is what was read, to the bit. What takes a band of rows
begins at an even row; `order[channel]` is the plane that a channel becomes, or -1.
"""

from contextlib import nullcontext
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError
from ..kernels import kernel, kernel_with, prange, serial_kernel, single_thread
from ..planes import narrow_row, widen_row

FIGURES = 5  # lowest, highest, sum, how many are finite, how many are below 0
_EXPONENT, _MAGNITUDE = np.uint32(0x7F800000), np.int32(0x7FFFFFFF)
_SMALLER, _LARGER = np.float32(2.0**-20), 2.0**20
_LOWEST_KEY, _HIGHEST_KEY = np.int32(-(2**31)), np.int32(2**31 - 1)
# Threads share the work on planes from this size on.
_SHARED_PIXELS = 1 << 20
_QUARTER, _HALF = np.float32(0.25), np.float32(0.5)


def split_band(
    band: NDArray[np.uint16] | NDArray[np.float32],
    order: NDArray[np.int32],
    nearest: NDArray[np.bool_],
    top: int,
    full: NDArray[np.uint16] | NDArray[np.float32],
    small: NDArray[np.uint16] | NDArray[np.float32],
    figures: NDArray[np.float64],
) -> None:
    """Split a band (rows, W, channels) into `full` (P, rows, W), its halves into `small`, its figures into `figures`.

    `small` is (P, ceil(rows/2), ceil(W/2)): means of 2 x 2 pixels, or the first of them where `nearest` (by plane) says
    so. `figures` is (P, ceil(H/2), 5), per two rows of the whole planes, in which the band begins at the even row
    `top`. A float band may go into half planes: the values were half before.
    """
    if top % 2:
        raise ShapeError(f"a band begins at an even row, not at {top}")
    if band.dtype == np.uint16:
        _split_half(band, order, nearest, top, full, small, figures)
    elif full.dtype == np.uint16:
        _split_float_to_half(band, order, nearest, top, full, small, figures)
    else:
        _split_float(band, order, nearest, top, full, small, figures)


def split_plane(plane: NDArray[Any], nearest: bool, smaller: NDArray[Any], figures: NDArray[np.float64]) -> None:
    """Write the smaller levels of a plane (H, W) one after another into `smaller` (flat), its figures per two rows.

    As many levels are written as `smaller` has room for; each is made of the one before, as by `split_band`. Types:
    uint16 (the bits of halves), float32, or uint32, whose levels always take the nearest pixel.
    """
    if plane.dtype == np.uint32:
        return _split_integers(plane, smaller, figures)
    split = _split_half_plane if plane.dtype == np.uint16 else _split_float_plane
    with single_thread() if plane.size < _SHARED_PIXELS else nullcontext():
        split(plane, nearest, smaller, figures)


def _split_integers(plane: NDArray[np.uint32], smaller: NDArray[np.uint32], figures: NDArray[np.float64]) -> None:
    """Rare, so plain."""
    height, width = plane.shape
    pairs = np.arange(0, height, 2)
    figures[:, 0] = np.minimum.reduceat(plane.min(axis=1), pairs)
    figures[:, 1] = np.maximum.reduceat(plane.max(axis=1), pairs)
    figures[:, 2] = np.add.reduceat(plane.sum(axis=1, dtype=np.float64), pairs)
    figures[:, 3] = np.add.reduceat(np.full(height, width), pairs)
    start = 0
    while start < smaller.size:
        plane = plane[::2, ::2]
        smaller[start : start + plane.size] = plane.reshape(-1)
        start += plane.size


@kernel
def _split_half_plane(plane, nearest, smaller, figures):  # type: ignore[no-untyped-def]
    rows, width = plane.shape
    half_width = (width + 1) // 2
    is_smallest = smaller.size == 0
    for pair in prange((rows + 1) // 2):
        bits = np.empty((2, width), np.uint32)
        wide = bits.view(np.float32)
        count = min(2, rows - 2 * pair)
        for k in range(count):
            widen_row(plane[2 * pair + k], wide[k])
        measure_rows(wide[:count], bits[:count], figures[pair])
        if not is_smallest:
            out = smaller[pair * half_width : (pair + 1) * half_width]
            if nearest:
                _take_every_second(plane[2 * pair], out)
            else:
                _halve_rows(wide[0], wide[count - 1], wide[0])
                narrow_row(wide[0], bits[0], out)
    start, rows, width = 0, (rows + 1) // 2, half_width
    while start + rows * width < smaller.size:
        level, start = smaller[start : start + rows * width].reshape(rows, width), start + rows * width
        rows, width = (rows + 1) // 2, (width + 1) // 2
        _halve_bits(level, nearest, smaller[start : start + rows * width].reshape(rows, width))


@kernel
def _halve_bits(level, nearest, out):  # type: ignore[no-untyped-def]
    rows, width = level.shape
    for pair in prange(out.shape[0]):
        bits = np.empty((2, width), np.uint32)
        wide = bits.view(np.float32)
        count = min(2, rows - 2 * pair)
        if nearest:
            _take_every_second(level[2 * pair], out[pair])
        else:
            for k in range(count):
                widen_row(level[2 * pair + k], wide[k])
            _halve_rows(wide[0], wide[count - 1], wide[0])
            narrow_row(wide[0], bits[0], out[pair])


@kernel
def _split_float_plane(plane, nearest, smaller, figures):  # type: ignore[no-untyped-def]
    rows, width = plane.shape
    bits = plane.view(np.uint32)
    half_width = (width + 1) // 2
    is_smallest = smaller.size == 0
    for pair in prange((rows + 1) // 2):
        last = min(2 * pair + 1, rows - 1)
        measure_rows(plane[2 * pair : last + 1], bits[2 * pair : last + 1], figures[pair])
        if not is_smallest:
            out = smaller[pair * half_width : (pair + 1) * half_width]
            if nearest:
                _take_every_second(plane[2 * pair], out)
            else:
                _halve_rows(plane[2 * pair], plane[last], out)
    start, rows, width = 0, (rows + 1) // 2, half_width
    while start + rows * width < smaller.size:
        level, start = smaller[start : start + rows * width].reshape(rows, width), start + rows * width
        rows, width = (rows + 1) // 2, (width + 1) // 2
        _halve_floats(level, nearest, smaller[start : start + rows * width].reshape(rows, width))


@kernel
def _halve_floats(level, nearest, out):  # type: ignore[no-untyped-def]
    rows = level.shape[0]
    for pair in prange(out.shape[0]):
        if nearest:
            _take_every_second(level[2 * pair], out[pair])
        else:
            _halve_rows(level[2 * pair], level[min(2 * pair + 1, rows - 1)], out[pair])


@kernel
def _split_half(band, order, nearest, top, full, small, figures):  # type: ignore[no-untyped-def]
    rows, width = band.shape[0], band.shape[1]
    for pair in prange((rows + 1) // 2):
        bits = np.empty((2, width), np.uint32)
        wide = bits.view(np.float32)
        half = np.empty((2, width), np.uint16)
        for c in range(order.size):
            p = order[c]
            if p < 0:
                continue
            count = min(2, rows - 2 * pair)
            for k in range(count):
                _take(band, 2 * pair + k, c, half[k])
                full[p, 2 * pair + k] = half[k]
                widen_row(half[k], wide[k])
            measure_rows(wide[:count], bits[:count], figures[p, top // 2 + pair])
            if nearest[p]:
                _take_every_second(half[0], small[p, pair])
            else:
                _halve_rows(wide[0], wide[count - 1], wide[0])
                narrow_row(wide[0], bits[0], small[p, pair])


@kernel
def _split_float_to_half(band, order, nearest, top, full, small, figures):  # type: ignore[no-untyped-def]
    rows, width = band.shape[0], band.shape[1]
    for pair in prange((rows + 1) // 2):
        bits = np.empty((2, width), np.uint32)
        wide = bits.view(np.float32)
        for c in range(order.size):
            p = order[c]
            if p < 0:
                continue
            count = min(2, rows - 2 * pair)
            for k in range(count):
                _take(band, 2 * pair + k, c, wide[k])
                narrow_row(wide[k], bits[k], full[p, 2 * pair + k])
            measure_rows(wide[:count], bits[:count], figures[p, top // 2 + pair])
            if nearest[p]:
                _take_every_second(full[p, 2 * pair], small[p, pair])
            else:
                _halve_rows(wide[0], wide[count - 1], wide[0])
                narrow_row(wide[0], bits[0], small[p, pair])


@kernel
def _split_float(band, order, nearest, top, full, small, figures):  # type: ignore[no-untyped-def]
    rows, width = band.shape[0], band.shape[1]
    for pair in prange((rows + 1) // 2):
        bits = np.empty((2, width), np.uint32)
        wide = bits.view(np.float32)
        for c in range(order.size):
            p = order[c]
            if p < 0:
                continue
            count = min(2, rows - 2 * pair)
            for k in range(count):
                _take(band, 2 * pair + k, c, wide[k])
                full[p, 2 * pair + k] = wide[k]
            measure_rows(wide[:count], bits[:count], figures[p, top // 2 + pair])
            if nearest[p]:
                _take_every_second(wide[0], small[p, pair])
            else:
                _halve_rows(wide[0], wide[count - 1], small[p, pair])


@serial_kernel
def _take(band, y, c, out):  # type: ignore[no-untyped-def]
    """One channel of one row."""
    for x in range(out.size):
        out[x] = band[y, x, c]


@serial_kernel
def _take_every_second(row, out):  # type: ignore[no-untyped-def]
    for x in range(out.size):
        out[x] = row[2 * x]


@serial_kernel
def _halve_rows(upper, lower, out):  # type: ignore[no-untyped-def]
    """Means of 2 x 2; `out` may be `upper` itself. A last odd column has two values, a last odd row is given twice."""
    width = upper.size
    for x in range(width // 2):
        out[x] = _QUARTER * ((upper[2 * x] + upper[2 * x + 1]) + (lower[2 * x] + lower[2 * x + 1]))
    if width % 2:
        out[width // 2] = _HALF * (upper[width - 1] + lower[width - 1])


# What is not finite is detected by its bits, so that the sums may be taken in any order and become vector code.
_any_order = kernel_with(fastmath={"reassoc", "nnan", "ninf", "nsz"})


@_any_order
def measure_rows(rows, bits, out):  # type: ignore[no-untyped-def]
    """Kernel part: lowest, highest and sum of the finite values of rows, their number, and how many are negative."""
    low, high, total = _HIGHEST_KEY, _LOWEST_KEY, np.float64(0.0)
    count, below = np.int32(0), np.int32(0)
    for y in range(rows.shape[0]):
        low, high = _range_of(bits[y], low, high)
        row_sum, row_count, row_below = _sum_of(rows[y], bits[y])
        total, count, below = total + row_sum, count + row_count, below + row_below
    out[0], out[1], out[2], out[3], out[4] = _key_to_float(low), _key_to_float(high), total, count, below


@_any_order
def _range_of(bits, low, high):  # type: ignore[no-untyped-def]
    """Extremes as integer keys in the order of the floats: integers compare in vector code, floats do not."""
    for x in range(bits.size):
        finite = (bits[x] & _EXPONENT) != _EXPONENT
        signed = np.int32(bits[x])
        key = signed ^ ((signed >> np.int32(31)) & _MAGNITUDE)
        low = min(low, key if finite else _HIGHEST_KEY)
        high = max(high, key if finite else _LOWEST_KEY)
    return low, high


@_any_order
def _sum_of(row, bits):  # type: ignore[no-untyped-def]
    total, count, below = np.float32(0.0), np.int32(0), np.int32(0)
    for x in range(row.size):
        finite = (bits[x] & _EXPONENT) != _EXPONENT
        kept = row[x] if finite else np.float32(0.0)
        # Scaled down, for ids run as high as floats go.
        total += kept * _SMALLER
        count += np.int32(finite)
        below += np.int32(kept < np.float32(0.0))
    return np.float64(total) * _LARGER, count, below


@serial_kernel
def _key_to_float(key):  # type: ignore[no-untyped-def]
    """The float of a key; exact, so that a range is one of the stored values."""
    cell = np.empty(1, np.int32)
    cell[0] = key ^ ((key >> np.int32(31)) & _MAGNITUDE)
    return cell.view(np.float32)[0]
