"""Logarithms and powers of whole rows, by short polynomials that a processor works out many at a time.

To within a few roundings of float32 for what pictures hold. Kernel parts: `bits` is `room` seen as whole numbers. A
loop that reads one row and writes another that may be the same is not worked out many at a time: they write in place.
"""

import numpy as np

from ..kernels import kernel_with

_row = kernel_with(fastmath=True)

# log2(m) = 2 / ln 2 * (t + t^3/3 + t^5/5 + ...), t = (m - 1) / (m + 1).
_L1, _L3, _L5, _L7, _L9 = (np.float32(2.0 / np.log(2.0) / k) for k in (1, 3, 5, 7, 9))
# 2^f = e^(f ln 2) by its series.
_E2, _E3, _E4, _E5, _E6, _E7 = (np.float32(1.0 / k) for k in (2, 6, 24, 120, 720, 5040))
_LN2, _ROOT2 = np.float32(np.log(2.0)), np.float32(np.sqrt(2.0))
_ONE, _HALF = np.float32(1.0), np.float32(0.5)
_LOWEST, _HIGHEST, _SHIFT = np.float32(-126.0), np.float32(127.9), np.float32(1024.5)
_SMALLEST = np.float32(1.2e-38)


@_row
def whole_row(size):  # type: ignore[no-untyped-def]
    """So many values that all are worked out many at a time: the last of a shorter row may differ by a rounding."""
    return (size + 31) // 32 * 32


@_row
def log2_row(row, room, bits):  # type: ignore[no-untyped-def]
    """`row = log2(row)`; for 0 and less that of the smallest number."""
    for i in range(row.size):
        room[i] = max(row[i], _SMALLEST)
    for i in range(row.size):
        whole = bits[i]
        row[i] = np.float32((whole >> 23) - 127)
        bits[i] = np.int32((whole & 0x7FFFFF) | 0x3F800000)
    for i in range(row.size):
        large = room[i] > _ROOT2
        share = room[i] * _HALF if large else room[i]
        power = row[i] + _ONE if large else row[i]
        t = (share - _ONE) / (share + _ONE)
        s = t * t
        row[i] = power + t * ((((_L9 * s + _L7) * s + _L5) * s + _L3) * s + _L1)


@_row
def exp2_row(row, room, bits):  # type: ignore[no-untyped-def]
    """`row = 2^row`, within what float32 holds."""
    for i in range(row.size):
        value = min(max(row[i], _LOWEST), _HIGHEST)
        whole = np.int32(value + _SHIFT) - 1024
        bits[i] = np.int32((whole + 127) << 23)
        g = (value - np.float32(whole)) * _LN2
        row[i] = ((((((_E7 * g + _E6) * g + _E5) * g + _E4) * g + _E3) * g + _E2) * g + _ONE) * g + _ONE
    for i in range(row.size):
        row[i] = row[i] * room[i]


@_row
def power_row(values, exponent, before, after, room, bits, out):  # type: ignore[no-untyped-def]
    """`out = after * (before * values)^exponent` where values are above 0, else the value. Rows of their own."""
    for i in range(values.size):
        out[i] = before * values[i]
    log2_row(out, room, bits)
    for i in range(values.size):
        out[i] = exponent * out[i]
    exp2_row(out, room, bits)
    for i in range(values.size):
        out[i] = after * out[i] if values[i] > 0 else values[i]
