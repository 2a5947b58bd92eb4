"""Linear gradients as backdrops."""

import numpy as np

from ..lens.geometry import FramePart
from ..planes import Planes

Place = tuple[float, float]
Colour = tuple[float, float, float]


def gradient(
    part: FramePart, shape: tuple[int, int], ends: tuple[Place, Place], colours: tuple[Colour, Colour]
) -> Planes:
    """A linear gradient over a part of the frame, (3, H, W).

    `shape`: rows and columns; `ends`: places in the display window, in pixels. Between them the colours are mixed
    linearly, beyond them held; of two ends at one place the first colour is everywhere.
    """
    across, down = ends[1][0] - ends[0][0], ends[1][1] - ends[0][1]
    length = across * across + down * down
    x, y = part.from_place(np.empty(shape, np.float32), ends[0])
    along = (x[None].astype(np.float64) * across + y[:, None] * down) / (length or 1.0)
    first, last = (np.array(colour, np.float64)[:, None, None] for colour in colours)
    return np.asarray(first + np.clip(along, 0.0, 1.0) * (last - first), np.float32)
