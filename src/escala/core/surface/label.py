"""Labels: a flat picture applied to a surface by its uv, averaged over what each pixel sees of it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError, choose
from ..kernels import inlined_kernel, kernel, prange, serial_kernel
from ..planes import Matte, Planes, as_colour, as_planes
from ..viewer.pyramid import halve_box

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
    """A picture and its halves, one after another: their pixels' four values, sizes, and where each begins."""

    texels: NDArray[np.float32]
    sizes: NDArray[np.int64]
    starts: NDArray[np.int64]


def picture_pyramid(picture: Planes) -> PicturePyramid:
    """An associated picture (4, H, W) and its halves, down to one pixel."""
    levels = [as_planes(picture)]
    while max(levels[-1].shape[1:]) > 1:
        levels.append(np.stack([halve_box(plane) for plane in levels[-1]]))
    return PicturePyramid(
        np.concatenate([level.transpose(1, 2, 0).reshape(-1) for level in levels]),
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
    differences of uv to its neighbours, those across seams excluded. Seen one to one, the picture itself.
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
    for y in prange(height):
        row = np.int64(y) + corner[0]
        for x in range(width):
            column, share = x + corner[1], where[y, x]
            u, v = float(uv[0, row, column]), float(uv[1, row, column])
            red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
            if share > 0 and np.isfinite(u) and np.isfinite(v):
                right = _step(uv, place, row, column, 0, sizes)
                down = _step(uv, place, row, column, 1, sizes)
                left, top = _placed(place, u, v)
                red, green, blue, alpha = _average(left, top, right, down, texels, sizes, starts, mode)
            kept = np.float32(1.0 - alpha)
            for channel, seen in enumerate((red, green, blue)):
                before = colour[channel, y, x]
                shown = np.float32(seen) + before * kept
                out[channel, y, x] = before + share * (shown - before) if alpha > 0 else before


@inlined_kernel
def _placed(place, u, v):  # type: ignore[no-untyped-def]
    return place[0, 0] * u + place[0, 1] * v + place[0, 2], place[1, 0] * u + place[1, 1] * v + place[1, 2]


@serial_kernel
def _step(uv, place, y, x, axis, sizes):  # type: ignore[no-untyped-def]
    """Kernel part: how far the place in the picture moves, in its pixels, from one pixel to the next along an axis."""
    best, best_across, best_down = np.inf, 0.0, 0.0
    for side in (-1, 1):
        row, column = (y, x + side) if axis == 0 else (y + side, x)
        if not (0 <= row < uv.shape[1] and 0 <= column < uv.shape[2]):
            continue
        du, dv = float(uv[0, row, column] - uv[0, y, x]) * side, float(uv[1, row, column] - uv[1, y, x]) * side
        if not max(abs(du), abs(dv)) < _SEAM:
            continue
        across = (place[0, 0] * du + place[0, 1] * dv) * sizes[0, 1]
        down = (place[1, 0] * du + place[1, 1] * dv) * sizes[0, 0]
        if across * across + down * down < best:
            best, best_across, best_down = across * across + down * down, across, down
    return best_across, best_down


@serial_kernel
def _average(u, v, right_step, down_step, texels, sizes, starts, mode):  # type: ignore[no-untyped-def]
    """Kernel part: the mean over a footprint around a place, from samples spread evenly over it.

    Each is of a level of the picture, between its pixels linear. All in one loop: handing arrays on to another for
    each sample takes longer than the sample.
    """
    full_height, full_width = sizes[0, 0], sizes[0, 1]
    along, across = np.hypot(right_step[0], right_step[1]), np.hypot(down_step[0], down_step[1])
    level = 0
    while level + 1 < sizes.shape[0] and (
        min(along, across) > _FINEST * 2.0**level or max(along, across) > _MOST * 2.0**level
    ):
        level += 1
    columns = min(max(int(np.ceil(along / 2.0**level - 1e-4)), 1), _MOST)
    rows = min(max(int(np.ceil(across / 2.0**level - 1e-4)), 1), _MOST)
    height, width, step, start = sizes[level, 0], sizes[level, 1], 2.0**level, starts[level]
    red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
    for sample in range(rows * columns):
        right, down = (sample % columns + 0.5) / columns - 0.5, (sample // columns + 0.5) / rows - 0.5
        x = u * full_width + right * right_step[0] + down * down_step[0]
        y = v * full_height + right * right_step[1] + down * down_step[1]
        if mode == 0 and not (0 <= x < full_width and 0 <= y < full_height):
            continue
        left, top = _within(x, full_width, mode) / step - 0.5, _within(y, full_height, mode) / step - 0.5
        column, row = int(np.floor(left)), int(np.floor(top))
        right_share, down_share = left - column, top - row
        for side in range(4):
            share = (right_share if side % 2 else 1 - right_share) * (down_share if side // 2 else 1 - down_share)
            if share == 0:
                continue
            at_row, at_column = _index(row + side // 2, height, mode), _index(column + side % 2, width, mode)
            at = start + (at_row * width + at_column) * 4
            red += share * texels[at]
            green += share * texels[at + 1]
            blue += share * texels[at + 2]
            alpha += share * texels[at + 3]
    count = rows * columns
    return red / count, green / count, blue / count, alpha / count


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
