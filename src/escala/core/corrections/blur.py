"""Blur and sharpen: Gaussians on colour, edge pixels carried on; what is no number is excluded of its neighbours."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..gaussian import gaussian, reach_of_gaussian
from ..planes import Planes, as_colour
from ..progress import ProgressCallback, no_progress

# A Gaussian along a slanted line is at least so wide, or it would fall between pixels.
_LEAST_SLANTED = 0.35
# Rows of a picture that are transformed at once, or twice the reach of the Gaussian where that is more.
_BAND = 512


def blur(
    planes: Planes, radius_px: Sequence[float], turn: float = 0.0, report_progress: ProgressCallback = no_progress
) -> Planes:
    """A Gaussian of the sigmas `radius_px` along `turn` degrees (counter-clockwise as seen) and across. (3, H, W).

    Pixels of which a channel is infinite or no number stay out of all others, whose weights are made up for it, and
    are themselves filled from around them.
    """
    colour = as_colour(planes)
    if max(radius_px) <= 0:
        return colour
    whole = np.isfinite(colour).all(axis=0)
    out = np.empty_like(colour)
    for channel, plane in enumerate(colour if whole.all() else np.where(whole, colour, np.float32(0.0))):
        out[channel] = _blurred(np.ascontiguousarray(plane), radius_px, turn, _quarter_of(report_progress, channel))
    if not whole.all():
        weights = _blurred(np.asarray(whole, np.float32), radius_px, turn, _quarter_of(report_progress, 3))
        out /= np.maximum(weights, np.float32(1e-12))
    return out


def sharpen(planes: Planes, radius_px: float, amount: float, report_progress: ProgressCallback = no_progress) -> Planes:
    """`in + amount * (in - blur(in))`. (3, H, W)."""
    colour = as_colour(planes)
    if radius_px <= 0 or amount == 0:
        return colour
    return np.asarray(
        colour + np.float32(amount) * (colour - blur(colour, (radius_px, radius_px), 0.0, report_progress))
    )


def _quarter_of(report_progress: ProgressCallback, number: int) -> ProgressCallback:
    return lambda share: report_progress((number + share) / 4)


def _blurred(
    plane: NDArray[np.float32], sigmas: Sequence[float], turn: float, report_progress: ProgressCallback
) -> NDArray[np.float32]:
    report_progress(0.0)
    quarter = round(turn / 90.0)
    if sigmas[0] == sigmas[1] or abs(turn - 90.0 * quarter) < 1e-9:
        across, down = (sigmas[0], sigmas[1]) if quarter % 2 == 0 else (sigmas[1], sigmas[0])
        return gaussian(plane, across, down)
    return _convolved(plane, _slanted(sigmas, np.radians(turn)), report_progress)


def _convolved(
    plane: NDArray[np.float32], kernel: NDArray[np.float64], report_progress: ProgressCallback
) -> NDArray[np.float32]:
    """A plane convolved with a square kernel of odd size, by Fourier transforms of bands; edges are carried on."""
    from scipy import fft  # takes a second to import, and few pictures are blurred

    (height, width), reach = plane.shape, kernel.shape[0] // 2
    rows = min(height, max(_BAND, 2 * reach))
    size = [fft.next_fast_len(length + 2 * reach, real=True) for length in (rows, width)]
    spectrum = fft.rfft2(kernel, size)
    out = np.empty_like(plane)
    for top in range(0, height, rows):
        report_progress(top / height)
        stop = min(top + rows, height)
        lines = np.clip(np.arange(top - reach, stop + reach), 0, height - 1)
        around = np.pad(plane[lines].astype(np.float64), ((0, 0), (reach, reach)), mode="edge")
        found = fft.irfft2(fft.rfft2(around, size) * spectrum, size)
        out[top:stop] = found[2 * reach : 2 * reach + stop - top, 2 * reach : 2 * reach + width]
    return out


def _slanted(sigmas: Sequence[float], angle: float) -> NDArray[np.float64]:
    """The weights of a Gaussian whose first axis lies at an angle; y is down. Square, of odd size."""
    along_sigma, across_sigma = (max(sigma, _LEAST_SLANTED) for sigma in sigmas)
    reach = reach_of_gaussian(max(along_sigma, across_sigma))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    along, across = x * np.cos(angle) - y * np.sin(angle), x * np.sin(angle) + y * np.cos(angle)
    weights = np.exp(-0.5 * ((along / along_sigma) ** 2 + (across / across_sigma) ** 2))
    return np.asarray(weights / weights.sum())
