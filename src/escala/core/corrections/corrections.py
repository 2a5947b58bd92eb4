"""Corrections of colour: exposure and the ASC CDL; and how an opacity limits any of them."""

from collections.abc import Callable

import numba
import numpy as np
from numpy.typing import ArrayLike

from ..balance.levels import stops_to_gain
from ..errors import ShapeError
from ..kernels import kernel
from ..planes import Matte, Planes, as_colour, as_planes

# ASC CDL v1.2 fixes these weights for saturation, whatever the space.
CDL_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)

_BLOCK = 8192


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


def correct(
    planes: Planes,
    function: Callable[[Planes], Planes],
    opacity: float,
    alpha: Planes | None,
    matte: Matte | None = None,
) -> Planes:
    """`in + o * (f(in) - in)`, on unassociated colour where `alpha` (H, W) is given and between 0 and 1.

    o is `opacity`, times `matte` (H, W) where that is given; exactly `f(in)` where it is 1, `in` where it is 0. A pixel
    of which a channel is infinite or no number passes whole. Where alpha is 0 colour may still be there (an environment
    seen by the camera): it is never divided by. (3, H, W).
    """
    source = as_colour(planes)
    shares = None if matte is None else as_planes(matte * np.float32(opacity))
    if alpha is None:
        return _blended(source, function(source), opacity, shares)
    divisor = as_planes(np.where((alpha > 1e-4) & (alpha < 1.0), alpha, np.float32(1.0)))
    straight = source / divisor
    out = _blended(straight, function(straight), opacity, shares) * divisor
    _keep_broken(source.reshape(3, -1), out.reshape(3, -1))
    return out


def _blended(source: Planes, changed: Planes, opacity: float, shares: Matte | None) -> Planes:
    out = np.empty_like(source)
    pictures = [picture.reshape(3, -1) for picture in (source, as_colour(changed, source), out)]
    if shares is None:
        _blend(pictures[0], pictures[1], np.float32(opacity), pictures[2])
    elif shares.shape != source.shape[1:]:
        raise ShapeError(f"a matte of shape {shares.shape} does not fit planes of shape {source.shape}")
    else:
        _blend_by(pictures[0], pictures[1], shares.reshape(-1), pictures[2])
    return out


@kernel
def _blend(source, changed, opacity, out):  # type: ignore[no-untyped-def]
    count = source.shape[1]
    for job in numba.prange((count + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(count, (job + 1) * _BLOCK)):
            red, green, blue = source[0, i], source[1, i], source[2, i]
            if not (np.isfinite(red) and np.isfinite(green) and np.isfinite(blue)):
                out[0, i], out[1, i], out[2, i] = red, green, blue
            elif opacity == np.float32(1.0):
                out[0, i], out[1, i], out[2, i] = changed[0, i], changed[1, i], changed[2, i]
            else:
                out[0, i] = red + opacity * (changed[0, i] - red)
                out[1, i] = green + opacity * (changed[1, i] - green)
                out[2, i] = blue + opacity * (changed[2, i] - blue)


@kernel
def _blend_by(source, changed, shares, out):  # type: ignore[no-untyped-def]
    count = source.shape[1]
    for job in numba.prange((count + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(count, (job + 1) * _BLOCK)):
            red, green, blue, share = source[0, i], source[1, i], source[2, i], shares[i]
            if share == np.float32(0.0) or not (np.isfinite(red) and np.isfinite(green) and np.isfinite(blue)):
                out[0, i], out[1, i], out[2, i] = red, green, blue
            elif share == np.float32(1.0):
                out[0, i], out[1, i], out[2, i] = changed[0, i], changed[1, i], changed[2, i]
            else:
                out[0, i] = red + share * (changed[0, i] - red)
                out[1, i] = green + share * (changed[1, i] - green)
                out[2, i] = blue + share * (changed[2, i] - blue)


@kernel
def _keep_broken(source, out):  # type: ignore[no-untyped-def]
    count = source.shape[1]
    for job in numba.prange((count + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(count, (job + 1) * _BLOCK)):
            red, green, blue = source[0, i], source[1, i], source[2, i]
            if not (np.isfinite(red) and np.isfinite(green) and np.isfinite(blue)):
                out[0, i], out[1, i], out[2, i] = red, green, blue
