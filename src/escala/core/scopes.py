"""Scopes: how often each brightness occurs in each column of a picture, per channel, on an axis of stops."""

import numba
import numpy as np
from numpy.typing import NDArray

from .errors import choose
from .histogram import HIGHEST, LOWEST
from .kernels import kernel
from .levels import MIDDLE_GREY
from .planes import Planes

# Each scope, and which channels stand side by side in it (all of a group are drawn over each other).
SCOPES: dict[str, tuple[tuple[int, ...], ...]] = {"waveform": ((0, 1, 2),), "parade": ((0,), (1,), (2,))}

Counts = NDArray[np.int32]


def count_columns(planes: Planes, columns: int, rows: int) -> Counts:
    """Counts (3, rows, columns) of a picture (3, H, W): row 0 is HIGHEST stops over middle grey, the last LOWEST.

    Every finite value above 0 is counted once, values beyond the axis at its ends.
    """
    counts = np.zeros((3, rows, columns), np.int32)
    _count(planes, np.float32(MIDDLE_GREY), np.float32(LOWEST), np.float32(HIGHEST), counts)
    return counts


def draw_scope(planes: Planes, kind: str, columns: int, rows: int) -> NDArray[np.uint8]:
    """A scope of SCOPES as a grey picture (rows, columns, 3): the brighter, the more pixels."""
    groups = choose("scope", kind, SCOPES)
    width = columns // len(groups)
    counts = count_columns(planes, width, rows)
    parts = [np.log1p(sum(counts[channel] for channel in group).astype(np.float64)) for group in groups]
    shown = np.concatenate(parts, axis=1)
    top = float(shown.max())
    grey = np.rint(shown / top * 235 if top > 0 else shown).astype(np.uint8)
    return np.repeat(np.pad(grey, ((0, 0), (0, columns - grey.shape[1])))[..., None], 3, axis=2)


@kernel
def _count(planes, grey, low, high, counts):  # type: ignore[no-untyped-def]
    """Each channel by itself, so that no two threads write to one place."""
    rows, columns = counts.shape[1], counts.shape[2]
    for c in numba.prange(3):
        for y in range(planes.shape[1]):
            for x in range(planes.shape[2]):
                value = planes[c, y, x]
                if value > 0 and np.isfinite(value):
                    share = (high - np.log2(value / grey)) / (high - low)
                    row = min(max(int(share * rows), 0), rows - 1)
                    counts[c, row, x * columns // planes.shape[2]] += 1
