"""Drawn mattes: closed outlines, covered by the share of each pixel, fading outwards.

Places are continuous, `[x, y]` with y down; the centre of the first pixel is at `[0.5, 0.5]`.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..errors import ShapeError
from ..kernels import inlined_kernel, kernel, prange, serial_kernel
from ..planes import Matte

Outline = NDArray[np.float64]

# Lines across each pixel row along which the share of a pixel is measured; along them it is exact.
_LINES = 32
# How far straight pieces may lie from the curve that they stand for, in pixels.
_FLAT_PX = 0.004
_SAMPLES, _MAX_PIECES = 16, 4096
# Pixels along the sides of the blocks, and of the tiles in them, for which the nearest pieces are looked up.
_BLOCK, _TILE = 64, 8


def smooth_outline(points: ArrayLike) -> Outline:
    """A closed centripetal Catmull-Rom curve through `points` (n, 2), as short straight pieces, (m, 2).

    No piece is farther than 0.004 pixels from the curve. C. Yuksel, S. Schaefer, J. Keyser: Parameterization and
    applications of Catmull-Rom curves (2011), alpha 1/2.
    """
    given = _as_outline(points)
    given = given[np.any(given != np.roll(given, 1, axis=0), axis=1)]
    if len(given) < 3:
        return given if len(given) else _as_outline(points)[:1]
    spans = np.stack([np.roll(given, -k, axis=0) for k in (-1, 0, 1, 2)])
    bends = _curves(spans, np.full(len(given), _SAMPLES)).reshape(len(given), _SAMPLES, 2)
    ends = np.concatenate([bends, np.roll(given, -1, axis=0)[:, None]], axis=1)
    # A piece of a curve is as far from it as an eighth of its second difference.
    bent = np.linalg.norm(np.diff(ends, 2, axis=1), axis=2).max(axis=1)
    counts = np.clip(np.ceil(_SAMPLES * np.sqrt(bent / (4.0 * _FLAT_PX))), 2, _MAX_PIECES).astype(np.int64)
    return _curves(spans, counts)


def _curves(spans: NDArray[np.float64], counts: NDArray[np.int64]) -> Outline:
    """Curves from the second to the third of four points each, (4, n, 2), without their ends; by Barry and Goldman.

    Each at as many places as `counts` says, evenly spaced, one curve after the other.
    """
    lengths = np.linalg.norm(np.diff(spans, axis=0), axis=2) ** 0.5
    knots = np.concatenate([np.zeros((1, lengths.shape[1])), np.cumsum(lengths, axis=0)])
    of = np.repeat(np.arange(len(counts)), counts)
    within = np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts)
    t0, t1, t2, t3 = knots[:, of]
    p0, p1, p2, p3 = spans[:, of]
    t = t1 + (t2 - t1) * within / counts[of]

    def between(a: Outline, b: Outline, low: Outline, high: Outline) -> Outline:
        share = ((t - low) / (high - low))[:, None]
        return np.asarray((1.0 - share) * a + share * b)

    a1, a2, a3 = between(p0, p1, t0, t1), between(p1, p2, t1, t2), between(p2, p3, t2, t3)
    return between(between(a1, a2, t0, t2), between(a2, a3, t1, t3), t1, t2)


def ellipse_outline(centre: Sequence[float], radii: Sequence[float], turn: float = 0.0) -> Outline:
    """An ellipse, turned by `turn` degrees counter-clockwise as seen, as short straight pieces, (m, 2).

    No piece is farther than 0.004 pixels from it.
    """
    corners = int(np.clip(np.ceil(np.pi / np.sqrt(2.0 * _FLAT_PX / max(*radii, _FLAT_PX))), 16, 1 << 14))
    angle = np.linspace(0.0, 2.0 * np.pi, corners, endpoint=False)
    # Corners lie a little outside, so that the area is the ellipse's own.
    out = np.sqrt(2.0 * np.pi / corners / np.sin(2.0 * np.pi / corners))
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
    starts = (_as_outline(outline) - (left, top)) / step
    ends = np.roll(starts, -1, axis=0)
    out = np.zeros((height, width), np.float32)
    if len(starts) >= 3:
        first, which = _edges_by_row(starts[:, 1], ends[:, 1], height)
        _cover(starts, ends, first, which, out)
    if feather_px > 0:
        _fade(starts, ends, feather_px / step, out)
    return out


def _edges_by_row(
    starts: NDArray[np.float64], ends: NDArray[np.float64], rows: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The edges that touch each row of pixels, one row after another, and where each row begins among them."""
    top = np.clip(np.floor(np.minimum(starts, ends)), 0, rows).astype(np.int64)
    bottom = np.clip(np.floor(np.maximum(starts, ends)) + 1, 0, rows).astype(np.int64)
    counts = np.maximum(bottom - top, 0)
    which = np.repeat(np.arange(len(starts)), counts)
    row = np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts) + top[which]
    order = np.argsort(row, kind="stable")
    return np.searchsorted(row[order], np.arange(rows + 1)), which[order]


def _as_outline(points: ArrayLike) -> Outline:
    outline = np.asarray(points, np.float64)
    if outline.ndim != 2 or outline.shape[1] != 2 or not len(outline) or not np.isfinite(outline).all():
        raise ShapeError(f"an outline is a list of finite places [x, y], not an array of shape {outline.shape}")
    return outline


@kernel
def _cover(starts, ends, first, which, out):  # type: ignore[no-untyped-def]
    for row in prange(out.shape[0]):
        edges = which[first[row] : first[row + 1]]
        if edges.size == 0:
            continue
        crossings = np.empty(edges.size, np.float64)
        for line in range(_LINES):
            count = _crossings(starts, ends, edges, row + (line + 0.5) / _LINES, crossings)
            for pair in range(0, count - 1, 2):
                _fill(crossings[pair], crossings[pair + 1], out[row])
        for x in range(out.shape[1]):
            out[row, x] = min(out[row, x] / np.float32(_LINES), np.float32(1.0))


@serial_kernel
def _crossings(starts, ends, edges, y, crossings):  # type: ignore[no-untyped-def]
    """Kernel part: where some edges cross a line, from left to right; how many."""
    count = 0
    for i in edges:
        y0, y1 = starts[i, 1], ends[i, 1]
        if (y0 <= y) == (y1 <= y):
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
    """Lay the fading edge on: of all pieces only those are measured that can be the nearest to a tile of pixels."""
    across = (out.shape[1] + _BLOCK - 1) // _BLOCK
    down = (out.shape[0] + _BLOCK - 1) // _BLOCK
    for job in prange(across * down):
        left, top = job % across * _BLOCK, job // across * _BLOCK
        everything = np.arange(starts.shape[0])
        near = _nearest_pieces(starts, ends, everything, left, top, _BLOCK, feather)
        if near.size == 0:
            continue
        for tile in range((_BLOCK // _TILE) ** 2):
            x = left + tile % (_BLOCK // _TILE) * _TILE
            y = top + tile // (_BLOCK // _TILE) * _TILE
            if x < out.shape[1] and y < out.shape[0]:
                pieces = _nearest_pieces(starts, ends, near, x, y, _TILE, feather)
                _fade_tile(starts, ends, pieces, feather, x, y, out)


@serial_kernel
def _nearest_pieces(starts, ends, pieces, left, top, size, feather):  # type: ignore[no-untyped-def]
    """Kernel part: the pieces that are the nearest to some pixel of a square, within `feather` of it."""
    x, y, radius = left + 0.5 * size, top + 0.5 * size, 0.7072 * size
    away = np.empty(pieces.size, np.float64)
    least = np.inf
    for k in range(pieces.size):
        i = pieces[k]
        away[k] = np.sqrt(_squared_distance(starts[i, 0], starts[i, 1], ends[i, 0], ends[i, 1], x, y))
        least = min(least, away[k])
    most = min(least + 2.0 * radius, feather + radius)
    count = 0
    for k in range(pieces.size):
        if away[k] <= most:
            count += 1
    found = np.empty(count, np.int64)
    count = 0
    for k in range(pieces.size):
        if away[k] <= most:
            found[count] = pieces[k]
            count += 1
    return found


@serial_kernel
def _fade_tile(starts, ends, pieces, feather, left, top, out):  # type: ignore[no-untyped-def]
    """Kernel part: the fading edge of some pieces on a tile of pixels."""
    for y in range(top, min(top + _TILE, out.shape[0])):
        for x in range(left, min(left + _TILE, out.shape[1])):
            nearest = feather * feather
            for i in pieces:
                away = _squared_distance(starts[i, 0], starts[i, 1], ends[i, 0], ends[i, 1], x + 0.5, y + 0.5)
                nearest = min(nearest, away)
            out[y, x] = max(out[y, x], np.float32(1.0 - np.sqrt(nearest) / feather))


@inlined_kernel
def _squared_distance(x0, y0, x1, y1, x, y):  # type: ignore[no-untyped-def]
    """Kernel part: the squared distance of a place to a straight piece."""
    dx, dy, px, py = x1 - x0, y1 - y0, x - x0, y - y0
    length = dx * dx + dy * dy
    along = min(max((px * dx + py * dy) / length, 0.0), 1.0) if length > 0.0 else 0.0
    return (px - along * dx) ** 2 + (py - along * dy) ** 2
