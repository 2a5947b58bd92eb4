"""Single corrections on planes: exposure, the ASC CDL, white, range, contrast, curves, tint, roll-off.

All are in scene-linear light, (3, H, W), and never clip unless that is said.
"""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..balance.levels import MIDDLE_GREY, stops_to_gain
from ..planes import Planes, as_planes
from .program import Laid, run_steps
from .steps import (
    Points,
    Step,
    cdl_step,
    contrast_step,
    curves_step,
    range_step,
    roll_off_step,
    tint_step,
)


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
    return _run(planes, cdl_step(slope, offset, power, saturation, clamp))


def set_range(
    planes: Planes,
    black: float = 0.0,
    white: float = 1.0,
    out_black: float = 0.0,
    out_white: float = 1.0,
    gamma: float = 1.0,
) -> Planes:
    """`x = (in - black) / (white - black)`; above 0 `x^(1/gamma)`; then to `out_black`..`out_white`. (3, H, W)."""
    return _run(planes, range_step(black, white, out_black, out_white, gamma))


def set_contrast(planes: Planes, amount: float = 1.0, pivot: float = MIDDLE_GREY) -> Planes:
    """`pivot * (in / pivot)^amount`: a line of that slope in stops; values of 0 and less stay. (3, H, W)."""
    return _run(planes, contrast_step(amount, pivot))


def apply_curves(
    planes: Planes, master: Points = (), red: Points = (), green: Points = (), blue: Points = ()
) -> Planes:
    """Curves through points in stops around grey, `(x, y)` with x rising; none is the identity. (3, H, W).

    Between points monotone cubic (PCHIP); beyond them the slope of the end goes on; below -10 stops straight through
    0. First the curve of each channel, then the master.
    """
    return _run(planes, curves_step(master, red, green, blue))


def roll_off(planes: Planes, start: float, limit: float) -> Planes:
    """Highlights that come near a limit and never reach it; `start` and `limit` in stops over grey. (3, H, W).

    With `t = 0.18 * 2^start` and `m = 0.18 * 2^limit` the largest channel above t becomes
    `t + (m - t)(1 - e^(-(in - t)/(m - t)))`, of equal slope at the joint; the others go in proportion, so hues stay.
    """
    return _run(planes, roll_off_step(start, limit))


def tint(planes: Planes, colour: ArrayLike, amount: float, weights: NDArray[np.float64]) -> Planes:
    """`(1 - a) in + a * Y(in) * colour / Y(colour)`, Y by `weights` of the working space; linear. (3, H, W).

    A colour without luminance leaves all as it is.
    """
    return _run(planes, tint_step(colour, amount, weights))


def _run(planes: Planes, step: Step) -> Planes:
    return run_steps(planes, [Laid(step)])
