"""What lies behind: pixels at the edge of a nearer thing, parted into both, and what it hides, carried on from beside.

A renderer gives one depth to a pixel, though both sides of an edge may be seen in it, and nothing of what a thing
hides; both show when one of them is spread and the other is not.
"""

import numba
import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, serial_kernel
from .layers import WEIGHT, Surfels

# Slices that lie so far apart are two surfaces.
GAP = 2
_DIRECTIONS = np.array([(1, 0), (-1, 0), (0, 1), (0, -1), (1, 1), (-1, -1), (1, -1), (-1, 1)], np.int64)
_COARSE = 16
# What is found at a distance is looked for in steps that grow with it.
_STRIDE = 16
_MIXED = 0.02
# What is carried on is at most so many times as bright as the darkest that is found.
_BRIGHTER, _FLOOR = 4.0, 1e-3


def add_hidden(surfels: Surfels, spread: NDArray[np.float32], still: int) -> None:
    """Part mixed pixels and fill the second layer of surfels, in place.

    `spread`: how far each goes in pixels, (H, W); `still`: the footprint of what is not spread.
    """
    slices, prints = surfels.slice[0].copy(), surfels.footprint[0].copy()
    seen = surfels.light[0].copy(), slices, prints, spread, still
    edges, widest = _coarse(slices, prints, spread)
    ring = int(np.ceil((float(spread.max()) + 2) / _COARSE))
    _find(seen, surfels.light, surfels.slice, surfels.footprint, edges, widest, ring)


@kernel
def _coarse(slices, prints, spread):  # type: ignore[no-untyped-def]
    """Which squares of pixels have an edge between two surfaces, and how far their pixels go at most."""
    height, width = slices.shape
    shape = (height + _COARSE - 1) // _COARSE, (width + _COARSE - 1) // _COARSE
    edges, widest = np.zeros(shape, np.bool_), np.zeros(shape)
    for row in numba.prange(shape[0]):
        for column in range(shape[1]):
            has_edge, wide = False, np.float32(0.0)
            for y in range(row * _COARSE, min(height, (row + 1) * _COARSE)):
                below = min(y + 1, height - 1)
                for x in range(column * _COARSE, min(width, (column + 1) * _COARSE)):
                    beside = min(x + 1, width - 1)
                    own = slices[y, x]
                    has_edge |= abs(slices[below, x] - own) >= GAP
                    has_edge |= abs(slices[y, beside] - own) >= GAP
                    wide = max(wide, spread[y, x])
            edges[row, column], widest[row, column] = has_edge, wide
    return edges, widest


@kernel
def _find(seen, light, slices, prints, edges, widest, ring):  # type: ignore[no-untyped-def]
    height, width = slices.shape[1:]
    rows, columns = edges.shape
    for row in numba.prange(rows):
        for column in range(columns):
            has_edge, wide = False, 0.0
            for r in range(max(0, row - ring), min(rows, row + ring + 1)):
                for c in range(max(0, column - ring), min(columns, column + ring + 1)):
                    has_edge |= edges[r, c]
                    wide = max(wide, widest[r, c])
            if not has_edge or wide == 0.0:
                continue
            for y in range(row * _COARSE, min(height, (row + 1) * _COARSE)):
                for x in range(column * _COARSE, min(width, (column + 1) * _COARSE)):
                    if prints[0, y, x] >= 0 and not _part_far_side(seen, light, slices, prints, y, x):
                        _hide_behind(seen, light, slices, prints, y, x, wide)


@serial_kernel
def _is_at(seen, y, x, like, apart):  # type: ignore[no-untyped-def]
    """Whether a pixel is there and its slice at most `apart` from another."""
    height, width = seen[1].shape
    return 0 <= y < height and 0 <= x < width and seen[2][y, x] >= 0 and abs(seen[1][y, x] - like) <= apart


@serial_kernel
def _hide_behind(seen, light, slices, prints, y, x, wide):  # type: ignore[no-untyped-def]
    """The farther surface that begins nearest to a pixel is carried on behind it: each direction by its closeness."""
    pixels, depth, codes, spread, still = seen
    height, width = depth.shape
    own = depth[y, x]
    ys, xs, steps = np.zeros(8, np.int64), np.zeros(8, np.int64), np.zeros(8, np.int64)
    closest = -1
    for d in range(8):
        across, down = _DIRECTIONS[d, 0], _DIRECTIONS[d, 1]
        step, before = 1, own
        while step <= wide + 1.5:
            v, u = y + step * down, x + step * across
            if v < 0 or v >= height or u < 0 or u >= width:
                break
            stride = 1 + step // _STRIDE
            if codes[v, u] >= 0:
                # A slope reaches other slices too: only a jump is an edge.
                if depth[v, u] >= own + GAP and depth[v, u] >= before + GAP - 1 + stride:
                    # One pixel on, the edge is not mixed into it.
                    if _is_at(seen, v + down, u + across, depth[v, u], GAP - 1):
                        v, u = v + down, u + across
                    if step <= max(spread[y, x], spread[v, u]) + 1.5:
                        ys[d], xs[d], steps[d] = v, u, step
                        if closest < 0 or step < steps[closest]:
                            closest = d
                    break
                before = depth[v, u]
            step += stride
    if closest < 0:
        return
    first_y, first_x = ys[closest], xs[closest]
    # A lamp beside the edge is no reason for another one behind it.
    darkest = np.inf
    for d in range(8):
        steps[d] *= abs(depth[ys[d], xs[d]] - depth[first_y, first_x]) < GAP
        if steps[d] > 0:
            darkest = min(darkest, _brightness(pixels[ys[d], xs[d]]))
    behind, total = np.zeros(4), 0.0
    for d in range(8):
        if steps[d] > 0:
            found = pixels[ys[d], xs[d]]
            weight = 1.0 / (steps[d] * steps[d])
            total += weight
            limit = min(1.0, (_BRIGHTER * darkest + _FLOOR) / max(_brightness(found), 1e-9))
            for k in range(3):
                behind[k] += weight * limit * found[k]
            behind[3] += weight * found[3]
    for k in range(4):
        light[1, y, x, k] = behind[k] / total
    light[1, y, x, WEIGHT] = 1.0
    slices[1, y, x], prints[1, y, x] = depth[first_y, first_x], codes[first_y, first_x]
    v, u = y - _DIRECTIONS[closest, 1], x - _DIRECTIONS[closest, 0]
    if steps[closest] == 1 and (codes[y, x] != still or prints[1, y, x] != still) and _is_at(seen, v, u, own, GAP - 1):
        _part(pixels[y, x], pixels[v, u], light[1, y, x], light[0, y, x])


@serial_kernel
def _brightness(light):  # type: ignore[no-untyped-def]
    return max(light[0], light[1], light[2])


@serial_kernel
def _part_far_side(seen, light, slices, prints, y, x):  # type: ignore[no-untyped-def]
    """Part a pixel of the farther side of an edge; False where it is none, or nothing of the nearer is in it."""
    pixels, depth, codes, _, still = seen
    own = depth[y, x]
    for d in range(8):
        across, down = _DIRECTIONS[d, 0], _DIRECTIONS[d, 1]
        v, u = y + down, x + across
        if not _is_at(seen, v, u, 0, own - GAP):
            continue
        if codes[y, x] == still and codes[v, u] == still:
            return False
        near_y, near_x = (v + down, u + across) if _is_at(seen, v + down, u + across, depth[v, u], GAP - 1) else (v, u)
        far_y, far_x = (y - down, x - across) if _is_at(seen, y - down, x - across, own, GAP - 1) else (y, x)
        if far_y == y and far_x == x:
            return False
        for k in range(4):
            light[1, y, x, k] = pixels[far_y, far_x, k]
        light[1, y, x, WEIGHT] = 1.0
        share = _part(pixels[y, x], pixels[near_y, near_x], light[1, y, x], light[0, y, x])
        if share < _MIXED:
            for k in range(5):
                light[0, y, x, k] = pixels[y, x, k]
                light[1, y, x, k] = 0.0
            return False
        slices[1, y, x], prints[1, y, x] = own, codes[y, x]
        slices[0, y, x], prints[0, y, x] = depth[v, u], codes[v, u]
        return True
    return False


@serial_kernel
def _part(mixed, near, far, out):  # type: ignore[no-untyped-def]
    """How much of the nearer colour is in a mixed one; `out` is what is left of it without the farther."""
    along, length = 0.0, 0.0
    for k in range(4):
        step = near[k] - far[k]
        along += (mixed[k] - far[k]) * step
        length += step * step
    share = min(1.0, max(0.0, along / length)) if length > 1e-12 else 1.0
    if share > 1.0 - _MIXED:
        share = 1.0
    for k in range(4):
        out[k] = max(mixed[k] - (1.0 - share) * far[k], 0.0) if share < 1.0 else mixed[k]
    out[WEIGHT] = share
    return share
