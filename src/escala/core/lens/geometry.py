"""Where the pixels of a part of a picture lie in its frame; lengths in pixels of the full-resolution render."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..planes import Planes


@dataclass(frozen=True)
class FramePart:
    """A part of a frame of `width` x `height` pixels, of which `step` lie in a pixel of the part.

    `left`, `top`: the corner of the part, from that of the frame.
    """

    left: float
    top: float
    step: float
    width: int
    height: int

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of the frame."""
        return self.width / 2, self.height / 2

    @property
    def half_diagonal(self) -> float:
        """From the middle to a corner."""
        return float(np.hypot(self.width, self.height) / 2)

    def farthest_corner(self, centre: tuple[float, float]) -> float:
        """How far the corner lies that is farthest from a place."""
        across, down = (max(c, size - c) for c, size in zip(centre, (self.width, self.height), strict=True))
        return float(np.hypot(across, down))

    @property
    def first_pixel(self) -> tuple[int, int]:
        """Column and row of its first pixel among those of the frame: what is counted from there is so in any part."""
        return int(np.floor(self.left / self.step)), int(np.floor(self.top / self.step))

    def from_place(self, planes: NDArray[Any], centre: tuple[float, float]) -> tuple[Planes, Planes]:
        """How far each column and each row of planes lies from a place, (W,) and (H,), in pixels of the frame."""
        rows, columns = planes.shape[-2:]
        x = self.left + (np.arange(columns) + 0.5) * self.step - centre[0]
        y = self.top + (np.arange(rows) + 0.5) * self.step - centre[1]
        return x.astype(np.float32), y.astype(np.float32)
