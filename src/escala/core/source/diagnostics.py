"""What is remarkable about one pass's pixels, each with a code and a sentence."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..roles import PassRole, Role


@dataclass(frozen=True)
class Diagnostic:
    """A finding: `code` for scripts, `message` says what it means and what to do.

    Its evidence is a number (`value`) and a place (x, y) where there are such; `repair` names one of REPAIRS.
    """

    code: str
    message: str
    value: float | None = None
    place: tuple[int, int] | None = None
    repair: str | None = None


@dataclass(frozen=True)
class PassStatistics:
    """Figures of a pass over its finite pixels, per channel; counts are of values."""

    low: tuple[float, ...]
    high: tuple[float, ...]
    mean: tuple[float, ...]
    not_finite: int
    negative: int


Figures = tuple[float, float, float, int, int]


def join_figures(rows: NDArray[np.float64], size: int) -> list[Figures]:
    """The figures of planes of `size` pixels from those of their rows (planes, n, 5), as `measure_rows` gives them."""
    counted = rows[:, :, 3] > 0
    low = np.where(counted, rows[:, :, 0], np.inf).min(axis=1)
    high = np.where(counted, rows[:, :, 1], -np.inf).max(axis=1)
    total, count, below = rows[:, :, 2:].sum(axis=1).T
    columns = zip(low.tolist(), high.tolist(), total.tolist(), count.tolist(), below.tolist(), strict=True)
    return [
        (least, most, sum_ / n, size - int(n), int(negative)) if n else (0.0, 0.0, 0.0, size, 0)
        for least, most, sum_, n, negative in columns
    ]


def join_statistics(measured: Sequence[Figures]) -> PassStatistics:
    """The figures of a pass from those of its planes."""
    low, high, mean, not_finite, negative = zip(*measured, strict=True)
    return PassStatistics(low, high, mean, sum(not_finite), sum(negative))


def diagnose_pass(role: PassRole, statistics: PassStatistics) -> list[Diagnostic]:
    """Findings of one pass from its figures and role."""
    found = []
    low, high = min(statistics.low, default=0.0), max(statistics.high, default=0.0)
    if low == high == 0.0:
        found.append(Diagnostic("empty", "Every pixel is 0: the pass adds nothing and can be excluded."))
    elif all(a == b for a, b in zip(statistics.low, statistics.high, strict=True)):
        found.append(Diagnostic("constant", f"Every pixel is {high:g}: probably not rendered; check the source."))
    if statistics.not_finite:
        count = statistics.not_finite
        text = f"{count} values are NaN or Inf, excluded from comparisons. Fill them from their neighbours."
        found.append(Diagnostic("not_finite", text, value=float(statistics.not_finite), repair="fill"))
    if role.is_colour and statistics.negative:
        count = statistics.negative
        text = f"{count} values are below 0, down to {low:g}: light is never negative; check the pixel filter."
        found.append(Diagnostic("negative", text))
    if role.role in (Role.BEAUTY, Role.LIGHT) and 0.99 < high <= 1.0 and low < high:
        text = "No value is above 1: probably display-referred and clipped."
        found.append(Diagnostic("clamped", text))
    if role.role == Role.DEPTH and low >= 0.0 and 0.0 < high <= 1.0:
        found.append(
            Diagnostic("depth_normalised", "Depth ranges from 0 to 1: it was normalised, scene units are lost.")
        )
    return found
