"""Defocus: every pixel spread over the disc that a thin lens makes of it, near things over what lies behind them."""

import numpy as np
from numpy.typing import NDArray

from ..planes import Matte, Planes, as_colour
from .footprints import Opening, footprint_code, footprints_of, radius_index
from .layers import SLICES
from .spreading import spread_picture

# Slices of depth by blur: the middle one up to `_SHARP` px, each other one so many times as large as the one before.
_SHARP, _GROWTH = 0.5, 1.35
_MIDDLE = SLICES // 2
DISC = Opening()


def blur_radius(distance: Planes, focus: float, aperture: float, limit: float) -> Planes:
    """The radius of the disc of each pixel, in pixels: `aperture · (1/focus - 1/z)`; below 0 nearer than the focus.

    `aperture`: the radius at infinity for a focus at one scene unit. At most `limit` either way.
    """
    with np.errstate(divide="ignore"):
        radius = np.float32(aperture) * (np.float32(1.0 / focus) - np.float32(1.0) / distance)
    return np.asarray(np.clip(radius, np.float32(-limit), np.float32(limit)))


def defocus(
    planes: Planes,
    alpha: Planes | None,
    radius: Planes,
    opening: Opening = DISC,
    origin: tuple[int, int] = (0, 0),
    in_blocks: bool = True,
) -> tuple[Planes, Matte | None]:
    """Colour (3, H, W) and alpha, each pixel spread by its `blur_radius`; edge pixels are carried on outside.

    `origin`: column and row of the first pixel in the whole picture. `in_blocks`: faster, and hardly another picture.
    """
    colour, size = as_colour(planes), np.abs(radius)
    steps = radius_index(size)
    if not steps.any():
        return colour, alpha
    return spread_picture(
        colour,
        alpha,
        _slices(radius, size),
        footprint_code(steps, 0),
        np.where(steps > 0, size, np.float32(0.0)),
        lambda codes: footprints_of(codes, opening),
        origin,
        in_blocks=in_blocks,
    )


def _slices(radius: Planes, size: Planes) -> NDArray[np.int16]:
    """The slice of depth of each radius, near to far."""
    steps = np.floor(np.log(np.maximum(size, _SHARP) / _SHARP) * np.float32(1.0 / np.log(_GROWTH))) + (size > _SHARP)
    return np.asarray(_MIDDLE + np.sign(radius) * np.minimum(steps, _MIDDLE - 1), np.int16)
