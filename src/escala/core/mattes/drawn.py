"""Drawn mattes: closed outlines, covered by the share of each pixel, fading outwards.

Places are continuous, `[x, y]` with y down; the centre of the first pixel is at `[0.5, 0.5]`.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..errors import ShapeError
from ..kernels import kernel, prange, serial_kernel
from ..planes import Matte

Outline = NDArray[np.float64]

# Lines across each pixel row along which the share of a pixel is measured; along them it is exact.
_LINES = 32
_MOST_CROSSINGS = 512
_STEP_PX, _LEAST_STEPS, _MOST_STEPS = 2.0, 8, 256
_ELLIPSE_CORNERS = 720


def smooth_outline(points: ArrayLike) -> Outline:
    """A closed centripetal Catmull-Rom curve through `points` (n, 2), as many short straight lines, (m, 2).

    C. Yuksel, S. Schaefer, J. Keyser: Parameterization and applications of Catmull-Rom curves (2011), alpha 1/2.
    """
    given = _as_outline(points)
    given = given[np.any(given != np.roll(given, 1, axis=0), axis=1)]
    if len(given) < 3:
        return given if len(given) else _as_outline(points)[:1]
    pieces = [_span(*(given[(i + k) % len(given)] for k in (-1, 0, 1, 2))) for i in range(len(given))]
    return np.concatenate(pieces)


def _span(before: Outline, first: Outline, second: Outline, after: Outline) -> Outline:
    """The curve from `first` up to `second`, without its end, by Barry and Goldman's pyramid."""
    knots = np.cumsum(
        [0.0, *(np.linalg.norm(b - a) ** 0.5 for a, b in ((before, first), (first, second), (second, after)))]
    )
    steps = int(np.clip(np.ceil(np.linalg.norm(second - first) / _STEP_PX), _LEAST_STEPS, _MOST_STEPS))
    t = np.linspace(knots[1], knots[2], steps, endpoint=False)[:, None]

    def between(a: Outline, b: Outline, low: float, high: float) -> Outline:
        return np.asarray((high - t) / (high - low) * a + (t - low) / (high - low) * b)

    a1, a2, a3 = (
        between(a, b, knots[i], knots[i + 1])
        for i, (a, b) in enumerate(((before, first), (first, second), (second, after)))
    )
    b1, b2 = between(a1, a2, knots[0], knots[2]), between(a2, a3, knots[1], knots[3])
    return between(b1, b2, knots[1], knots[2])


def ellipse_outline(centre: Sequence[float], radii: Sequence[float], turn: float = 0.0) -> Outline:
    """An ellipse, turned by `turn` degrees counter-clockwise as seen, as many short straight lines, (m, 2)."""
    angle = np.linspace(0.0, 2.0 * np.pi, _ELLIPSE_CORNERS, endpoint=False)
    # Corners lie a little outside, so that the area is the ellipse's own.
    out = np.sqrt(2.0 * np.pi / _ELLIPSE_CORNERS / np.sin(2.0 * np.pi / _ELLIPSE_CORNERS))
    x, y = out * radii[0] * np.cos(angle), out * radii[1] * np.sin(angle)
    cosine, sine = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    return np.stack([centre[0] + x * cosine + y * sine, centre[1] - x * sine + y * cosine], axis=1)


def outline_matte(
    outline: ArrayLike, left: float, top: float, width: int, height: int, step: float = 1.0, feather_px: float = 0.0
) -> Matte:
    """How far a closed outline (n, 2) covers each pixel; (height, width), 0..1.

    The first pixel begins at `left`, `top`; each is `step` wide and high. Where lines cross, even-odd. `feather_px`:
    outside, `1 - d / feather_px` with d the distance from the pixel's centre to the outline, where that is more.
    """
    corners = (_as_outline(outline) - (left, top)) / step
    out = np.zeros((height, width), np.float32)
    if len(corners) >= 3:
        _cover(corners, np.roll(corners, -1, axis=0), out)
    if feather_px > 0:
        _fade(corners, np.roll(corners, -1, axis=0), feather_px / step, out)
    return out


def _as_outline(points: ArrayLike) -> Outline:
    outline = np.asarray(points, np.float64)
    if outline.ndim != 2 or outline.shape[1] != 2 or not len(outline) or not np.isfinite(outline).all():
        raise ShapeError(f"an outline is a list of finite places [x, y], not an array of shape {outline.shape}")
    return outline


@kernel
def _cover(starts, ends, out):  # type: ignore[no-untyped-def]
    for row in prange(out.shape[0]):
        crossings = np.empty(_MOST_CROSSINGS, np.float64)
        for line in range(_LINES):
            count = _crossings(starts, ends, row + (line + 0.5) / _LINES, crossings)
            for pair in range(0, count - 1, 2):
                _fill(crossings[pair], crossings[pair + 1], out[row])
        for x in range(out.shape[1]):
            out[row, x] = min(out[row, x] / np.float32(_LINES), np.float32(1.0))


@serial_kernel
def _crossings(starts, ends, y, crossings):  # type: ignore[no-untyped-def]
    """Kernel part: where the outline crosses a line, from left to right; how many."""
    count = 0
    for i in range(starts.shape[0]):
        y0, y1 = starts[i, 1], ends[i, 1]
        if (y0 <= y) == (y1 <= y) or count == _MOST_CROSSINGS:
            continue
        crossings[count] = starts[i, 0] + (y - y0) / (y1 - y0) * (ends[i, 0] - starts[i, 0])
        count += 1
    crossings[:count].sort()
    return count


@serial_kernel
def _fill(first, last, row):  # type: ignore[no-untyped-def]
    """Kernel part: add to each pixel of a row its share between two places."""
    first, last = max(first, 0.0), min(last, float(row.size))
    if last <= first:
        return
    begin, end = int(first), min(int(last), row.size - 1)
    if begin == end:
        row[begin] += np.float32(last - first)
        return
    row[begin] += np.float32(begin + 1 - first)
    for x in range(begin + 1, end):
        row[x] += np.float32(1.0)
    row[end] += np.float32(last - end)


@kernel
def _fade(starts, ends, feather, out):  # type: ignore[no-untyped-def]
    for row in prange(out.shape[0]):
        nearest = np.full(out.shape[1], feather * feather)
        y = row + 0.5
        for i in range(starts.shape[0]):
            if min(starts[i, 1], ends[i, 1]) - feather < y < max(starts[i, 1], ends[i, 1]) + feather:
                _measure(starts[i], ends[i], y, feather, nearest)
        for x in range(out.shape[1]):
            out[row, x] = max(out[row, x], np.float32(1.0 - np.sqrt(nearest[x]) / feather))


@serial_kernel
def _measure(start, end, y, feather, nearest):  # type: ignore[no-untyped-def]
    """Kernel part: the squared distances of a row's pixel centres to a line, where they are nearer than before."""
    first = max(0, int(min(start[0], end[0]) - feather))
    last = min(nearest.size, int(max(start[0], end[0]) + feather) + 1)
    dx, dy = end[0] - start[0], end[1] - start[1]
    length = dx * dx + dy * dy
    for x in range(first, last):
        px, py = x + 0.5 - start[0], y - start[1]
        along = min(max((px * dx + py * dy) / length, 0.0), 1.0) if length > 0 else 0.0
        away = (px - along * dx) ** 2 + (py - along * dy) ** 2
        nearest[x] = min(nearest[x], away)
