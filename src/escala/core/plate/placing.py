"""Pictures placed in the frame: fitted, scaled, turned and moved, averaged over what each pixel covers of them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError, choose
from ..kernels import kernel, prange, serial_kernel
from ..lens.geometry import FramePart
from ..planes import Planes, as_planes
from .operators import Layer

# A pixel that lies in the picture but for a rounding lies in it.
_INSIDE = 1e-4


@dataclass(frozen=True)
class Placement:
    """How a picture lies in the frame.

    `fit`: "fill" covers the frame, "fit" lies within it, "stretch" takes its shape, "actual" keeps its pixels; always
    centred. Then it is scaled about its middle (negative mirrors), turned counter-clockwise as seen (degrees), and
    moved (pixels of the full-resolution render, y down).
    """

    fit: str = "fill"
    scale: tuple[float, float] = (1.0, 1.0)
    turn: float = 0.0
    move: tuple[float, float] = (0.0, 0.0)

    def fitted(self, size: tuple[float, float], frame: tuple[float, float]) -> tuple[float, float]:
        """Pixels of the frame for each pixel of a picture of `size` (width, height), across and down."""
        across, down = frame[0] / size[0], frame[1] / size[1]
        fits = {
            "fill": (max(across, down),) * 2,
            "fit": (min(across, down),) * 2,
            "stretch": (across, down),
            "actual": (1.0, 1.0),
        }
        return choose("fit", self.fit, fits)

    def to_picture(
        self, size: tuple[float, float], frame: tuple[float, float], aspect: float = 1.0
    ) -> NDArray[np.float64]:
        """From places in the frame to places in the picture, both in pixels from their upper left corners; (2, 3).

        `aspect`: the width of the picture's pixels to their height, where those of the frame are square.
        """
        factors = self.fitted((size[0] * aspect, size[1]), frame)
        cosine, sine = np.cos(np.radians(self.turn)), np.sin(np.radians(self.turn))
        # As seen counter-clockwise, where y goes down; the way back is its transpose.
        back = np.array([[cosine, -sine], [sine, cosine]])
        steps = np.array([factors[0] * self.scale[0] * aspect, factors[1] * self.scale[1]])
        turned = back / steps[:, None]
        middle = np.array([frame[0] / 2 + self.move[0], frame[1] / 2 + self.move[1]])
        return np.column_stack([turned, np.array(size) / 2 - turned @ middle])


@dataclass(frozen=True)
class Sampling:
    """Which pixels of a picture a part of the frame shows.

    `level`: the pyramid level to read (0: full size). `rows`, `columns`: of that level. `corner`: where the middle of
    the first pixel lies among those; `steps`: how far a column and a row of the part go, (2, 2); `bounds`: where the
    picture ends, from that region's corner, as left, top, right, bottom; all in pixels of the level.
    """

    level: int
    rows: slice
    columns: slice
    corner: NDArray[np.float64]
    steps: NDArray[np.float64]
    bounds: NDArray[np.float64]

    @property
    def is_empty(self) -> bool:
        """Whether the part shows nothing of the picture."""
        return bool(self.rows.start >= self.rows.stop or self.columns.start >= self.columns.stop)

    def whole_pixels(self, shape: tuple[int, int]) -> tuple[slice, slice] | None:
        """Rows and columns of the region that the part shows one to one; None where pixels are mixed or missing."""
        left, top = self.corner - 0.5
        within = left >= max(0.0, self.bounds[0]) and top >= max(0.0, self.bounds[1])
        within = within and left + shape[1] <= self.bounds[2] and top + shape[0] <= self.bounds[3]
        if not within or not np.array_equal(self.steps, np.eye(2)) or left % 1 or top % 1:
            return None
        return slice(int(top), int(top) + shape[0]), slice(int(left), int(left) + shape[1])


def sampling(
    to_picture: NDArray[np.float64], part: FramePart, shape: tuple[int, int], size: tuple[int, int], levels: int
) -> Sampling:
    """What to read of a picture of `size` (width, height) with so many levels, for a part at `shape` (rows, columns).

    Levels that are coarser than the part are never read.
    """
    steps = to_picture[:, :2] * part.step
    spans = np.abs(steps).sum(axis=1)
    level = 0
    while level + 1 < levels and spans.min() >= 2.0 ** (level + 1):
        level += 1
    shrink = 1.0 / (1 << level)
    corner = (to_picture @ np.array([part.left + 0.5 * part.step, part.top + 0.5 * part.step, 1.0])) * shrink
    steps, spans = steps * shrink, spans * shrink
    ends = np.array([(x, y) for x in (0, shape[1] - 1) for y in (0, shape[0] - 1)]) @ steps.T + corner
    reach = 0.5 * np.maximum(spans, 1.0) + 1.0
    counts = [-(-side // (1 << level)) for side in size]
    first = [min(max(int(np.floor(ends[:, k].min() - reach[k])), 0), counts[k]) for k in (0, 1)]
    last = [min(max(int(np.ceil(ends[:, k].max() + reach[k])), 0), counts[k]) for k in (0, 1)]
    bounds = np.array([-first[0], -first[1], size[0] * shrink - first[0], size[1] * shrink - first[1]], np.float64)
    region = slice(first[1], last[1]), slice(first[0], last[0])
    return Sampling(level, *region, corner - np.array(first), steps, bounds)


def place_picture(picture: Planes, sampled: Sampling, shape: tuple[int, int]) -> Layer:
    """A picture as a part of the frame shows it, at `shape` (rows, columns).

    `picture`: the region that `sampled` names, associated, (4, h, w). Each pixel shows the mean over what it covers of
    the picture, at least one of its pixels: one to one it is the picture itself, enlarged it is interpolated linearly.
    Outside it nothing is.
    """
    region = as_planes(picture)
    wanted = (4, sampled.rows.stop - sampled.rows.start, sampled.columns.stop - sampled.columns.start)
    if region.shape != wanted:
        raise ShapeError(f"planes of shape {region.shape} are not the region of a picture, {wanted}")
    inner = sampled.whole_pixels(shape)
    if inner is not None:
        return Layer(region[:3, *inner], region[3, *inner])
    out = np.zeros((4, *shape), np.float32)
    if sampled.is_empty:
        return Layer(out[:3], out[3])
    if sampled.steps[0, 1] == 0 and sampled.steps[1, 0] == 0:
        across = _weights_along(sampled, 0, shape[1], region.shape[2])
        down = _weights_along(sampled, 1, shape[0], region.shape[1])
        _place_straight(region, *across, *down, out)
    else:
        _place(region, sampled.corner, sampled.steps, sampled.bounds, _INSIDE, out)
    return Layer(out[:3], out[3])


def _weights_along(
    sampled: Sampling, axis: int, count: int, size: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    """Of each column or row of the part: the first pixel of the picture, how many, and the weight of each.

    The weights sum to the share of it that lies within the picture.
    """
    step = float(sampled.steps[axis, axis])
    places = float(sampled.corner[axis]) + step * np.arange(count)
    low, high = float(sampled.bounds[axis]), float(sampled.bounds[axis + 2])
    first, many = np.zeros(count, np.int64), np.zeros(count, np.int64)
    weights = np.zeros((count, int(max(1.0, abs(step))) + 3), np.float64)
    _weigh_line(places, abs(step), low, high, size, _INSIDE, first, many, weights)
    return first, many, weights.astype(np.float32)


@serial_kernel
def _weigh_line(places, step, low, high, size, inside, first, many, weights):  # type: ignore[no-untyped-def]
    for k in range(places.size):
        cover = _share_within(places[k], 0.5 * step, low, high, inside)
        if cover > 0:
            first[k], many[k] = _weigh(places[k], 0.5 * max(1.0, step), low, high, size, weights[k])
            for j in range(many[k]):
                weights[k, j] *= cover


@kernel
def _place_straight(picture, first_x, many_x, weights_x, first_y, many_y, weights_y, out):  # type: ignore[no-untyped-def]
    """Along rows, then along columns: the picture is neither turned nor sheared."""
    height, width = out.shape[1:]
    least, most = picture.shape[2], 0
    for x in range(width):
        if many_x[x] > 0:
            least, most = min(least, first_x[x]), max(most, first_x[x] + many_x[x])
    for y in prange(height):
        if many_y[y] == 0 or most <= least:
            continue
        line = np.empty(most - least, np.float32)
        for plane in range(4):
            row = picture[plane, first_y[y], least:most]
            weight = weights_y[y, 0]
            for x in range(line.size):
                line[x] = weight * row[x]
            for j in range(1, many_y[y]):
                row, weight = picture[plane, first_y[y] + j, least:most], weights_y[y, j]
                for x in range(line.size):
                    line[x] += weight * row[x]
            target = out[plane, y]
            for x in range(width):
                at, total = first_x[x] - least, np.float32(0.0)
                for i in range(many_x[x]):
                    total += weights_x[x, i] * line[at + i]
                target[x] = total


@kernel
def _place(picture, corner, steps, bounds, inside, out):  # type: ignore[no-untyped-def]
    """`corner`: where the first pixel's middle lies; `steps`: (2, 2), how far a column and a row go, in its pixels."""
    height, width = out.shape[1:]
    span_x, span_y = abs(steps[0, 0]) + abs(steps[0, 1]), abs(steps[1, 0]) + abs(steps[1, 1])
    half_x, half_y = 0.5 * max(1.0, span_x), 0.5 * max(1.0, span_y)
    for row in prange(height):
        y = np.int64(row)
        weights_x, weights_y = np.empty(int(2 * half_x) + 3), np.empty(int(2 * half_y) + 3)
        for x in range(width):
            u = corner[0] + x * steps[0, 0] + y * steps[0, 1]
            v = corner[1] + x * steps[1, 0] + y * steps[1, 1]
            cover = _share_within(u, 0.5 * span_x, bounds[0], bounds[2], inside)
            cover *= _share_within(v, 0.5 * span_y, bounds[1], bounds[3], inside)
            if cover <= 0:
                continue
            first_x, count_x = _weigh(u, half_x, bounds[0], bounds[2], picture.shape[2], weights_x)
            first_y, count_y = _weigh(v, half_y, bounds[1], bounds[3], picture.shape[1], weights_y)
            red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
            for j in range(count_y):
                for i in range(count_x):
                    weight = weights_y[j] * weights_x[i]
                    red += weight * picture[0, first_y + j, first_x + i]
                    green += weight * picture[1, first_y + j, first_x + i]
                    blue += weight * picture[2, first_y + j, first_x + i]
                    alpha += weight * picture[3, first_y + j, first_x + i]
            out[0, y, x], out[1, y, x] = red * cover, green * cover
            out[2, y, x], out[3, y, x] = blue * cover, alpha * cover


@serial_kernel
def _share_within(place, half, low, high, inside):  # type: ignore[no-untyped-def]
    """Kernel part: how much of a span around a place lies between two bounds."""
    share = (min(place + half, high) - max(place - half, low)) / (2 * half)
    return 1.0 if share > 1.0 - inside else max(share, 0.0)


@serial_kernel
def _weigh(place, half, low, high, count, weights):  # type: ignore[no-untyped-def]
    """Kernel part: the first pixel of a span, how many there are, and their shares; beyond an edge its own pixel."""
    first = min(max(int(np.floor(max(place - half, low))), 0), count - 1)
    last = min(max(int(np.ceil(min(place + half, high))) - 1, first), count - 1)
    for k in range(first, last + 1):
        weights[k - first] = max(min(place + half, k + 1.0, high) - max(place - half, float(k), low), 0.0)
    weights[0] += min(max(low - (place - half), 0.0), 2 * half)
    weights[last - first] += min(max(place + half - high, 0.0), 2 * half)
    total = 0.0
    for k in range(last - first + 1):
        total += weights[k]
    for k in range(last - first + 1):
        weights[k] /= total
    return first, last - first + 1
