"""Labels: a flat picture laid on a surface by its uv, averaged over what each pixel sees of it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError, choose
from ..kernels import kernel, serial_kernel
from ..looking.pyramid import halve_box
from ..planes import Matte, Planes, as_planes

# What is seen of a picture beyond its edges.
OUTSIDE = {"clip": 0, "repeat": 1, "mirror": 2}
# A jump of uv from one pixel to the next that is no slope: a seam, or another surface.
_SEAM = 0.5
# So many samples along each side of what a pixel sees; where that is longer, coarser pictures are sampled.
_FINEST, _MOST = 4, 32


@dataclass(frozen=True)
class Placement:
    """How a picture lies on the uv square: scaled about its middle, turned counter-clockwise (degrees), then moved.

    `v_up`: v = 0 is the picture's lower edge.
    """

    scale: tuple[float, float] = (1.0, 1.0)
    move: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    outside: str = "clip"
    v_up: bool = True

    def place_of(self, uv: NDArray[np.float32]) -> NDArray[np.float32]:
        """Where in the picture, (0, 0) its upper left and (1, 1) its lower right corner, uv (2, H, W) falls."""
        u, v = uv[0] - np.float32(0.5 + self.move[0]), uv[1] - np.float32(0.5 + self.move[1])
        cosine, sine = np.float32(np.cos(np.radians(self.turn))), np.float32(np.sin(np.radians(self.turn)))
        across = (cosine * u + sine * v) / np.float32(self.scale[0]) + np.float32(0.5)
        up = (cosine * v - sine * u) / np.float32(self.scale[1]) + np.float32(0.5)
        return np.stack([across, np.float32(1.0) - up if self.v_up else up])


def picture_pyramid(picture: Planes) -> list[Planes]:
    """An associated picture (4, H, W) and its halves, down to one pixel."""
    levels = [as_planes(picture)]
    while max(levels[-1].shape[1:]) > 1:
        levels.append(np.stack([halve_box(plane) for plane in levels[-1]]))
    return levels


def lay_label(uv: NDArray[np.float32], levels: Sequence[Planes], placement: Placement, where: Matte) -> Planes:
    """What each pixel sees of a picture, (4, H, W), associated; 0 where `where` is 0.

    `uv`: (2, H, W); `levels`: `picture_pyramid`. The average over the pixel's footprint: a parallelogram by the
    differences of uv to its neighbours, those across seams left out. Seen one to one, the picture itself.
    """
    if uv.ndim != 3 or uv.shape[0] != 2 or uv.shape[1:] != where.shape:
        raise ShapeError(f"uv of shape {uv.shape} does not fit a matte of shape {where.shape}")
    given = as_planes(uv)
    sizes = np.array([level.shape[1:] for level in levels], np.int64)
    starts = np.cumsum([0, *(level.size for level in levels)])[:-1].astype(np.int64)
    texels = np.concatenate([level.reshape(-1) for level in levels])
    out = np.zeros((4, *where.shape), np.float32)
    mode = choose("way beyond a label", placement.outside, OUTSIDE)
    _lay(given, placement.place_of(given), texels, sizes, starts, np.int64(mode), as_planes(where), out)
    return out


@kernel
def _lay(uv, place, texels, sizes, starts, mode, where, out):  # type: ignore[no-untyped-def]
    height, width = where.shape
    for y in numba.prange(height):
        steps, colour = np.zeros((2, 2)), np.zeros(4)
        for x in range(width):
            if where[y, x] <= 0 or not (np.isfinite(place[0, y, x]) and np.isfinite(place[1, y, x])):
                continue
            _footprint(uv, place, np.int64(y), np.int64(x), sizes[0], steps)
            _average(place[0, y, x], place[1, y, x], steps, texels, sizes, starts, mode, colour)
            for channel in range(4):
                out[channel, y, x] = colour[channel]


@serial_kernel
def _footprint(uv, place, y, x, size, steps):  # type: ignore[no-untyped-def]
    """Kernel part: how far the place in the picture moves, in its pixels, from one pixel to the next in x and in y."""
    for axis in range(2):
        best = np.inf
        steps[axis, 0], steps[axis, 1] = 0.0, 0.0
        for side in (-1, 1):
            row, column = (y, x + side) if axis == 0 else (y + side, x)
            if not (0 <= row < uv.shape[1] and 0 <= column < uv.shape[2]):
                continue
            jump = max(abs(uv[0, row, column] - uv[0, y, x]), abs(uv[1, row, column] - uv[1, y, x]))
            if not jump < _SEAM:
                continue
            across = (place[0, row, column] - place[0, y, x]) * side * size[1]
            down = (place[1, row, column] - place[1, y, x]) * side * size[0]
            if across * across + down * down < best:
                best = across * across + down * down
                steps[axis, 0], steps[axis, 1] = across, down


@serial_kernel
def _average(u, v, steps, texels, sizes, starts, mode, colour):  # type: ignore[no-untyped-def]
    """Kernel part: the mean over a footprint around a place, from samples spread evenly over it."""
    along, across = np.hypot(steps[0, 0], steps[0, 1]), np.hypot(steps[1, 0], steps[1, 1])
    level = 0
    while level + 1 < sizes.shape[0] and (
        min(along, across) > _FINEST * 2.0**level or max(along, across) > _MOST * 2.0**level
    ):
        level += 1
    columns = min(max(int(np.ceil(along / 2.0**level - 1e-4)), 1), _MOST)
    rows = min(max(int(np.ceil(across / 2.0**level - 1e-4)), 1), _MOST)
    colour[:] = 0.0
    for row in range(rows):
        for column in range(columns):
            right, down = (column + 0.5) / columns - 0.5, (row + 0.5) / rows - 0.5
            x = u * sizes[0, 1] + right * steps[0, 0] + down * steps[1, 0]
            y = v * sizes[0, 0] + right * steps[0, 1] + down * steps[1, 1]
            _sample(x, y, level, texels, sizes, starts, mode, colour)
    for channel in range(4):
        colour[channel] /= rows * columns


@serial_kernel
def _sample(x, y, level, texels, sizes, starts, mode, colour):  # type: ignore[no-untyped-def]
    """Kernel part: add the picture at a place, in pixels of its full size, from a level; between pixels linear."""
    full_height, full_width = sizes[0, 0], sizes[0, 1]
    if mode == 0 and not (0 <= x < full_width and 0 <= y < full_height):
        return
    x, y = _within(x, full_width, mode), _within(y, full_height, mode)
    height, width, step = sizes[level, 0], sizes[level, 1], 2.0**level
    left, top = x / step - 0.5, y / step - 0.5
    column, row = int(np.floor(left)), int(np.floor(top))
    right_share, down_share = left - column, top - row
    for side in range(4):
        share = (right_share if side % 2 else 1 - right_share) * (down_share if side // 2 else 1 - down_share)
        if share == 0:
            continue
        at_row, at_column = _index(row + side // 2, height, mode), _index(column + side % 2, width, mode)
        for channel in range(4):
            colour[channel] += share * texels[starts[level] + (channel * height + at_row) * width + at_column]


@serial_kernel
def _within(place, size, mode):  # type: ignore[no-untyped-def]
    """Kernel part: a place beyond a picture, brought into it."""
    if mode == 1:
        return place - size * np.floor(place / size)
    if mode == 2:
        back = place - 2 * size * np.floor(place / (2 * size))
        return back if back < size else 2 * size - back
    return place


@serial_kernel
def _index(index, size, mode):  # type: ignore[no-untyped-def]
    """Kernel part: the pixel beside an edge: of the other side where the picture repeats, else the edge's own."""
    if mode == 1:
        return (index + size) % size
    return min(max(index, 0), size - 1)
