"""Glow: light over a threshold, spread by five Gaussians; all of it is kept, but what leaves the frame."""

import numpy as np

from ..planes import Planes
from .bright import coarser, doublings_for, finer, reach_of_glow, wide_gaussian

SIZES = 5


def reach_of_sizes(size_px: float) -> int:
    """How far glow goes, in pixels."""
    return reach_of_glow(size_px)


def glow(light: Planes, size_px: float, origin: tuple[int, int] = (0, 0)) -> Planes:
    """Light (3, H, W) under five Gaussians of sigmas `size_px · 2⁻ⁱ`, i = 0..4, a fifth each; outside is black.

    `origin`: column and row of the first pixel in the whole picture.
    """
    shape = light.shape[1], light.shape[2]
    if not light.any():
        return np.zeros_like(light)
    total = np.zeros_like(light)
    for i in range(SIZES):
        sigma = size_px / (1 << i)
        doublings = doublings_for(sigma)
        spread = wide_gaussian(coarser(light, doublings, origin), sigma, doublings)
        total += np.float32(1.0 / SIZES) * finer(spread, doublings, origin, shape)
    return total
