"""How often each brightness occurs, on an axis of stops around middle grey."""

from dataclasses import dataclass

import numpy as np

from ..balance.levels import MIDDLE_GREY
from ..planes import Planes

LOWEST, HIGHEST = -10.0, 8.0


@dataclass(frozen=True)
class Histogram:
    """Counts (channels of steps) from `low` to `high` stops; values beyond count at the ends; `dark`: 0 or less."""

    low: float
    high: float
    counts: list[list[int]]
    dark: int


def histogram_of(planes: Planes, steps: int = 108) -> Histogram:
    """The histogram of planes (C, H, W); what is not a number counts nowhere."""
    counts, dark = [], 0
    for plane in planes:
        values = plane[np.isfinite(plane)]
        lit = values[values > 0]
        dark += int(values.size - lit.size)
        stops = np.clip(np.log2(lit) - np.log2(np.float32(MIDDLE_GREY)), LOWEST, HIGHEST)
        counts.append(np.histogram(stops, bins=steps, range=(LOWEST, HIGHEST))[0].tolist())
    return Histogram(LOWEST, HIGHEST, counts, dark)
