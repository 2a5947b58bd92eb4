"""The one rule on pixel types: half widens, double narrows, integers are refused."""

from typing import Annotated

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .errors import PixelTypeError, ShapeError
from .kernels import half_as_float, kernel, prange, serial_kernel

Planes = Annotated[NDArray[np.float32], "(3, H, W) or (C, H, W), scene-linear unless said otherwise"]
Matte = Annotated[NDArray[np.float32], "(H, W), 0..1"]


def as_planes(array: ArrayLike) -> NDArray[np.float32]:
    """`array` as contiguous float32, any shape. Half is widened to the same values, double is narrowed.

    Raises `PixelTypeError` for integers: the caller knows what they stand for and scales them.
    """
    values = np.asarray(array)
    if values.dtype == np.float32:
        return np.ascontiguousarray(values)
    if values.dtype == np.float16:
        return widen_half(values)
    if values.dtype == np.float64:
        return np.ascontiguousarray(values, dtype=np.float32)
    raise PixelTypeError(f"a picture holds half, float or double values, not {values.dtype}; scale integers first")


def as_colour(array: ArrayLike, like: Planes | None = None) -> Planes:
    """As `as_planes`, of three channels, (3, H, W) or (3, N), and of the shape of `like` where that is given.

    Raises `ShapeError`: a kernel reads three channels from the address that it is given.
    """
    planes = as_planes(array)
    if planes.ndim < 2 or planes.shape[0] != 3:
        raise ShapeError(f"a colour has three channels; planes of shape {planes.shape} have not")
    if like is not None and planes.shape != like.shape:
        raise ShapeError(f"planes of shape {planes.shape} do not fit others of shape {like.shape}")
    return planes


def widen_half(values: NDArray[np.float16], out: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """Half to float32, the same values (subnormals, infinities, NaN), any shape; into `out` when it is given."""
    source = np.ascontiguousarray(values)
    out = np.empty(source.shape, np.float32) if out is None else out
    _widen(source.view(np.uint16).reshape(-1), out.reshape(-1))
    return out


@kernel
def _widen(half_bits, floats):  # type: ignore[no-untyped-def]
    block = 8192
    for start in prange((half_bits.size + block - 1) // block):
        first, last = start * block, min(start * block + block, half_bits.size)
        widen_row(half_bits[first:last], floats[first:last])


@serial_kernel
def widen_row(half_bits, floats):  # type: ignore[no-untyped-def]
    """Kernel part: bits of halves to floats."""
    for i in range(half_bits.size):
        floats[i] = half_as_float(half_bits[i])


def narrow_to_half(values: NDArray[np.float32]) -> NDArray[np.float16]:
    """Float32 to half, rounded to nearest even as IEEE 754 says; too large becomes infinity. Any shape."""
    source = np.ascontiguousarray(values, np.float32)
    out = np.empty(source.shape, np.float16)
    _narrow(source.reshape(-1), source.reshape(-1).view(np.uint32), out.view(np.uint16).reshape(-1))
    return out


# Adding and taking away 2^-1 rounds what is below a half's normal range to a multiple of 2^-24.
_HALF_SMALLEST_NORMAL = np.float32(2.0**-14)
_SUBNORMAL_STEPS = np.float32(2.0**24)
_ROUNDER = np.float32(1.5 * 2.0**23)


@kernel
def _narrow(floats, float_bits, half_bits):  # type: ignore[no-untyped-def]
    block = 8192
    for start in prange((half_bits.size + block - 1) // block):
        first, last = start * block, min(start * block + block, half_bits.size)
        narrow_row(floats[first:last], float_bits[first:last], half_bits[first:last])


@serial_kernel
def narrow_row(floats, float_bits, half_bits):  # type: ignore[no-untyped-def]
    """Kernel part: floats to the bits of the nearest halves; `floats` and `float_bits` are two views of one row."""
    for i in range(half_bits.size):
        bits = float_bits[i]
        sign = np.uint32((bits >> np.uint32(16)) & np.uint32(0x8000))
        size = bits & np.uint32(0x7FFFFFFF)
        odd = (size >> np.uint32(13)) & np.uint32(1)
        rounded = (size + np.uint32(0xFFF) + odd - np.uint32(112 << 23)) >> np.uint32(13)
        steps = np.uint32((abs(floats[i]) * _SUBNORMAL_STEPS + _ROUNDER) - _ROUNDER)
        if size > np.uint32(0x7F800000):
            rounded = np.uint32(0x7E00)
        elif size >= np.uint32(0x47800000 - 0x1000):  # 65520 and more
            rounded = np.uint32(0x7C00)
        elif abs(floats[i]) < _HALF_SMALLEST_NORMAL:
            rounded = steps
        half_bits[i] = np.uint16(sign | rounded)
