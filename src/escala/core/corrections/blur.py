"""Blur and sharpen: Gaussians on colour, edge pixels carried on; what is no number is left out of its neighbours."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..gaussian import gaussian, reach_of_gaussian
from ..planes import Planes, as_colour
from ..progress import ProgressCallback, no_progress

# A Gaussian along a slanted line is at least so wide, or it would fall between pixels.
_LEAST_SLANTED = 0.35


def blur(planes: Planes, radius_px: Sequence[float], turn: float = 0.0, told: ProgressCallback = no_progress) -> Planes:
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
        told(channel / 4)
        out[channel] = _blurred(np.ascontiguousarray(plane), radius_px, turn)
    if not whole.all():
        told(0.75)
        out /= np.maximum(_blurred(np.asarray(whole, np.float32), radius_px, turn), np.float32(1e-12))
    return out


def sharpen(planes: Planes, radius_px: float, amount: float, told: ProgressCallback = no_progress) -> Planes:
    """`in + amount * (in - blur(in))`. (3, H, W)."""
    colour = as_colour(planes)
    if radius_px <= 0 or amount == 0:
        return colour
    return np.asarray(colour + np.float32(amount) * (colour - blur(colour, (radius_px, radius_px), 0.0, told)))


def _blurred(plane: NDArray[np.float32], sigmas: Sequence[float], turn: float) -> NDArray[np.float32]:
    quarter = round(turn / 90.0)
    if sigmas[0] == sigmas[1] or abs(turn - 90.0 * quarter) < 1e-9:
        across, down = (sigmas[0], sigmas[1]) if quarter % 2 == 0 else (sigmas[1], sigmas[0])
        return gaussian(plane, across, down)
    kernel = _slanted(sigmas, np.radians(turn))
    padded = np.pad(plane.astype(np.float64), kernel.shape[0] // 2, mode="edge")
    from scipy import signal  # takes a second to import, and few pictures are blurred

    return np.asarray(signal.fftconvolve(padded, kernel, mode="valid"), np.float32)


def _slanted(sigmas: Sequence[float], angle: float) -> NDArray[np.float64]:
    """The weights of a Gaussian whose first axis lies at an angle; y is down. Square, of odd size."""
    along_sigma, across_sigma = (max(sigma, _LEAST_SLANTED) for sigma in sigmas)
    reach = reach_of_gaussian(max(along_sigma, across_sigma))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    along, across = x * np.cos(angle) - y * np.sin(angle), x * np.sin(angle) + y * np.cos(angle)
    weights = np.exp(-0.5 * ((along / along_sigma) ** 2 + (across / across_sigma) ** 2))
    return np.asarray(weights / weights.sum())
