"""Corrections of brightness by channel: range, contrast, curves, roll-off. All in scene-linear light, never clipped."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import PchipInterpolator

from ..balance.levels import MIDDLE_GREY
from ..planes import Planes, as_colour, as_planes

Points = Sequence[tuple[float, float]]

# Below so many stops under grey a curve goes straight through 0: there is no logarithm of darkness.
TOE_STOPS = -10.0


def set_range(
    planes: Planes,
    black: float = 0.0,
    white: float = 1.0,
    out_black: float = 0.0,
    out_white: float = 1.0,
    gamma: float = 1.0,
) -> Planes:
    """`x = (in - black) / (white - black)`; above 0 `x^(1/gamma)`; then to `out_black`..`out_white`. (3, H, W)."""
    x = (as_colour(planes) - np.float32(black)) * np.float32(1.0 / (white - black))
    if gamma != 1.0:
        x = np.where(x > 0, np.power(np.maximum(x, np.float32(0.0)), np.float32(1.0 / gamma)), x)
    return as_planes(x * np.float32(out_white - out_black) + np.float32(out_black))


def set_contrast(planes: Planes, amount: float = 1.0, pivot: float = MIDDLE_GREY) -> Planes:
    """`pivot * (in / pivot)^amount`: a line of that slope in stops; values of 0 and less stay. (3, H, W)."""
    source = as_colour(planes)
    raised = np.power(np.maximum(source, np.float32(0.0)) / np.float32(pivot), np.float32(amount)) * np.float32(pivot)
    return as_planes(np.where(source > 0, raised, source))


def apply_curves(
    planes: Planes, master: Points = (), red: Points = (), green: Points = (), blue: Points = ()
) -> Planes:
    """Curves through points in stops around grey, `(x, y)` with x rising; none is the identity. (3, H, W).

    Between points monotone cubic (PCHIP, Fritsch and Butland 1984); beyond them the slope of the end goes on. First the
    curve of each channel, then the master.
    """
    source = as_colour(planes)
    out = np.stack([_along(plane, points) for plane, points in zip(source, (red, green, blue), strict=True)])
    return as_planes(_along(out, master))


def _along(values: NDArray[np.float32], points: Points) -> NDArray[np.float32]:
    if not points:
        return values
    toe = MIDDLE_GREY * 2.0**TOE_STOPS
    share = _light(_curve(points, np.array([TOE_STOPS]))) / toe
    with np.errstate(invalid="ignore"):
        lit = values > toe
    stops = np.log2(np.where(lit, values, toe).astype(np.float64) / MIDDLE_GREY)
    return np.asarray(np.where(lit, _light(_curve(points, stops)), values * share), np.float32)


def _light(stops: NDArray[np.float64]) -> NDArray[np.float64]:
    return MIDDLE_GREY * np.exp2(stops)


def _curve(points: Points, x: NDArray[np.float64]) -> NDArray[np.float64]:
    """y of a curve at x, both in stops."""
    xs, ys = (np.array(column, np.float64) for column in zip(*points, strict=True))
    if len(xs) == 1:
        return np.asarray(x + (ys[0] - xs[0]))
    curve = PchipInterpolator(xs, ys)
    slopes = curve.derivative()(xs[[0, -1]])
    inside = curve(np.clip(x, xs[0], xs[-1]))
    return np.asarray(inside + slopes[0] * np.minimum(x - xs[0], 0.0) + slopes[1] * np.maximum(x - xs[-1], 0.0))


def roll_off(planes: Planes, start: float, limit: float) -> Planes:
    """Highlights that come near a limit and never reach it; `start` and `limit` in stops over grey. (3, H, W).

    With `t = 0.18 * 2^start` and `m = 0.18 * 2^limit` the largest channel above t becomes
    `t + (m - t)(1 - e^(-(in - t)/(m - t)))`, of equal slope at the joint; the others go in proportion, so hues stay.
    """
    source = as_colour(planes)
    t, m = MIDDLE_GREY * 2.0**start, MIDDLE_GREY * 2.0**limit
    largest = source.max(axis=0)
    with np.errstate(invalid="ignore"):
        above = largest > t
    high = np.where(above, largest, np.float32(t)).astype(np.float64)
    rolled = t + (m - t) * -np.expm1(-(high - t) / (m - t))
    return as_planes(source * np.where(above, rolled / high, 1.0).astype(np.float32))


def tint(planes: Planes, colour: ArrayLike, amount: float, weights: NDArray[np.float64]) -> Planes:
    """`(1 - a) in + a * Y(in) * colour / Y(colour)`, Y by `weights` of the working space; linear. (3, H, W).

    A colour without luminance leaves all as it is.
    """
    source, tone = as_colour(planes), np.asarray(colour, np.float64)
    luminance = float(weights @ tone)
    if luminance <= 0.0 or amount == 0.0:
        return source
    mixed = (1.0 - amount) * np.eye(3) + amount * np.outer(tone / luminance, weights)
    return as_planes(np.tensordot(mixed.astype(np.float32), source, axes=1))
