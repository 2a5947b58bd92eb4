"""Labels: a flat picture laid on a surface by its uv, averaged over what each pixel sees of it."""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError, choose
from ..kernels import kernel, serial_kernel
from ..looking.pyramid import halve_box
from ..planes import Matte, Planes, as_colour, as_planes

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

    @property
    def to_picture(self) -> NDArray[np.float64]:
        """From uv to the place in the picture, (0, 0) its upper left and (1, 1) its lower right corner; (2, 3)."""
        cosine, sine = np.cos(np.radians(self.turn)), np.sin(np.radians(self.turn))
        turned = np.array([[cosine, sine], [-sine, cosine]]) / np.array(self.scale)[:, None]
        shift = 0.5 - turned @ (0.5 + np.array(self.move))
        placed = np.column_stack([turned, shift])
        return np.stack([placed[0], np.array([0.0, 0.0, 1.0]) - placed[1] if self.v_up else placed[1]])


@dataclass(frozen=True)
class PicturePyramid:
    """A picture and its halves, one after another: their values, rows and columns, and where each begins."""

    texels: NDArray[np.float32]
    sizes: NDArray[np.int64]
    starts: NDArray[np.int64]


def picture_pyramid(picture: Planes) -> PicturePyramid:
    """An associated picture (4, H, W) and its halves, down to one pixel."""
    levels = [as_planes(picture)]
    while max(levels[-1].shape[1:]) > 1:
        levels.append(np.stack([halve_box(plane) for plane in levels[-1]]))
    return PicturePyramid(
        np.concatenate([level.reshape(-1) for level in levels]),
        np.array([level.shape[1:] for level in levels], np.int64),
        np.cumsum([0, *(level.size for level in levels)])[:-1].astype(np.int64),
    )


def lay_label(
    colour: Planes,
    where: Matte,
    uv: NDArray[np.float32],
    pyramid: PicturePyramid,
    placement: Placement,
    corner: tuple[int, int] = (0, 0),
) -> Planes:
    """A colour pass (3, H, W) with a picture over it, as far as `where` (H, W) covers.

    `uv`: (2, H or more, W or more), of which the pixels of the colour begin at `corner` (row, column); `pyramid`:
    `picture_pyramid`. Each pixel shows the average of the picture over its footprint: a parallelogram by the
    differences of uv to its neighbours, those across seams left out. Seen one to one, the picture itself.
    """
    planes, cover, given = as_colour(colour), as_planes(where), as_planes(uv)
    rows, columns = (start + size for start, size in zip(corner, cover.shape, strict=True))
    if cover.shape != planes.shape[1:] or given.ndim != 3 or given.shape[0] != 2:
        raise ShapeError(f"a matte of shape {cover.shape} and uv of {given.shape} do not fit planes of {planes.shape}")
    if rows > given.shape[1] or columns > given.shape[2]:
        raise ShapeError(f"uv of shape {given.shape} has no place for planes of {planes.shape} at {corner}")
    mode = choose("way beyond a label", placement.outside, OUTSIDE)
    out = np.empty_like(planes)
    corner_of_uv, place = np.array(corner), placement.to_picture
    texels, sizes, starts = pyramid.texels, pyramid.sizes, pyramid.starts
    _lay(planes, cover, given, place, corner_of_uv, texels, sizes, starts, np.int64(mode), out)
    return out


@kernel
def _lay(colour, where, uv, place, corner, texels, sizes, starts, mode, out):  # type: ignore[no-untyped-def]
    height, width = where.shape
    for y in numba.prange(height):
        steps, seen = np.zeros((2, 2)), np.zeros(4)
        row = np.int64(y) + corner[0]
        for x in range(width):
            column, share = x + corner[1], where[y, x]
            u, v = float(uv[0, row, column]), float(uv[1, row, column])
            seen[:] = 0.0
            if share > 0 and np.isfinite(u) and np.isfinite(v):
                _footprint(uv, place, row, column, sizes[0], steps)
                across, down = _placed(place, u, v)
                _average(across, down, steps, texels, sizes, starts, mode, seen)
            for channel in range(3):
                before = colour[channel, y, x]
                shown = np.float32(seen[channel]) + before * np.float32(1.0 - seen[3])
                out[channel, y, x] = before + share * (shown - before) if seen[3] > 0 else before


@numba.njit(nogil=True, cache=True, inline="always")
def _placed(place, u, v):  # type: ignore[no-untyped-def]
    return place[0, 0] * u + place[0, 1] * v + place[0, 2], place[1, 0] * u + place[1, 1] * v + place[1, 2]


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
            du, dv = float(uv[0, row, column] - uv[0, y, x]) * side, float(uv[1, row, column] - uv[1, y, x]) * side
            if not max(abs(du), abs(dv)) < _SEAM:
                continue
            across = (place[0, 0] * du + place[0, 1] * dv) * size[1]
            down = (place[1, 0] * du + place[1, 1] * dv) * size[0]
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
