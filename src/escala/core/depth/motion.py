"""Motion blur: every pixel spread along the way that it goes while the shutter is open."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange, serial_kernel
from ..planes import Matte, Planes, as_colour, as_planes
from ..progress import ProgressCallback, no_progress
from .footprints import PARTS, Footprints
from .layers import SLICES
from .spreading import spread_picture

# Ways are distinguished in quarters of a pixel up to 32 pixels, in steps twice as large up to twice as far, and so on:
# a picture has a bounded number of them. None goes farther than 255 pixels along an axis.
_STEPS, _FINE, _MOST = 4, 128, 1020
_SIDE = 2 * _MOST + 1
_STILL = _MOST * _SIDE + _MOST
# Slices of depth to a doubling of the distance, from an eighth of a unit on; of speed where there is no depth.
_PER_DOUBLING, _NEAREST = 6.0, 0.125
# What is mixed at an edge is looked for so many pixels beyond it.
_AROUND = 4
# Places along a way to a pixel of it.
_SAMPLES = 4
# No way is longer, in pixels.
FARTHEST = _MOST / _STEPS * 2**0.5
# Footprints are laid so many at a time; to a pixel of its way, one has less than so many changes.
_AT_ONCE, _CHANGES = 1024, 8


def shutter_times(shutter: float, centre: float) -> tuple[float, float]:
    """When a shutter opens and closes, in frames; `centre`: -1 for all before the frame's time, 1 for all after."""
    return shutter * (centre - 1.0) / 2.0, shutter * (centre + 1.0) / 2.0


def motion_blur(
    planes: Planes,
    alpha: Planes | None,
    vectors: Planes,
    distance: Planes | None,
    times: tuple[float, float],
    origin: tuple[int, int] = (0, 0),
    report_progress: ProgressCallback = no_progress,
) -> tuple[Planes, Matte | None]:
    """Colour (3, H, W) and alpha under an open shutter; what does not move, and nothing moves over, stays to the bit.

    `vectors`: (2, H, W), pixels per frame, x to the right, y down; no number is no motion. `distance`: in scene units;
    None: the faster lies over the slower. `times`: when the shutter opens and closes. `report_progress`: called with
    the fraction done, 0 to 1; it may raise to cancel.
    """
    colour, given = as_colour(planes), as_planes(vectors)
    codes, length = np.empty(colour.shape[1:], np.int32), np.empty(colour.shape[1:], np.float32)
    lasting = max(abs(times[0]), abs(times[1]), 1e-6) / (times[1] - times[0])
    _tell_ways(given, np.float32(times[1] - times[0]), lasting, codes, length)
    reach = int(np.ceil(float(length.max()))) + _AROUND
    part = _part_around(codes != _STILL, 2 * reach)
    if part is None:
        return colour, alpha
    rows, columns = part
    blurred, cover = spread_picture(
        np.ascontiguousarray(colour[:, rows, columns]),
        None if alpha is None else np.ascontiguousarray(alpha[part]),
        _slices(length[part], None if distance is None else distance[part]),
        np.ascontiguousarray(codes[part]),
        np.ascontiguousarray(length[part]),
        lambda found, report: _ways(found, times, report),
        (origin[0] + columns.start, origin[1] + rows.start),
        still=_STILL,
        report_progress=report_progress,
    )
    return _put_in(colour, blurred, part), None if alpha is None else _put_in(alpha, np.asarray(cover), part)


Part = tuple[slice, slice]


def _part_around(moving: NDArray[np.bool_], reach: int) -> Part | None:
    """The rows and columns around what moves, as far as it, or what lies behind, is looked for; None: all is still."""
    found = [np.flatnonzero(moving.any(axis=axis)) for axis in (1, 0)]
    if not found[0].size:
        return None
    rows, columns = (slice(max(0, int(at[0]) - reach), int(at[-1]) + reach + 1) for at in found)
    return rows, columns


def _put_in(whole: Planes, made: Planes, part: Part) -> Planes:
    """A picture with a part of it made anew."""
    if made.shape == whole.shape:
        return made
    out = whole.copy()
    out[..., part[0], part[1]] = made
    return out


@kernel
def _tell_ways(vectors, open_for, lasting, codes, length):  # type: ignore[no-untyped-def]
    """The code of the way of each pixel, and how far it goes to the farther side; no number is no motion."""
    height, width = codes.shape
    for y in prange(height):
        for x in range(width):
            across, down = vectors[0, y, x] * open_for * _STEPS, vectors[1, y, x] * open_for * _STEPS
            right = min(max(across, -_MOST), _MOST) if np.isfinite(vectors[0, y, x]) else 0.0
            low = min(max(down, -_MOST), _MOST) if np.isfinite(vectors[1, y, x]) else 0.0
            step = 1
            while max(abs(right), abs(low)) > _FINE * step:
                step *= 2
            right = min(max(np.rint(right / step) * step, -_MOST), _MOST)
            low = min(max(np.rint(low / step) * step, -_MOST), _MOST)
            codes[y, x] = (int(low) + _MOST) * _SIDE + int(right) + _MOST
            length[y, x] = np.hypot(right / _STEPS, low / _STEPS) * lasting


def _slices(length: Planes, distance: Planes | None) -> NDArray[np.int16]:
    if distance is None:
        place = SLICES - 1 - np.log2(1.0 + length) * _PER_DOUBLING
    else:
        place = np.log2(np.maximum(distance, _NEAREST) / _NEAREST) * _PER_DOUBLING
    return np.asarray(np.clip(place, 0, SLICES - 1).astype(np.int16))


def _ways(
    codes: NDArray[np.int32], times: Sequence[float], report_progress: ProgressCallback = no_progress
) -> Footprints:
    """The footprints of ways: a pixel's square, along them."""
    share = [time / (times[1] - times[0]) for time in times]
    across, down = (codes % _SIDE - _MOST) / _STEPS, (codes // _SIDE - _MOST) / _STEPS
    length = np.maximum(np.abs(across), np.abs(down))
    reach = (np.ceil(length * max(map(abs, share))) + 1).astype(np.int32)
    reach[codes == _STILL] = 0
    first = np.zeros((codes.size, 2 * int(reach.max()) + 2), np.int32)
    area = np.empty(codes.size)
    places, changes, count = [], [], 0
    for start in range(0, codes.size, _AT_ONCE):
        report_progress(start / codes.size)
        some = slice(start, start + _AT_ONCE)
        most = int(_CHANGES * (length[some] + 4).sum())
        place, change = np.empty(most, np.int32), np.empty(most)
        ways = across[some], down[some], share[0], share[1], reach[some]
        laid = _lay_ways(*ways, count, area[some], first[some], place, change)
        places.append(place[:laid].copy())
        changes.append(change[:laid].copy())
        count += laid
    return Footprints(reach, area, first, np.concatenate(places), np.concatenate(changes))


@serial_kernel
def _lay_ways(across, down, opened, closed, reach, before_all, area, first, place, change):  # type: ignore[no-untyped-def]
    """Lay footprints of which so many changes were laid before; how many changes these have."""
    count, most = 0, reach.max()
    covered = np.zeros((2 * most + 1, 2 * most + 2))
    begin, end = np.empty(2 * most + 1, np.int64), np.empty(2 * most + 1, np.int64)
    for k in range(across.size):
        r = reach[k]
        begin[:], end[:] = 2 * most + 1, -1
        length = max(abs(across[k]), abs(down[k]), 1.0)
        samples = int(np.ceil(length * _SAMPLES)) if r > 0 else 1
        for i in range(samples):
            time = opened + (closed - opened) * (i + 0.5) / samples if r > 0 else 0.0
            x, y = time * across[k] + r, time * down[k] + r
            left, top = int(np.floor(x)), int(np.floor(y))
            for v in range(2):
                for u in range(2):
                    share = (1.0 - abs(x - left - u)) * (1.0 - abs(y - top - v))
                    if share > 0:
                        covered[top + v, left + u] += share * length / samples
                        begin[top + v] = min(begin[top + v], left + u)
                        end[top + v] = max(end[top + v], left + u)
        total = 0.0
        for line in range(first.shape[1] - 1):
            first[k, line] = before_all + count
            if line > 2 * r:
                continue
            before = 0.0
            for column in range(begin[line], end[line] + 2):
                now = np.floor(covered[line, column] * PARTS + 0.5)
                covered[line, column] = 0.0
                total += now
                if now != before:
                    place[count], change[count] = column - r, now - before
                    count += 1
                before = now
        first[k, first.shape[1] - 1] = before_all + count
        area[k] = total
    return count
