"""What is remarkable about one pass's pixels, each with a code and a sentence."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from .roles import PassRole, Role

_LARGEST = np.float32(np.finfo(np.float32).max)


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


def measure_plane(plane: NDArray[Any]) -> tuple[float, float, float, int, int]:
    """Lowest and highest value, mean, and how many values are not finite and below 0, of a plane (H, W)."""
    values = plane.astype(np.float32) if plane.dtype.kind != "f" else plane
    rows = np.empty((values.shape[0], 5))
    values = np.ascontiguousarray(values, np.float32)
    _measure_rows(values, values.view(np.uint32), rows)
    count = int(rows[:, 3].sum())
    if not count:
        return 0.0, 0.0, 0.0, values.size, 0
    total = float(rows[:, 2].sum()) / count
    return float(rows[:, 0].min()), float(rows[:, 1].max()), total, values.size - count, int(rows[:, 4].sum())


def join_statistics(measured: Sequence[tuple[float, float, float, int, int]]) -> PassStatistics:
    """The figures of a pass from those of its planes."""
    low, high, mean, not_finite, negative = zip(*measured, strict=True)
    return PassStatistics(low, high, mean, sum(not_finite), sum(negative))


# What is not finite is told by its bits, so that the sums may be taken in any order and become vector code.
@numba.njit(nogil=True, parallel=True, cache=True, error_model="numpy", fastmath={"reassoc", "nnan", "ninf", "nsz"})
def _measure_rows(plane, bits, out):  # type: ignore[no-untyped-def]
    """Of each row: lowest, highest and sum of the finite values, their number, and how many are negative."""
    for y in numba.prange(plane.shape[0]):
        low, high, total = _LARGEST, -_LARGEST, np.float64(0.0)
        count, below = np.int32(0), np.int32(0)
        for x in range(plane.shape[1]):
            finite = (bits[y, x] & np.uint32(0x7F800000)) != np.uint32(0x7F800000)
            value = plane[y, x]
            low = min(low, value if finite else _LARGEST)
            high = max(high, value if finite else -_LARGEST)
            kept = value if finite else np.float32(0.0)
            total += kept
            count += np.int32(finite)
            below += np.int32(kept < np.float32(0.0))
        out[y, 0], out[y, 1], out[y, 2], out[y, 3], out[y, 4] = low, high, total, count, below


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
