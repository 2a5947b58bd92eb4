"""What is remarkable about one pass's pixels, each with a code and a sentence."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .roles import PassRole, Role


@dataclass(frozen=True)
class Diagnostic:
    """A finding: `code` for scripts, `message` says what it means and what to do."""

    code: str
    message: str


@dataclass(frozen=True)
class PassStatistics:
    """Figures of a pass over its finite pixels, per channel; counts are of values."""

    low: tuple[float, ...]
    high: tuple[float, ...]
    mean: tuple[float, ...]
    not_finite: int
    negative: int


def measure_pass(planes: Sequence[NDArray[Any]]) -> PassStatistics:
    """Range, mean and counts of a pass, a plane (H, W) of any type for each channel."""
    low, high, mean, not_finite, negative = [], [], [], 0, 0
    for plane in planes:
        total = float(np.sum(plane, dtype=np.float64))
        if not np.isfinite(total):
            finite = np.isfinite(plane)
            not_finite += int(plane.size - np.count_nonzero(finite))
            plane = plane[finite]
            total = float(np.sum(plane, dtype=np.float64))
        low.append(float(plane.min()) if plane.size else 0.0)
        high.append(float(plane.max()) if plane.size else 0.0)
        mean.append(total / plane.size if plane.size else 0.0)
        negative += int(np.count_nonzero(plane < 0)) if low[-1] < 0 else 0
    return PassStatistics(tuple(low), tuple(high), tuple(mean), not_finite, negative)


def diagnose_pass(role: PassRole, statistics: PassStatistics) -> list[Diagnostic]:
    """Findings of one pass from its figures and role."""
    found = []
    low, high = min(statistics.low, default=0.0), max(statistics.high, default=0.0)
    if low == high == 0.0:
        found.append(Diagnostic("empty", "Every pixel is 0: the pass adds nothing and can be left out."))
    elif all(a == b for a, b in zip(statistics.low, statistics.high, strict=True)):
        found.append(Diagnostic("constant", f"Every pixel is {high:g}: probably not rendered; check the source."))
    if statistics.not_finite:
        text = f"{statistics.not_finite} values are not finite numbers: they are left out of every comparison."
        found.append(Diagnostic("not_finite", text))
    if role.is_colour and statistics.negative:
        text = f"{statistics.negative} values are below 0, down to {low:g}: light is not negative; check the filter."
        found.append(Diagnostic("negative", text))
    if role.role in (Role.BEAUTY, Role.LIGHT) and 0.99 < high <= 1.0 and low < high:
        text = "Nothing is brighter than 1: probably a display picture saved as light, its highlights gone."
        found.append(Diagnostic("clamped", text))
    if role.role == Role.DEPTH and low >= 0.0 and 0.0 < high <= 1.0:
        found.append(Diagnostic("depth_normalised", "Depth runs from 0 to 1: it was normalised, scene units are lost."))
    return found
