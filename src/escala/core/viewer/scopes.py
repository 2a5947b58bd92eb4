"""Scopes: how often each brightness occurs, by column or over all, in stops around grey or in display values."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..balance.levels import MIDDLE_GREY
from ..errors import ShapeError, choose
from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour
from .histogram import HIGHEST, LOWEST


@dataclass(frozen=True)
class Scale:
    """An axis: from `low` at the bottom to `high` at the top; `stops`: of scene-linear light around middle grey."""

    low: float
    high: float
    stops: bool


SCALES = {"stops": Scale(LOWEST, HIGHEST, True), "display": Scale(-0.05, 1.05, False)}
# Each scope by column, and which channels stand side by side in it (all of a group are drawn over each other).
COLUMN_SCOPES: dict[str, tuple[tuple[int, ...], ...]] = {"waveform": ((0, 1, 2),), "parade": ((0,), (1,), (2,))}

Counts = NDArray[np.int32]
Bytes = NDArray[np.uint8]

_BRIGHTEST = 235


def count_columns(planes: Planes, columns: int, rows: int, scale: str = "stops", within: Matte | None = None) -> Counts:
    """Counts (3, rows, columns) of a picture (3, H, W): row 0 is the top of the scale, the last its bottom.

    Every finite value (above 0 where the scale is of stops) is counted once, values beyond the axis at its ends.
    `within` (H, W): only pixels that it covers by half or more.
    """
    axis, planes = choose("scale", scale, SCALES), as_colour(planes)
    counts = np.zeros((3, rows, columns), np.int32)
    covered = np.ones(planes.shape[1:], np.bool_) if within is None else within >= np.float32(0.5)
    if covered.shape != planes.shape[1:]:
        raise ShapeError(f"a matte of shape {covered.shape} does not fit planes of shape {planes.shape}")
    low, high = np.float32(axis.low), np.float32(axis.high)
    _count(planes, covered, np.float32(MIDDLE_GREY), low, high, axis.stops, counts)
    return counts


def draw_columns(counts: Counts, kind: str) -> Bytes:
    """A scope of COLUMN_SCOPES from counts (3, rows, columns), as grey (rows, columns of each group, 3)."""
    groups = choose("scope", kind, COLUMN_SCOPES)
    parts = [np.log1p(sum(counts[channel] for channel in group).astype(np.float64)) for group in groups]
    return _grey(np.concatenate(parts, axis=1))


def draw_histogram(counts: Counts, rows: int) -> Bytes:
    """Counts (3, steps, 1) from `count_columns` as three bands of bars, red, green and blue; dark is left."""
    bands = []
    for index, height in enumerate(np.full(3, rows // 3) + np.array([0, 0, rows % 3])):
        values = np.sqrt(counts[index, ::-1, 0].astype(np.float64))
        share = values / values.max() if values.max() > 0 else values
        level = np.arange(height)[:, None] >= height - np.rint(share * (height - 2))
        bands.append(np.where(level, _BRIGHTEST, 0))
    return np.repeat(np.concatenate(bands).astype(np.uint8)[..., None], 3, axis=2)


def draw_overlay(counts: Counts, rows: int) -> Bytes:
    """Counts (3, steps, 1) from `count_columns` as overlaid bars in their own colours; (rows, steps, 3)."""
    values = np.sqrt(counts[:, ::-1, 0].astype(np.float64))
    share = values / values.max() if values.max() > 0 else values
    level = np.arange(rows)[:, None, None] >= rows - np.rint(share.T * (rows - 2))
    return np.where(level, _BRIGHTEST, 0).astype(np.uint8)


def _grey(shown: NDArray[np.float64]) -> Bytes:
    top = float(shown.max())
    grey = np.rint(shown / top * _BRIGHTEST if top > 0 else shown).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


@kernel
def _count(planes, covered, grey, low, high, stops, counts):  # type: ignore[no-untyped-def]
    """Each channel by itself, so that no two threads write to one place."""
    rows, columns = counts.shape[1], counts.shape[2]
    for c in prange(3):
        for y in range(planes.shape[1]):
            for x in range(planes.shape[2]):
                value = planes[c, y, x]
                if covered[y, x] and np.isfinite(value) and (value > 0 or not stops):
                    place = np.log2(value / grey) if stops else value
                    share = (high - place) / (high - low)
                    row = min(max(int(share * rows), 0), rows - 1)
                    counts[c, row, x * columns // planes.shape[2]] += 1
