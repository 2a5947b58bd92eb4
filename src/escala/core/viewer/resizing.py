"""Pictures made smaller: each pixel the mean of the area that it covers."""

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange
from ..planes import Planes, as_planes

# What is left of a pixel by rounding alone counts for nothing.
_NONE = 1e-6


def area_means(planes: Planes, width: int, height: int) -> Planes:
    """Planes (C, H, W) at a size that is no larger, each pixel the mean of what lies under it."""
    source = as_planes(planes)
    out = np.empty((source.shape[0], height, width), np.float32)
    top, rows, down = _shares(source.shape[1], height)
    left, _, across = _shares(source.shape[2], width)
    _means(source, top, rows, down, left, np.ascontiguousarray(across.T), out)
    return out


def _shares(there: int, wanted: int) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    """For each of the wanted pixels, along one axis: the first that it covers, how many, and the share of each."""
    size = there / wanted
    starts, ends = np.arange(wanted) * size, np.minimum(np.arange(1, wanted + 1) * size, there)
    first = np.floor(starts + _NONE).astype(np.int64)
    count = np.ceil(ends - _NONE).astype(np.int64) - first
    places = first[:, None] + np.arange(count.max())
    covered = np.minimum(places + 1, ends[:, None]) - np.maximum(places, starts[:, None])
    return first, count, (np.maximum(covered, 0) / size).astype(np.float32)


@kernel
def _means(planes, top, rows, down, left, across, out):  # type: ignore[no-untyped-def]
    channels, height, width = out.shape
    none = np.float32(0.0)
    for line in prange(height):
        y = np.int64(line)
        mixed, row = np.zeros(planes.shape[2] + across.shape[0], np.float32), np.empty(width, np.float32)
        for k in range(channels):
            source, weight = planes[k, top[y]], down[y, 0]
            for x in range(source.size):
                mixed[x] = weight * source[x]
            for j in range(1, rows[y]):
                source, weight = planes[k, top[y] + j], down[y, j]
                for x in range(source.size):
                    mixed[x] += weight * source[x]
            for x in range(width):
                # An index that cannot be below 0 needs no check.
                row[x] = across[0, x] * mixed[np.uint64(left[x])]
            for i in range(1, across.shape[0]):
                weights = across[i]
                for x in range(width):
                    value = mixed[np.uint64(left[x] + i)]
                    row[x] += weights[x] * value if weights[x] > 0 else none
            out[k, y] = row
