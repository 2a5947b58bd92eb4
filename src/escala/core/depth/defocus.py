"""Defocus: every pixel spread over the disc that a thin lens makes of it, near things over what lies behind them."""

import numpy as np

from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour
from ..progress import ProgressCallback, no_progress
from .blocks import FINE_BLOCKS
from .footprints import BLOCKS, MOST_STEPS, WITHIN, Opening, footprints_of, radius_of, radius_step
from .layers import SLICES
from .spreading import spread_picture

# Slices of depth by blur: the middle one within a pixel, each other one `_RATIO` times as large as the one before.
_MIDDLE, _RATIO = SLICES // 2, 1.35


def _apart(step: int) -> int:
    """How many slices from the middle one a step of radii lies."""
    return min(int(np.log(radius_of(step) / WITHIN) / np.log(_RATIO)) + 1, _MIDDLE - 1) if step else 0


_APART = np.array([_apart(step) for step in range(MOST_STEPS)], np.int16)
DISC = Opening()


def blur_radius(distance: Planes, focus: float, aperture: float, limit: float) -> Planes:
    """The radius of the disc of each pixel, in pixels: `aperture · (1/focus - 1/z)`; below 0 nearer than the focus.

    `aperture`: the radius at infinity for a focus at one scene unit. At most `limit` either way.
    """
    out = np.empty_like(distance)
    _blur(distance, np.float32(1.0 / focus), np.float32(aperture), np.float32(limit), out)
    return out


@kernel
def _blur(distance, at_focus, aperture, limit, out):  # type: ignore[no-untyped-def]
    height, width = distance.shape
    one = np.float32(1.0)
    for y in prange(height):
        for x in range(width):
            out[y, x] = min(max(aperture * (at_focus - one / distance[y, x]), -limit), limit)


def defocus(
    planes: Planes,
    alpha: Planes | None,
    radius: Planes,
    opening: Opening = DISC,
    origin: tuple[int, int] = (0, 0),
    blocks: float = FINE_BLOCKS,
    report_progress: ProgressCallback = no_progress,
) -> tuple[Planes, Matte | None]:
    """Colour (3, H, W) and alpha, each pixel spread by its `blur_radius`; edge pixels are carried on outside.

    `origin`: column and row of the first pixel in the whole picture. `blocks`: as `merge_blocks`, 0 for none.
    `report_progress`: how far it is, 0 to 1; it may raise to stop the work.
    """
    colour = as_colour(planes)
    slices, codes, spread = np.empty(radius.shape, np.int16), np.empty(radius.shape, np.int32), np.empty_like(radius)
    _place_discs(radius, slices, codes, spread)
    if not codes.any():
        return colour, alpha
    return spread_picture(
        colour,
        alpha,
        slices,
        codes,
        spread,
        lambda found, _: footprints_of(found, opening),
        origin,
        blocks=blocks,
        most_codes=MOST_STEPS * BLOCKS,
        report_progress=report_progress,
    )


@kernel
def _place_discs(radius, slices, codes, spread):  # type: ignore[no-untyped-def]
    """The slice of depth of each radius, near to far, the footprint of its disc, and how far that goes."""
    height, width = radius.shape
    for y in prange(height):
        for x in range(width):
            size = abs(radius[y, x])
            step = radius_step(size)
            codes[y, x] = step * BLOCKS
            spread[y, x] = size if step > 0 else np.float32(0.0)
            apart = _APART[step]
            slices[y, x] = _MIDDLE + (apart if radius[y, x] > 0 else -apart)
