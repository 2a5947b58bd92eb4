"""Grain: noise in stops, blurred to a size, that depends on nothing but seed, frame, channel and place."""

import numpy as np
from numpy.typing import NDArray

from ..corrections.powers import exp2_row, log2_row, whole_row
from ..gaussian import gaussian, gaussian_weights, reach_of_gaussian
from ..kernels import kernel, prange, serial_kernel
from ..planes import Planes, as_colour

# A Gaussian of so much of its size makes grains of that size.
_SIGMA = 1.0 / 2.5
# Added before the logarithm, in parts of grey, so that black has grain and no infinity.
_TOE = 2.0**-6
_GREY = 0.18


def grain_reach(size_px: float) -> int:
    """How far the noise of a pixel comes from, in pixels."""
    return reach_of_gaussian(size_px * _SIGMA)


def grain_noise(seed: int, frame: int, size_px: float, left: int, top: int, width: int, height: int) -> Planes:
    """Noise of mean 0 and deviation 1, (3, height, width), at full size; `left`, `top`: in the whole picture.

    White noise is the sum of four 16-bit parts of SplitMix64 (Steele et al. 2014): whole numbers, the same everywhere.
    """
    around = grain_reach(size_px)
    white = np.empty((3, height + 2 * around, width + 2 * around), np.float32)
    _white_noise(np.uint64(seed & (2**64 - 1)), frame, left - around, top - around, white)
    sigma = size_px * _SIGMA
    weights = gaussian_weights(sigma)
    kept = float(weights[0] ** 2 + 2 * (weights[1:] ** 2).sum())
    out = np.empty((3, height, width), np.float32)
    for plane, noise in zip(white, out, strict=True):
        wide = gaussian(plane, sigma, sigma)
        np.multiply(wide[around : around + height, around : around + width], np.float32(1.0 / kept), out=noise)
    return out


@serial_kernel
def _mixed(state):  # type: ignore[no-untyped-def]
    z = state + np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return z ^ (z >> np.uint64(31))


@kernel
def _white_noise(seed, frame, left, top, out):  # type: ignore[no-untyped-def]
    channels, height, width = out.shape
    low = np.uint64(0xFFFF)
    for y in prange(height):
        for k in range(channels):
            row = _mixed(_mixed(_mixed(seed) ^ np.uint64(frame)) ^ np.uint64(k))
            row = _mixed(row ^ np.uint64(top + y))
            for x in range(width):
                h = _mixed(row ^ np.uint64(left + x))
                total = (h & low) + ((h >> np.uint64(16)) & low) + ((h >> np.uint64(32)) & low) + (h >> np.uint64(48))
                # Four even numbers: mean 131070, deviation 65536 / sqrt(3) but for the last digit.
                out[k, y, x] = (np.float64(total) - 131070.0) * (1.7320508075688772 / 65536.0)


def lay_grain(planes: Planes, noise: NDArray[np.float32], amount: float, response: float) -> Planes:
    """Light with noise added to `log2(v / 0.18 + 2⁻⁶)`, (3, H, W), of deviation `amount` stops.

    Less in the lights: divided by `1 + response · max(0, stops over 0.18) / 4`. What is no number stays.
    """
    colour = as_colour(planes)
    out = np.empty_like(colour)
    _lay(colour, noise, amount, response, out)
    return out


@kernel
def _lay(planes, noise, amount, response, out):  # type: ignore[no-untyped-def]
    """What is added to a logarithm is a factor of what it is the logarithm of: `(v + toe) · 2^d - toe`."""
    channels, height, width = planes.shape
    toe, grey, one = np.float32(_TOE * _GREY), np.float32(1.0 / _GREY), np.float32(1.0)
    strength, per_stop = np.float32(amount), np.float32(response / 4)
    for job in prange(channels * height):
        k, y = job // height, job % height
        source, added, whole = planes[k, y], noise[k, y], whole_row(width)
        stops, room = np.zeros(whole, np.float32), np.empty(whole, np.float32)
        bits = room.view(np.int32)
        for x in range(width):
            stops[x] = max(source[x] * grey, one)
        log2_row(stops, room, bits)
        for x in range(width):
            stops[x] = added[x] * strength / (one + per_stop * stops[x])
        exp2_row(stops, room, bits)
        for x in range(width):
            is_left = source[x] + toe <= 0 or added[x] == 0 or not np.isfinite(source[x])
            out[k, y, x] = source[x] if is_left else (source[x] + toe) * stops[x] - toe
