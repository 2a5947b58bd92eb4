"""Mattes from data and light: a channel, ids, depth, position, normals, luminance, hue; each pixel by itself.

All are (H, W), 0..1; what is no number counts as outside. Ramps are linear, and a ramp of no width is a step that
includes its end.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..balance.levels import MIDDLE_GREY
from ..errors import ShapeError
from ..kernels import inlined_kernel, kernel, prange
from ..planes import Matte, Planes, as_colour, as_planes

# Farther than this there is nothing: backgrounds are stored as infinite, as 1e10, or as 0.
NOTHING_THERE = 1e9


def band_matte(values: ArrayLike, low: float, high: float, soft: float = 0.0) -> Matte:
    """1 where `low <= value <= high`, linear ramps of width `soft` outside both ends. `values`: (H, W)."""
    plane = as_planes(values)
    out = np.empty(plane.shape, np.float32)
    _band(plane.reshape(-1), np.float32(low), np.float32(high), np.float32(soft), out.reshape(-1))
    return out


def channel_matte(values: ArrayLike, low: float = 0.0, high: float = 1.0) -> Matte:
    """`(v - low) / (high - low)`, clipped; a `high` below `low` turns it round. `values`: (H, W)."""
    if low == high:
        raise ShapeError(f"low and high of a channel differ; both are {low}")
    share = (as_planes(values) - np.float32(low)) / np.float32(high - low)
    return np.asarray(np.nan_to_num(np.clip(share, 0.0, 1.0), copy=False, nan=0.0), np.float32)


def id_matte(planes: NDArray[np.generic], values: Sequence[float | Sequence[float]], tolerance: float = 0.004) -> Matte:
    """1 where the first of `planes` (C, H, W) equals a number of `values`, or the first three a colour within
    `tolerance` in each channel."""
    inside = np.zeros(planes.shape[1:], bool)
    numbers = [value for value in values if not isinstance(value, Sequence)]
    if numbers:
        whole = np.issubdtype(planes.dtype, np.integer)
        wanted = np.array(numbers, np.float64)
        # A number that the pass could not hold is none of its own.
        inside |= (
            np.isin(planes[0].astype(np.float64), wanted) if whole else np.isin(planes[0], wanted.astype(planes.dtype))
        )
    for colour in values:
        if isinstance(colour, Sequence) and planes.shape[0] >= 3:
            away = np.abs(planes[:3].astype(np.float64) - np.array(colour, np.float64)[:, None, None])
            inside |= (away <= tolerance).all(axis=0)
    return inside.astype(np.float32)


def depth_matte(depth: ArrayLike, near: float, far: float, soft: float = 0.0) -> Matte:
    """1 between two depths; 0 where nothing is: depth 0 or less, not finite, or 1e9 and more. `depth`: (H, W)."""
    plane = as_planes(depth)
    there = (plane > 0) & (plane < NOTHING_THERE)
    return band_matte(np.where(there, plane, np.float32(np.inf)), near, far, soft)


def sphere_matte(position: Planes, centre: Sequence[float], radius: float, soft: float = 0.0) -> Matte:
    """1 in a sphere in the scene, a ramp over the distance to it outside. `position`: (3, H, W)."""
    place = as_colour(position) - as_planes(np.array(centre, np.float64)).reshape(3, 1, 1)
    return band_matte(np.sqrt((place * place).sum(axis=0)), -1.0, radius, soft)


def box_matte(position: Planes, centre: Sequence[float], half_size: Sequence[float], soft: float = 0.0) -> Matte:
    """1 in a box along the axes of the scene, a ramp over the Euclidean distance to it outside."""
    middle, half = (as_planes(np.array(v, np.float64)).reshape(3, 1, 1) for v in (centre, half_size))
    beyond = np.maximum(np.abs(as_colour(position) - middle) - half, np.float32(0.0))
    return band_matte(np.sqrt((beyond * beyond).sum(axis=0)), -1.0, 0.0, soft)


def normal_matte(normal: Planes, direction: Sequence[float], angle: float = 45.0, soft: float = 15.0) -> Matte:
    """1 where a normal lies within `angle` degrees of a direction, a ramp over `soft` degrees outside. (3, H, W).

    Neither needs to have length 1; where there is no normal, it is 0.
    """
    way = np.array(direction, np.float64)
    planes = as_colour(normal)
    length = np.sqrt((planes * planes).sum(axis=0))
    there = length > 1e-6
    along = np.tensordot((way / np.linalg.norm(way)).astype(np.float32), planes, axes=1)
    cosine = np.divide(along, length, out=np.full(length.shape, np.nan, np.float32), where=there)
    degrees = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
    return band_matte(degrees, -1.0, angle, soft)


def luminance_matte(planes: Planes, weights: ArrayLike, low: float, high: float, soft: float = 0.0) -> Matte:
    """1 between two luminances in stops over 0.18, ramps of `soft` stops outside; 0 where there is no light.

    `planes`: (3, H, W) working space, `weights` its luminance weights.
    """
    colour = as_colour(planes)
    out = np.empty(colour.shape[1:], np.float32)
    ends = np.array([low, high, soft], np.float32)
    _luminance(colour.reshape(3, -1), as_planes(weights), ends, out.reshape(-1))
    return out


def hue_matte(planes: Planes, centre: float, width: float, soft: float = 0.0, least_saturation: float = 0.1) -> Matte:
    """1 within half of `width` of a hue, ramps of `soft` outside, in degrees of the hexagon (red 0, green 120).

    0 for greys, and where the saturation, (largest - least) / largest, is below `least_saturation`. (3, H, W).
    """
    colour = as_colour(planes)
    out = np.empty(colour.shape[1:], np.float32)
    wanted = np.array([centre, width / 2, soft, least_saturation], np.float32)
    _hue(colour.reshape(3, -1), wanted, out.reshape(-1))
    return out


_BLOCK = 8192
_ONE, _ZERO = np.float32(1.0), np.float32(0.0)
_GREY = np.float32(MIDDLE_GREY)


@inlined_kernel
def _ramp(away, soft):  # type: ignore[no-untyped-def]
    """1 at no distance, 0 from `soft` on; NaN and infinities are outside."""
    if away <= _ZERO:
        return _ONE
    if not away < soft:
        return _ZERO
    return _ONE - away / soft


@kernel
def _band(values, low, high, soft, out):  # type: ignore[no-untyped-def]
    for job in prange((values.size + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(values.size, (job + 1) * _BLOCK)):
            out[i] = _ramp(max(low - values[i], values[i] - high), soft) if values[i] == values[i] else _ZERO


@kernel
def _luminance(colour, weights, ends, out):  # type: ignore[no-untyped-def]
    for job in prange((out.size + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(out.size, (job + 1) * _BLOCK)):
            light = weights[0] * colour[0, i] + weights[1] * colour[1, i] + weights[2] * colour[2, i]
            stops = np.log2(light / _GREY) if light > _ZERO else np.float32(-np.inf)
            out[i] = _ramp(max(ends[0] - stops, stops - ends[1]), ends[2]) if light == light else _ZERO


@kernel
def _hue(colour, wanted, out):  # type: ignore[no-untyped-def]
    for job in prange((out.size + _BLOCK - 1) // _BLOCK):
        for i in range(job * _BLOCK, min(out.size, (job + 1) * _BLOCK)):
            red, green, blue = colour[0, i], colour[1, i], colour[2, i]
            top, least = max(red, green, blue), min(red, green, blue)
            span = top - least
            out[i] = _ZERO
            if not (top > _ZERO and span > _ZERO and span < np.float32(np.inf) and span / top >= wanted[3]):
                continue
            if top == red:
                place = (green - blue) / span
            elif top == green:
                place = np.float32(2.0) + (blue - red) / span
            else:
                place = np.float32(4.0) + (red - green) / span
            turn = place * np.float32(60.0) - wanted[0]
            turn -= np.float32(360.0) * np.floor(turn / np.float32(360.0) + np.float32(0.5))
            out[i] = _ramp(abs(turn) - wanted[1], wanted[2])
