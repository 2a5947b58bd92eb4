"""Gaussians over planes: along rows and columns, edge pixels carried on; the same bits for any number of threads."""

import numpy as np
from numpy.typing import NDArray

from .kernels import kernel, prange, serial_kernel
from .planes import as_planes
from .progress import ProgressCallback, no_progress

# Beyond so many sigmas a Gaussian counts for nothing.
CUT = 4.0
_STRIP = 512


def reach_of_gaussian(sigma: float) -> int:
    """How many pixels around each a Gaussian of a sigma (in pixels) looks at."""
    return int(CUT * sigma + 0.5) if sigma > 0 else 0


def gaussian_weights(sigma: float) -> NDArray[np.float64]:
    """The weights of a Gaussian at whole pixels, cut at `CUT` sigmas, summing to 1; from the middle outwards."""
    if sigma <= 0:
        return np.ones(1)
    weights = np.exp(-0.5 * (np.arange(reach_of_gaussian(sigma) + 1) / sigma) ** 2)
    return np.asarray(weights / (weights[0] + 2.0 * weights[1:].sum()))


def gaussian(
    plane: NDArray[np.float32],
    sigma_x: float,
    sigma_y: float,
    is_black_outside: bool = False,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """A plane (H, W) under a Gaussian of two sigmas, in pixels; 0 leaves an axis as it is.

    `is_black_outside`: else edge pixels are carried on. `out`: where it is written, when given.
    """
    source = as_planes(plane)
    out = np.empty_like(source) if out is None else out
    if sigma_x > 0:
        along = np.empty_like(source) if sigma_y > 0 else out
        _along_rows(source, gaussian_weights(sigma_x).astype(np.float32), is_black_outside, along)
        source = along
    if sigma_y > 0:
        _along_columns(source, gaussian_weights(sigma_y).astype(np.float32), is_black_outside, out)
    if sigma_x <= 0 and sigma_y <= 0:
        out[:] = source
    return out


def wide_gaussian(
    plane: NDArray[np.float32], sigma: float, report_progress: ProgressCallback = no_progress
) -> NDArray[np.float32]:
    """As `gaussian` of one sigma with edge pixels carried on, to within a few roundings, for sigmas of many pixels.

    Rows and then columns are convolved by Fourier transforms, in strips; the time does not grow with the sigma.
    """
    from scipy import fft  # takes a while to import, and few mattes are softened so far

    weights, reach = gaussian_weights(sigma), reach_of_gaussian(sigma)
    out = as_planes(plane)
    low, high = out.min(), out.max()
    for axis, begin in ((1, 0.0), (0, 0.5)):
        size, count = out.shape[axis], out.shape[1 - axis]
        length = fft.next_fast_len(size + 2 * reach, real=True)
        kernel = np.zeros(length)
        kernel[: reach + 1] = weights
        kernel[-reach:] += weights[:0:-1]
        response = fft.rfft(kernel).real.astype(np.float32)
        source, out = (out if axis == 1 else out.T), np.empty_like(out)
        target = out if axis == 1 else out.T
        for first in range(0, count, _STRIP):
            report_progress(begin + 0.5 * first / count)
            strip = np.pad(source[first : first + _STRIP], ((0, 0), (reach, reach)), mode="edge")
            found = fft.irfft(fft.rfft(strip, length) * response, length)
            target[first : first + _STRIP] = found[:, reach : reach + size]
    return np.clip(out, low, high)


@kernel
def _along_rows(source, weights, is_black_outside, out):  # type: ignore[no-untyped-def]
    height, width = source.shape
    reach = weights.size - 1
    none = np.float32(0.0)
    for y in prange(height):
        padded = np.empty(width + 2 * reach, np.float32)
        padded[:reach] = none if is_black_outside else source[y, 0]
        padded[reach : reach + width] = source[y]
        padded[reach + width :] = none if is_black_outside else source[y, width - 1]
        row = out[y]
        for x in range(width):
            row[x] = weights[0] * padded[x + reach]
        for k in range(1, reach + 1):
            _add_pair(weights[k], padded[reach - k : reach - k + width], padded[reach + k : reach + k + width], row)


@kernel
def _along_columns(source, weights, is_black_outside, out):  # type: ignore[no-untyped-def]
    height, width = source.shape
    strips = (width + _STRIP - 1) // _STRIP
    for job in prange(height * strips):
        y, first = job // strips, job % strips * _STRIP
        last = min(width, first + _STRIP)
        row = out[y, first:last]
        middle = source[y, first:last]
        black = np.zeros(row.size, np.float32)
        for x in range(row.size):
            row[x] = weights[0] * middle[x]
        for k in range(1, weights.size):
            above = source[max(y - k, 0), first:last] if y >= k or not is_black_outside else black
            below = source[min(y + k, height - 1), first:last] if y + k < height or not is_black_outside else black
            _add_pair(weights[k], above, below, row)


@serial_kernel
def _add_pair(weight, one, other, total):  # type: ignore[no-untyped-def]
    """Kernel part: two pixels as far to either side, which have one weight."""
    for x in range(total.size):
        total[x] += weight * (one[x] + other[x])
