"""Monotone cubics through points (PCHIP): Fritsch and Butland 1984, at the ends by Moler's three-point formula."""

from collections.abc import Sequence
from itertools import pairwise


def pchip_slopes(x: Sequence[float], y: Sequence[float]) -> list[float]:
    """The slopes at two or more points, rising in `x`; a straight line has one."""
    steps = [b - a for a, b in pairwise(x)]
    rates = [(b - a) / step for (a, b), step in zip(pairwise(y), steps, strict=True)]
    if len(rates) == 1:
        return [rates[0], rates[0]]
    slopes = [_end_slope(steps[0], steps[1], rates[0], rates[1])]
    for (before, after), (left, right) in zip(pairwise(rates), pairwise(steps), strict=True):
        if before * after <= 0:
            slopes.append(0.0)
            continue
        w1, w2 = 2 * right + left, right + 2 * left
        slopes.append((w1 + w2) / (w1 / before + w2 / after))
    return [*slopes, _end_slope(steps[-1], steps[-2], rates[-1], rates[-2])]


def pchip_pieces(x: Sequence[float], y: Sequence[float], slopes: Sequence[float]) -> list[tuple[float, ...]]:
    """The cubics between points: the `x` at which each begins, and its coefficients from the third power down."""
    pieces: list[tuple[float, ...]] = []
    for (x0, x1), (y0, y1), (s0, s1) in zip(pairwise(x), pairwise(y), pairwise(slopes), strict=True):
        length = x1 - x0
        rate = (y1 - y0) / length
        pieces.append((x0, (s0 + s1 - 2 * rate) / length**2, (3 * rate - 2 * s0 - s1) / length, s0, y0))
    return pieces


def _end_slope(near: float, far: float, near_rate: float, far_rate: float) -> float:
    slope = ((2 * near + far) * near_rate - near * far_rate) / (near + far)
    if slope * near_rate <= 0:
        return 0.0
    if near_rate * far_rate <= 0 and abs(slope) > 3 * abs(near_rate):
        return 3 * near_rate
    return slope
