"""Corrections of colour: exposure and the ASC CDL; and how an opacity limits any of them."""

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike

from .levels import stops_to_gain
from .planes import Planes, as_planes

# ASC CDL v1.2 fixes these weights for saturation, whatever the space.
CDL_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


def expose(planes: Planes, stops: float) -> Planes:
    """`planes * 2^stops`; linear, so alpha needs no care. (3, H, W)."""
    return as_planes(planes) * np.float32(stops_to_gain(stops))


def apply_cdl(
    planes: Planes,
    slope: ArrayLike = (1.0, 1.0, 1.0),
    offset: ArrayLike = (0.0, 0.0, 0.0),
    power: ArrayLike = (1.0, 1.0, 1.0),
    saturation: float = 1.0,
    clamp: bool = False,
) -> Planes:
    """ASC CDL v1.2: `(in * slope + offset)^power`, then saturation with Rec.709 weights. (3, H, W).

    With `clamp` both steps are limited to 0..1 as the standard says. Without, the default for scene-linear light,
    nothing is limited and values below 0 pass the power unchanged.
    """
    slopes, offsets, powers = (as_planes(np.asarray(v, np.float64)).reshape(3, 1, 1) for v in (slope, offset, power))
    out = as_planes(planes) * slopes + offsets
    if clamp:
        out = np.clip(out, np.float32(0.0), np.float32(1.0))
    if np.any(powers != 1.0):
        raised = np.power(np.maximum(out, np.float32(0.0)), powers)
        out = as_planes(np.where(out > 0.0, raised, out))
    if saturation != 1.0:
        luma = as_planes(np.tensordot(CDL_LUMA, out, axes=1))
        out = as_planes(luma + np.float32(saturation) * (out - luma))
    return np.clip(out, 0.0, 1.0) if clamp else out


def correct(planes: Planes, function: Callable[[Planes], Planes], opacity: float, alpha: Planes | None) -> Planes:
    """`in + opacity * (f(in) - in)`, on unassociated colour where `alpha` (H, W) is given and between 0 and 1.

    Where alpha is 0 colour may still be there (an environment seen by the camera): it is never divided by.
    """
    if alpha is None:
        return planes + np.float32(opacity) * (function(planes) - planes)
    divisor = as_planes(np.where((alpha > 1e-4) & (alpha < 1.0), alpha, np.float32(1.0)))
    straight = planes / divisor
    changed = straight + np.float32(opacity) * (function(straight) - straight)
    return as_planes(changed * divisor)
