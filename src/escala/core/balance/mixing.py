"""The balance sum: many passes, each times its gain, in a fixed order with float32 accumulation."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..errors import ShapeError
from ..kernels import (
    addresses_of,
    carray,
    float32_pointer,
    half_as_float,
    inlined_kernel,
    kernel,
    prange,
    uint16_pointer,
)
from ..planes import Planes, as_planes

# Pixels of one plane that are summed over all passes before the next block: small enough for the first cache.
_BLOCK = 2048
# Rows of halves that are summed over all passes before the next ones: long runs are read from memory faster.
_ROWS = 8


def mix_planes(
    terms: Sequence[Planes], gains: ArrayLike, base: Planes | None = None, out: Planes | None = None
) -> Planes:
    """`base + sum of gains[i] * terms[i]`, terms taken in their order, so that the bits never vary.

    `terms`: n arrays of one shape (3, H, W); `gains`: (n, 3), one factor per term and channel; `base` may be None.
    Returns (3, H, W), in `out` when that is given. Raises `ShapeError` when shapes differ or nothing is to be summed.
    """
    planes = [as_planes(term) for term in terms]
    factors = as_planes(gains).reshape(len(planes), 3)
    if base is not None:
        planes = [as_planes(base), *planes]
        factors = np.concatenate([np.ones((1, 3), np.float32), factors])
    if not planes:
        raise ShapeError("a sum needs at least one term")
    shape = planes[0].shape
    if len(shape) != 3 or shape[0] != 3 or any(plane.shape != shape for plane in planes):
        raise ShapeError(f"terms of shapes {sorted({plane.shape for plane in planes})} cannot be summed")
    out = np.empty(shape, np.float32) if out is None else out
    _mix(addresses_of(planes), factors, shape[1] * shape[2], out.reshape(3, -1))
    return out


def mix_stored(stored: Sequence[NDArray[np.float16]], factors: ArrayLike) -> Planes:
    """`sum of factors[i] @ stored[i]`, straight from halves as they are stored: nothing of them is kept as float.

    `stored`: n arrays (3, H, W) of finite values, views of one shape and layout whose rows are contiguous; `factors`:
    (n, 3, 3), a matrix on the channels of each. Returns (3, H, W). Raises `ShapeError` where arrays differ.
    """
    matrices = as_planes(factors).reshape(len(stored), 3, 3)
    first = stored[0]
    alike = all(each.shape == first.shape and each.strides == first.strides for each in stored)
    if not alike or first.ndim != 3 or first.shape[0] != 3 or first.strides[2] != 2:
        raise ShapeError(f"passes of shapes {sorted({each.shape for each in stored})} cannot be summed as stored")
    out = np.empty(first.shape, np.float32)
    addresses = np.array([each.__array_interface__["data"][0] for each in stored], np.int64)
    off_diagonal = matrices[:, ~np.eye(3, dtype=bool)]
    if not off_diagonal.any():
        gains = np.ascontiguousarray(matrices[:, np.arange(3), np.arange(3)])
        _mix_halves(addresses, gains, first.strides[0], first.strides[1], out)
    else:
        _mix_halves_by_matrix(addresses, matrices, first.strides[0], first.strides[1], out)
    return out


@kernel
def _mix_halves(addresses, gains, plane_bytes, row_bytes, out):  # type: ignore[no-untyped-def]
    rows, columns = out.shape[1:]
    blocks = (rows + _ROWS - 1) // _ROWS
    fours = addresses.size // 4 * 4
    for job in prange(3 * blocks):
        channel, first = job // blocks, job % blocks * _ROWS
        last = min(first + _ROWS, rows)
        out[channel, first:last] = np.float32(0.0)
        for term in range(0, fours, 4):
            for row in range(first, last):
                begin = channel * plane_bytes + row * row_bytes
                _add_four_halves(addresses[term : term + 4] + begin, gains[term : term + 4, channel], out[channel, row])
        for term in range(fours, addresses.size):
            gain = gains[term, channel]
            for row in range(first, last):
                source = _half_row(addresses[term] + channel * plane_bytes + row * row_bytes, columns)
                total = out[channel, row]
                for x in range(columns):
                    total[x] += gain * half_as_float(source[x])


@kernel
def _mix_halves_by_matrix(addresses, matrices, plane_bytes, row_bytes, out):  # type: ignore[no-untyped-def]
    rows, columns = out.shape[1:]
    for row in prange(rows):
        red, green, blue = out[0, row], out[1, row], out[2, row]
        red[:], green[:], blue[:] = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for term in range(addresses.size):
            for channel in range(3):
                source = _half_row(addresses[term] + channel * plane_bytes + row * row_bytes, columns)
                column = matrices[term, :, channel]
                for x in range(columns):
                    value = half_as_float(source[x])
                    red[x] += column[0] * value
                    green[x] += column[1] * value
                    blue[x] += column[2] * value


@inlined_kernel
def _add_four_halves(addresses, gains, total):  # type: ignore[no-untyped-def]
    """Four terms at a time; the order of the sum is the same."""
    a, b = _half_row(addresses[0], total.size), _half_row(addresses[1], total.size)
    c, d = _half_row(addresses[2], total.size), _half_row(addresses[3], total.size)
    g0, g1, g2, g3 = gains[0], gains[1], gains[2], gains[3]
    for x in range(total.size):
        before = (total[x] + g0 * half_as_float(a[x])) + g1 * half_as_float(b[x])
        total[x] = (before + g2 * half_as_float(c[x])) + g3 * half_as_float(d[x])


@inlined_kernel
def _half_row(address, size):  # type: ignore[no-untyped-def]
    return carray(uint16_pointer(address), (size,))


def channel_means(planes: Planes) -> NDArray[np.float64]:
    """The mean of each channel over its finite pixels, (3,)."""
    return np.array([np.mean(plane[np.isfinite(plane)], dtype=np.float64) if plane.size else 0.0 for plane in planes])


@kernel
def _mix(addresses, gains, count, out):  # type: ignore[no-untyped-def]
    blocks = (count + _BLOCK - 1) // _BLOCK
    fours = addresses.size // 4 * 4
    for job in prange(3 * blocks):
        channel = job // blocks
        first = (job % blocks) * _BLOCK
        total = out[channel, first : min(first + _BLOCK, count)]
        total[:] = np.float32(0.0)
        for term in range(0, fours, 4):
            _add_four(addresses[term : term + 4], gains[term : term + 4, channel], channel * count + first, total)
        for term in range(fours, addresses.size):
            _add_one(addresses[term], gains[term, channel], channel * count + first, total)


@inlined_kernel
def _add_four(addresses, gains, offset, total):  # type: ignore[no-untyped-def]
    """Four terms at a time read memory faster than one; the order of the sum is the same."""
    size = total.size
    a, b = _block(addresses[0], offset, size), _block(addresses[1], offset, size)
    c, d = _block(addresses[2], offset, size), _block(addresses[3], offset, size)
    g0, g1, g2, g3 = gains[0], gains[1], gains[2], gains[3]
    for i in range(size):
        total[i] = (((total[i] + g0 * a[i]) + g1 * b[i]) + g2 * c[i]) + g3 * d[i]


@inlined_kernel
def _add_one(address, gain, offset, total):  # type: ignore[no-untyped-def]
    source = _block(address, offset, total.size)
    for i in range(total.size):
        total[i] += gain * source[i]


@inlined_kernel
def _block(address, offset, size):  # type: ignore[no-untyped-def]
    return carray(float32_pointer(address + np.int64(4) * offset), (size,))
