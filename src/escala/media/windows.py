"""Pixel windows: where a picture's pixels lie, apart from what is shown of them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Window:
    """A rectangle of pixels: first column and row, and size. Columns and rows may be negative."""

    x: int
    y: int
    width: int
    height: int

    @property
    def right(self) -> int:
        """The column after the last."""
        return self.x + self.width

    @property
    def bottom(self) -> int:
        """The row after the last."""
        return self.y + self.height

    def union(self, other: "Window") -> "Window":
        """The smallest window that holds both."""
        x, y = min(self.x, other.x), min(self.y, other.y)
        return Window(x, y, max(self.right, other.right) - x, max(self.bottom, other.bottom) - y)

    def within(self, other: "Window") -> tuple[slice, slice]:
        """Rows and columns of this window in an array that covers `other`."""
        top, left = self.y - other.y, self.x - other.x
        return slice(top, top + self.height), slice(left, left + self.width)

    def __str__(self) -> str:
        return f"{self.width} × {self.height} at {self.x}, {self.y}"


def exr_box(window: Window) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """A window as the format's library takes it: first and last column and row."""
    first = np.array([window.x, window.y], np.int32)
    return first, np.array([window.right - 1, window.bottom - 1], np.int32)
