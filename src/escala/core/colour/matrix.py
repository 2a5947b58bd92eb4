"""A 3x3 matrix on every pixel, as between two scene-linear spaces."""

import numpy as np
from numpy.typing import ArrayLike

from ..kernels import kernel, prange
from ..planes import Planes, as_colour

_BLOCK = 8192


def apply_matrix(planes: Planes, matrix: ArrayLike) -> Planes:
    """`matrix @ pixel` for each pixel of (3, H, W), in float32; rows of the matrix give the channels of the result."""
    source = as_colour(planes)
    out = np.empty_like(source)
    _multiply(source.reshape(3, -1), np.asarray(matrix, np.float32), out.reshape(3, -1))
    return out


@kernel
def _multiply(source, matrix, out):  # type: ignore[no-untyped-def]
    count = source.shape[1]
    for job in prange((count + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(count, (job + 1) * _BLOCK)):
            red, green, blue = source[0, i], source[1, i], source[2, i]
            for c in range(3):
                out[c, i] = matrix[c, 0] * red + matrix[c, 1] * green + matrix[c, 2] * blue
