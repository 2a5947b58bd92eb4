"""The one rule on pixel types: half widens, double narrows, integers are refused."""

from typing import Annotated

import numba
import numpy as np
from numpy.typing import ArrayLike, NDArray

from .errors import PixelTypeError
from .kernels import kernel

Planes = Annotated[NDArray[np.float32], "(3, H, W) or (C, H, W), scene-linear unless said otherwise"]
Matte = Annotated[NDArray[np.float32], "(H, W), 0..1"]

# 2^112 moves a half's exponent bias (15) to a float's (127) when its bits are shifted into place.
_REBIAS = np.float32(2.0**112)
_HALF_OVERFLOW = np.float32(65536.0)


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


def widen_half(values: NDArray[np.float16]) -> NDArray[np.float32]:
    """Half to float32, bit-exact (subnormals, infinities and NaN kept), any shape."""
    source = np.ascontiguousarray(values)
    out = np.empty(source.shape, np.float32)
    _widen(source.view(np.uint16).reshape(-1), out.reshape(-1).view(np.uint32), out.reshape(-1))
    return out


@kernel
def _widen(half_bits, float_bits, floats):  # type: ignore[no-untyped-def]
    block = 8192
    for start in numba.prange((half_bits.size + block - 1) // block):
        first = start * block
        last = min(first + block, half_bits.size)
        for i in range(first, last):
            bits = np.uint32(half_bits[i])
            float_bits[i] = ((bits & np.uint32(0x7FFF)) << np.uint32(13)) | ((bits & np.uint32(0x8000)) << np.uint32(16))
        for i in range(first, last):
            value = floats[i] * _REBIAS
            if abs(value) >= _HALF_OVERFLOW:  # an infinity or a NaN of the half
                float_bits[i] = float_bits[i] | np.uint32(0x7F800000)
            else:
                floats[i] = value
