"""Glare: light over a threshold along rays, that fades away from where it comes; all of it is kept."""

import numpy as np

from ..kernels import kernel, prange
from ..planes import Planes
from .highlights import PyramidLevel, doublings_for, pyramid, reach_of_glow, wide_gaussian

# At the end of a ray e^-4 is left of what it began with.
_FADED = 4.0
# A ray is made on a grid on which its softness is at least so many pixels.
_LEAST_SOFT = 1.0


def reach_of_rays(length_px: float, soft_px: float) -> int:
    """How far glare goes, in pixels."""
    return int(np.ceil(length_px)) + reach_of_glow(soft_px) + (8 << doublings_for(soft_px, _LEAST_SOFT))


def glare(
    light: Planes, streaks: int, length_px: float, turn: float, soft_px: float, origin: tuple[int, int] = (0, 0)
) -> Planes:
    """Light (3, H, W) along `streaks` rays, one at `turn` degrees, counter-clockwise as seen; outside is black.

    Each ray takes its share and fades by e over a quarter of its length; `soft_px`: a Gaussian over it.
    """
    if not light.any():
        return np.zeros_like(light)
    doublings = doublings_for(soft_px, _LEAST_SOFT)
    rungs = pyramid(light, origin, doublings)
    coarse = rungs[-1].planes
    total = np.zeros_like(coarse)
    for ray in range(streaks):
        angle = np.radians(turn + 360.0 * ray / streaks)
        total += _ray(coarse, np.cos(angle), -np.sin(angle), length_px / (1 << doublings))
    total *= np.float32(1.0 / streaks)
    spread = wide_gaussian(PyramidLevel(total, rungs[-1].origin), soft_px, doublings)
    for rung in reversed(rungs[:-1]):
        spread = rung.doubled(spread)
    return spread


def _ray(light: Planes, across: float, down: float, length: float) -> Planes:
    """Light along one ray, doubled in length again and again; pixel by pixel along its longer axis."""
    count = max(1, round(length * max(abs(across), abs(down))))
    faded = np.exp(-_FADED / count)
    # Along the longer axis the steps are whole pixels.
    if abs(across) >= abs(down):
        across, down = np.sign(across), down / abs(across)
    else:
        across, down = across / abs(down), np.sign(down)
    total, stretch, done, size, left = np.zeros_like(light), light, 0, 1, count
    while left:
        if left & 1:
            _add_shifted(total, stretch, across * done, down * done, faded**done, total)
            done += size
        left >>= 1
        if left:
            longer = np.empty_like(stretch)
            _add_shifted(stretch, stretch, across * size, down * size, faded**size, longer)
            stretch, size = longer, 2 * size
    return np.asarray(total * np.float32((1.0 - faded) / (1.0 - faded**count) if count > 1 else 1.0))


@kernel
def _add_shifted(base, planes, across, down, factor, out):  # type: ignore[no-untyped-def]
    """A base, and planes times a factor, moved, over it; one of the two ways is whole pixels. `out` may be the base."""
    channels, height, width = planes.shape
    left, top = int(np.floor(across)), int(np.floor(down))
    u, v = across - left, down - top
    one, beside, below = factor * (1.0 - u) * (1.0 - v), factor * u * (1.0 - v), factor * (1.0 - u) * v
    for y in prange(height):
        for k in range(channels):
            total = out[k, y]
            total[:] = base[k, y]
            for part in range(3):
                weight = one if part == 0 else (beside if part == 1 else below)
                if weight < 1e-9:
                    continue
                row = y - top - (1 if part == 2 else 0)
                shift = left + (1 if part == 1 else 0)
                if row < 0 or row >= height:
                    continue
                first, last = max(0, shift), min(width, width + shift)
                source = planes[k, row]
                for x in range(first, last):
                    total[x] += np.float32(weight) * source[x - shift]
