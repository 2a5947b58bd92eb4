"""Takes the noise of few samples out of each contribution by itself, so that all sums stay what they are.

An edge-avoiding wavelet filter (Dammertz et al. 2010) steered by depth, normals, objects and the local variance.
"""

import numpy as np
from numpy.typing import NDArray

from escala.core.kernels import inlined_kernel, kernel, prange, serial_kernel

from .guides import DEPTH, NORMAL, OBJECT

_TAPS = np.array([1 / 16, 1 / 4, 3 / 8, 1 / 4, 1 / 16], np.float32)


def clean_planes(
    planes: NDArray[np.float32], guides: NDArray[np.float32], levels: int, normals: float, strength: float
) -> NDArray[np.float32]:
    """Smooth one contribution (H, W, 3) over 2^levels pixels; edges of objects, depth and brightness stay.

    `normals`: how much bent normals count; `strength`: how many standard deviations of noise are levelled.
    """
    current = np.empty_like(planes)
    _drop_sparks(planes, current)
    variance = np.empty(planes.shape[:2], np.float32)
    _local_variance(current, variance)
    for level in range(levels):
        smooth, calmer = np.empty_like(current), np.empty_like(variance)
        _smooth(current, variance, guides, 1 << level, np.float32(normals), np.float32(strength), smooth, calmer)
        current, variance = smooth, calmer
    return current


@kernel
def _drop_sparks(source, out):  # type: ignore[no-untyped-def]
    """A pixel far brighter than all eight around it falls to the level of the brightest of them."""
    height, width = source.shape[:2]
    for y in prange(height):
        for x in range(width):
            top, own = np.float32(0.0), _luma(source, y, x)
            for v in range(max(0, y - 1), min(height, y + 2)):
                for u in range(max(0, x - 1), min(width, x + 2)):
                    if v != y or u != x:
                        top = max(top, _luma(source, v, u))
            scale = np.float32(1.0) if own <= top * np.float32(1.2) + np.float32(1e-6) else top / own
            for k in range(3):
                out[y, x, k] = source[y, x, k] * scale


@kernel
def _local_variance(source, out):  # type: ignore[no-untyped-def]
    height, width = source.shape[:2]
    for y in prange(height):
        for x in range(width):
            total, square, count = 0.0, 0.0, 0
            for v in range(max(0, y - 2), min(height, y + 3)):
                for u in range(max(0, x - 2), min(width, x + 3)):
                    luma = _luma(source, v, u)
                    total, square, count = total + luma, square + luma * luma, count + 1
            mean = total / count
            out[y, x] = max(0.0, square / count - mean * mean)


@kernel
def _smooth(source, variance, guides, step, normals, strength, out, calmer):  # type: ignore[no-untyped-def]
    height, width = source.shape[:2]
    for y in prange(height):
        for x in range(width):
            total, weights, squares = np.zeros(3, np.float32), np.float32(0.0), np.float32(0.0)
            noise = np.float32(1e-5) + strength * np.sqrt(variance[y, x])
            for j in range(-2, 3):
                v = y + j * step
                if v < 0 or v >= height:
                    continue
                for i in range(-2, 3):
                    u = x + i * step
                    if u < 0 or u >= width:
                        continue
                    weight = _TAPS[j + 2] * _TAPS[i + 2] * _likeness(source, guides, y, x, v, u, normals, noise)
                    weights += weight
                    squares += weight * weight * variance[v, u]
                    for k in range(3):
                        total[k] += weight * source[v, u, k]
            calmer[y, x] = squares / (weights * weights)
            for k in range(3):
                out[y, x, k] = total[k] / weights


@serial_kernel
def _likeness(source, guides, y, x, v, u, normals, noise):  # type: ignore[no-untyped-def]
    """How likely two pixels show the same light: 1 for the pixel itself."""
    if guides[y, x, OBJECT] != guides[v, u, OBJECT]:
        return np.float32(0.0)
    depth, other = guides[y, x, DEPTH], guides[v, u, DEPTH]
    apart = abs(depth - other) / (np.float32(0.05) * min(depth, other) + np.float32(1e-3))
    turned = np.float32(0.0)
    for k in range(3):
        difference = guides[y, x, NORMAL + k] - guides[v, u, NORMAL + k]
        turned += difference * difference
    brightness = abs(_luma(source, y, x) - _luma(source, v, u)) / noise
    return np.float32(np.exp(-(apart + normals * turned + brightness)))


@inlined_kernel
def _luma(source, y, x):  # type: ignore[no-untyped-def]
    return (
        np.float32(0.2126) * source[y, x, 0]
        + np.float32(0.7152) * source[y, x, 1]
        + np.float32(0.0722) * source[y, x, 2]
    )
