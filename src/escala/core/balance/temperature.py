"""Colour temperature as a gain: daylight locus from 4000 K up, Planckian locus below, Bradford adaptation."""

import numpy as np
from numpy.typing import NDArray

NEUTRAL_KELVIN = 6500.0
KELVIN_RANGE = (1667.0, 25000.0)

# Bradford cone response matrix (Lam 1985; ICC.1:2022 annex E).
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def kelvin_to_xy(kelvin: float) -> tuple[float, float]:
    """CIE 1931 chromaticity of a light of `kelvin` K, 1667..25000 (clipped).

    From 4000 K: CIE daylight locus (CIE 15:2004, eq. 3.3, 3.4). Below: Planckian locus by the cubic approximation of
    Kim et al. (2002). The two loci lie 0.003 Duv apart at 4000 K, so between 4000 and 4500 K they are blended.
    """
    t = float(np.clip(kelvin, *KELVIN_RANGE))
    if t >= 4500.0:
        return _daylight_xy(t)
    if t < 4000.0:
        return _planckian_xy(t)
    share = (t - 4000.0) / 500.0
    day, planck = _daylight_xy(t), _planckian_xy(t)
    return planck[0] + share * (day[0] - planck[0]), planck[1] + share * (day[1] - planck[1])


def shifted_xy(kelvin: float, duv: float) -> tuple[float, float]:
    """The point of a temperature shifted by `duv` in CIE 1960 (u, v), along the normal of the Planckian locus.

    Above it, towards green, where `duv` is positive; below, towards magenta, where it is negative (ANSI C78.377).
    """
    x, y = kelvin_to_xy(kelvin)
    if duv == 0.0:
        return x, y
    t = float(np.clip(kelvin, *KELVIN_RANGE))
    (u0, v0), (u1, v1) = (_to_uv(*_planckian_xy(t + step)) for step in (-1.0, 1.0))
    along_u, along_v = u1 - u0, v1 - v0
    length = float(np.hypot(along_u, along_v)) * (1.0 if along_u < 0 else -1.0)
    u, v = _to_uv(x, y)
    u, v = u + duv * along_v / length, v - duv * along_u / length
    scale = 2.0 * u - 8.0 * v + 4.0
    return 3.0 * u / scale, 2.0 * v / scale


def _to_uv(x: float, y: float) -> tuple[float, float]:
    """CIE 1931 (x, y) as CIE 1960 (u, v)."""
    scale = -2.0 * x + 12.0 * y + 3.0
    return 4.0 * x / scale, 6.0 * y / scale


def temperature_gain(kelvin: float, to_xyz: NDArray[np.float64], duv: float = 0.0) -> NDArray[np.float64]:
    """RGB of a light of `kelvin` K in the space whose matrix to XYZ is given; (1, 1, 1) at 6500 K. (3,), unbounded.

    `duv`: its distance from the locus, green positive.
    """
    white = to_xyz @ np.ones(3)
    adapt = bradford_matrix(xy_to_xyz(*kelvin_to_xy(NEUTRAL_KELVIN)), white)
    rgb = np.linalg.solve(to_xyz, adapt @ xy_to_xyz(*shifted_xy(kelvin, duv)))
    return np.asarray(np.maximum(rgb, 0.0))


def bradford_matrix(source_white: NDArray[np.float64], target_white: NDArray[np.float64]) -> NDArray[np.float64]:
    """The 3x3 matrix on XYZ that adapts `source_white` to `target_white` (both XYZ)."""
    scale = (BRADFORD @ target_white) / (BRADFORD @ source_white)
    return np.asarray(np.linalg.inv(BRADFORD) @ np.diag(scale) @ BRADFORD)


def xy_to_xyz(x: float, y: float) -> NDArray[np.float64]:
    """XYZ of chromaticity (x, y) with Y = 1."""
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


def _daylight_xy(t: float) -> tuple[float, float]:
    if t <= 7000.0:
        x = 0.244063 + 0.09911e3 / t + 2.9678e6 / t**2 - 4.6070e9 / t**3
    else:
        x = 0.237040 + 0.24748e3 / t + 1.9018e6 / t**2 - 2.0064e9 / t**3
    return x, -3.000 * x * x + 2.870 * x - 0.275


def _planckian_xy(t: float) -> tuple[float, float]:
    if t < 4000.0:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t < 2222.0:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t < 4000.0:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    return x, y
