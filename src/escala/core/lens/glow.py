"""Glow: light over a threshold, spread by five Gaussians; all of it is kept, but what leaves the frame."""

import numpy as np

from ..planes import Planes
from .highlights import doublings_for, pyramid, reach_of_glow, wide_gaussian

SIZES = 5


def reach_of_sizes(size_px: float) -> int:
    """How far glow goes, in pixels."""
    return reach_of_glow(size_px)


def glow(light: Planes, size_px: float, origin: tuple[int, int] = (0, 0)) -> Planes:
    """Light (3, H, W) under five Gaussians of sigmas `size_px · 2⁻ⁱ`, i = 0..4, a fifth each; outside is black.

    `origin`: column and row of the first pixel in the whole picture.
    """
    if not light.any():
        return np.zeros_like(light)
    sigmas = [size_px / (1 << i) for i in range(SIZES)]
    doublings = [doublings_for(sigma) for sigma in sigmas]
    rungs = pyramid(light, origin, doublings[0])
    total: Planes | None = None
    for step in reversed(range(len(rungs))):
        if total is not None:
            total = rungs[step].doubled(total)
        for sigma, at in zip(sigmas, doublings, strict=True):
            if at == step:
                spread = wide_gaussian(rungs[step], sigma, step)
                spread *= np.float32(1.0 / SIZES)
                if total is None:
                    total = spread
                else:
                    total += spread
    assert total is not None
    return total
