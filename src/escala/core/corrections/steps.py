"""Steps that change each pixel by itself: what a correction is to the kernel that runs them."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..balance.levels import MIDDLE_GREY
from ..curves.pchip import pchip_pieces, pchip_slopes

Points = Sequence[tuple[float, float]]

# Below so many stops under grey a curve goes straight through 0: there is no logarithm of darkness.
TOE_STOPS = -10.0
# ASC CDL v1.2 fixes these weights for saturation, whatever the space.
CDL_LUMA = (0.2126, 0.7152, 0.0722)

GAIN, MATRIX, CONTRAST, CDL, RANGE, CURVES, ROLL_OFF, HUE = range(8)
NUMBERS = 16


@dataclass(frozen=True)
class Step:
    """A step by its code, its numbers and the table of its curves. `linear`: then alpha needs no care."""

    code: int
    numbers: tuple[float, ...]
    linear: bool = False
    table: tuple[float, ...] = ()


def gain_step(gain: ArrayLike) -> Step:
    """`in * gain`, one for each channel."""
    red, green, blue = (float(value) for value in np.broadcast_to(np.asarray(gain, np.float64), 3))
    return Step(GAIN, (red, green, blue), linear=True)


def matrix_step(matrix: NDArray[np.float64]) -> Step:
    """`matrix @ in`, (3, 3)."""
    return Step(MATRIX, tuple(map(float, matrix.ravel())), linear=True)


def tint_step(colour: ArrayLike, amount: float, weights: NDArray[np.float64]) -> Step:
    """`(1 - a) in + a * Y(in) * colour / Y(colour)`, Y by `weights` of the working space.

    A colour without luminance leaves all as it is.
    """
    tone = np.asarray(colour, np.float64)
    luminance = float(weights @ tone)
    if luminance <= 0.0 or amount == 0.0:
        return gain_step(1.0)
    return matrix_step((1.0 - amount) * np.eye(3) + amount * np.outer(tone / luminance, weights))


def contrast_step(amount: float = 1.0, pivot: float = MIDDLE_GREY) -> Step:
    """`pivot * (in / pivot)^amount`: a line of that slope in stops; values of 0 and less stay."""
    return Step(CONTRAST, (amount, 1.0 / pivot, pivot))


def cdl_step(
    slope: ArrayLike = (1.0, 1.0, 1.0),
    offset: ArrayLike = (0.0, 0.0, 0.0),
    power: ArrayLike = (1.0, 1.0, 1.0),
    saturation: float = 1.0,
    clamp: bool = False,
) -> Step:
    """ASC CDL v1.2: `(in * slope + offset)^power`, then saturation with Rec.709 weights.

    With `clamp` both are limited to 0..1 as the standard says. Without, the default for scene-linear light, nothing is
    limited and values below 0 pass the power unchanged.
    """
    channels = [float(value) for triple in (slope, offset, power) for value in np.asarray(triple, np.float64)]
    return Step(CDL, (*channels, saturation, float(clamp)))


def range_step(black: float, white: float, out_black: float, out_white: float, gamma: float) -> Step:
    """`x = (in - black) / (white - black)`; above 0 `x^(1/gamma)`; then to `out_black`..`out_white`; never clipped."""
    return Step(RANGE, (black, 1.0 / (white - black), 1.0 / gamma, out_white - out_black, out_black))


def roll_off_step(start: float, limit: float) -> Step:
    """Highlights that come near a limit and never reach it; `start` and `limit` in stops over grey.

    With `t = 0.18 * 2^start` and `m = 0.18 * 2^limit` the largest channel above t becomes
    `t + (m - t)(1 - e^(-(in - t)/(m - t)))`, of equal slope at the joint; the others go in proportion, so hues stay.
    """
    return Step(ROLL_OFF, (MIDDLE_GREY * 2.0**start, MIDDLE_GREY * 2.0**limit))


def hue_step(hue: float = 0.0, saturation: float = 1.0, value: float = 1.0) -> Step:
    """The hexagon of HSV: hue turned by degrees, saturation and value multiplied."""
    return Step(HUE, (hue / 60.0, saturation, value))


def curves_step(master: Points = (), red: Points = (), green: Points = (), blue: Points = ()) -> Step:
    """Curves through points in stops around grey, `(x, y)` with x rising; none is the identity.

    Between points monotone cubic (PCHIP); beyond them the slope of the end goes on; below -10 stops straight through
    0. First the curve of each channel, then the master.
    """
    table: list[float] = []
    places = []
    for points in (red, green, blue, master):
        places.append(float(len(table)) if points else -1.0)
        table += _curve_table(points) if points else []
    return Step(CURVES, tuple(places), table=tuple(table))


def _curve_table(points: Points) -> list[float]:
    """A curve for the kernel: PCHIP between its points, its end slopes carried on; one point is a shift.

    Share of the toe, ends (x, y, slope) of both sides, how many pieces; then of each piece where it begins, and its
    cubic.
    """
    xs, ys = ([float(value) for value in column] for column in zip(*points, strict=True))
    slopes = pchip_slopes(xs, ys) if len(xs) > 1 else [1.0]
    pieces = pchip_pieces(xs, ys, slopes)
    ends = (xs[0], ys[0], slopes[0], xs[-1], ys[-1], slopes[-1])
    share = 2.0 ** (_curve_at(TOE_STOPS, ends, pieces) - TOE_STOPS)
    return [share, *ends, float(len(pieces)), *chain.from_iterable(pieces)]


def _curve_at(x: float, ends: tuple[float, ...], pieces: Sequence[tuple[float, ...]]) -> float:
    first, first_value, first_slope, last, last_value, last_slope = ends
    if x <= first:
        return first_value + first_slope * (x - first)
    if x >= last:
        return last_value + last_slope * (x - last)
    start, *coefficients = next(piece for piece in reversed(pieces) if piece[0] <= x)
    return float(np.polyval(coefficients, x - start))
