"""What lies behind: pixels at the edge of a nearer thing, parted into both, and what it hides, carried on from beside.

A renderer gives one depth to a pixel, though both sides of an edge may be seen in it, and nothing of what a thing
hides; both show when one of them is spread and the other is not.
"""

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange, serial_kernel
from .layers import ALPHA, CHANNELS, GONE, WEIGHT, Surfels

# Slices that lie so far apart are two surfaces.
GAP = 2
_DIRECTIONS = np.array([(1, 0), (-1, 0), (0, 1), (0, -1), (1, 1), (-1, -1), (1, -1), (-1, 1)], np.int64)
_WAYS = 8
_FARTHEST = 255
_MIXED = 0.02
# What is carried on is at most so many times as bright as the darkest that is found.
_BRIGHTER, _FLOOR = 4.0, 1e-3


def fill_occluded(surfels: Surfels, spread: NDArray[np.float32], still: int) -> None:
    """Part mixed pixels and fill the second layer of surfels, in place.

    `spread`: how far each goes in pixels, (H, W); `still`: the footprint of what is not spread.
    """
    light, slices, prints = surfels.light, surfels.slice, surfels.footprint
    # A pixel goes no farther than this behind an edge.
    farthest = min(_FARTHEST, int(np.ceil(float(spread.max()) + 1.5)))
    steps = _steps_to_edges(slices[0], prints[0], farthest)
    _find(light[0], slices[0], prints[0], spread, steps, still, light[1], slices[1], prints[1])
    _part_mixed(light, slices, prints)


@kernel
def _steps_to_edges(slices, prints, farthest):  # type: ignore[no-untyped-def]
    """How many steps in each direction it is to where a farther surface begins, (8, H, W); 0: not within `farthest`.

    A slope reaches other slices too: only a jump is an edge.
    """
    height, width = slices.shape
    out = np.zeros((_WAYS, height, width), np.uint8)
    for job in prange(_WAYS):
        # Each half has ways of all kinds, which take different times.
        way = job % (_WAYS // 2) * 2 + job // (_WAYS // 2)
        across, down = _DIRECTIONS[way, 0], _DIRECTIONS[way, 1]
        here, there = slice(max(0, -across), width - max(0, across)), slice(max(0, across), width - max(0, -across))
        for line in range(height):
            y = height - 1 - line if down > 0 else line
            if 0 <= y + down < height:
                own, beside, code = slices[y, here], slices[y + down, there], prints[y + down, there]
                before, after = out[way, y + down, there], out[way, y, here]
                if down == 0 and across > 0:
                    _step_on(own[::-1], beside[::-1], code[::-1], farthest, before[::-1], after[::-1])
                else:
                    _step_on(own, beside, code, farthest, before, after)
    return out


@serial_kernel
def _step_on(own, beside, code, farthest, before, after):  # type: ignore[no-untyped-def]
    """The steps of a row from those of the row that it looks at, which is itself where a direction goes along it."""
    for x in range(own.size):
        one_more = before[x] + np.uint8(1) if 0 < before[x] < farthest else 0
        found = 1 if beside[x] >= own[x] + GAP else one_more
        after[x] = found if code[x] >= 0 else 0


@kernel
def _find(pixels, depth, codes, spread, steps, still, light, slices, prints):  # type: ignore[no-untyped-def]
    """Fill the second layer. Until all of it is there the first stays as it is: what is still to do is noted.

    The weight in the second layer is how much of a mixed pixel is its nearer side, 1 for all; and where the pixel is
    known to lie on the farther side, the second layer has the slice and the footprint of the nearer.
    """
    height, width = depth.shape
    for row in prange(height):
        y = np.int64(row)
        places = np.empty((_WAYS, 3), np.int64)
        # Most of a picture lies beside no edge, which is found for a whole row at once.
        hides, nearest = np.zeros(width, np.uint8), depth[y].copy()
        for way in range(_WAYS):
            for x in range(width):
                hides[x] |= steps[way, y, x]
        for v in (max(y - 1, 0), y, min(y + 1, height - 1)):
            for x in range(1, width - 1):
                nearest[x] = min(nearest[x], depth[v, x - 1], depth[v, x], depth[v, x + 1])
        nearest[0] = nearest[width - 1] = 0
        for x in range(width):
            if codes[y, x] < 0:
                continue
            if nearest[x] <= depth[y, x] - GAP:
                way = _way_to_nearer(depth, codes, y, x)
                if way >= 0 and _part_far_side(pixels, depth, codes, still, y, x, way, light, slices, prints):
                    continue
            if hides[x]:
                _hide_behind(pixels, depth, codes, spread, steps, still, y, x, places, light, slices, prints)


@kernel
def _part_mixed(light, slices, prints):  # type: ignore[no-untyped-def]
    """What `_find` has noted: of a mixed pixel the first layer keeps what is left without the second."""
    height, width = prints.shape[1:]
    for y in prange(height):
        for x in range(width):
            if prints[1, y, x] == GONE:
                continue
            if slices[1, y, x] < slices[0, y, x]:
                slices[0, y, x], slices[1, y, x] = slices[1, y, x], slices[0, y, x]
                prints[0, y, x], prints[1, y, x] = prints[1, y, x], prints[0, y, x]
            share = light[1, y, x, WEIGHT]
            if share < 1:
                for k in range(CHANNELS):
                    light[0, y, x, k] = max(light[0, y, x, k] - (1.0 - share) * light[1, y, x, k], 0.0)
                light[0, y, x, WEIGHT], light[1, y, x, WEIGHT] = share, 1.0


@serial_kernel
def _is_at(depth, codes, y, x, like):  # type: ignore[no-untyped-def]
    """Whether a pixel is there, and of the same surface as a slice."""
    height, width = depth.shape
    return 0 <= y < height and 0 <= x < width and codes[y, x] >= 0 and abs(depth[y, x] - like) < GAP


@serial_kernel
def _way_to_nearer(depth, codes, y, x):  # type: ignore[no-untyped-def]
    """The direction in which a nearer surface is the neighbour; -1 for none."""
    height, width = depth.shape
    own = depth[y, x] - GAP
    for way in range(_WAYS):
        v, u = y + _DIRECTIONS[way, 1], x + _DIRECTIONS[way, 0]
        if 0 <= v < height and 0 <= u < width and depth[v, u] <= own and codes[v, u] >= 0:
            return way
    return -1


@serial_kernel
def _hide_behind(pixels, depth, codes, spread, ways, still, y, x, places, light, slices, prints):  # type: ignore[no-untyped-def]
    """The farther surface that begins nearest to a pixel is carried on behind it: each direction by its closeness."""
    own = depth[y, x]
    closest = -1
    for d in range(_WAYS):
        step = np.int64(ways[d, y, x])
        across, down = _DIRECTIONS[d, 0], _DIRECTIONS[d, 1]
        v, u = y + step * down, x + step * across
        places[d, 2] = 0
        # On the way a nearer thing may have begun, that ends here.
        if step == 0 or depth[v, u] < own + GAP or step > max(spread[y, x], spread[v, u]) + 1.5:
            continue
        # One pixel on, the edge is not mixed into it.
        if _is_at(depth, codes, v + down, u + across, depth[v, u]):
            v, u = v + down, u + across
        places[d, 0], places[d, 1], places[d, 2] = v, u, step
        if closest < 0 or step < places[closest, 2]:
            closest = d
    if closest < 0:
        return
    first_y, first_x = places[closest, 0], places[closest, 1]
    # A lamp beside the edge is no reason for another one behind it.
    darkest = np.inf
    for d in range(_WAYS):
        if places[d, 2] > 0:
            v, u = places[d, 0], places[d, 1]
            if abs(depth[v, u] - depth[first_y, first_x]) < GAP:
                darkest = min(darkest, max(pixels[v, u, 0], pixels[v, u, 1], pixels[v, u, 2]))
            else:
                places[d, 2] = 0
    total, red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0, 0.0
    for d in range(_WAYS):
        if places[d, 2] > 0:
            v, u = places[d, 0], places[d, 1]
            weight = 1.0 / (places[d, 2] * places[d, 2])
            total += weight
            brightness = max(pixels[v, u, 0], pixels[v, u, 1], pixels[v, u, 2])
            limited = weight * min(1.0, (_BRIGHTER * darkest + _FLOOR) / max(brightness, 1e-9))
            red += limited * pixels[v, u, 0]
            green += limited * pixels[v, u, 1]
            blue += limited * pixels[v, u, 2]
            alpha += weight * pixels[v, u, ALPHA]
    light[y, x, 0], light[y, x, 1] = red / total, green / total
    light[y, x, 2], light[y, x, ALPHA] = blue / total, alpha / total
    light[y, x, WEIGHT] = 1.0
    slices[y, x], prints[y, x] = depth[first_y, first_x], codes[first_y, first_x]
    v, u = y - _DIRECTIONS[closest, 1], x - _DIRECTIONS[closest, 0]
    is_spread = codes[y, x] != still or prints[y, x] != still
    if places[closest, 2] == 1 and is_spread and _is_at(depth, codes, v, u, own):
        light[y, x, WEIGHT] = _nearer_share(pixels[y, x], pixels[v, u], light[y, x])


@serial_kernel
def _part_far_side(pixels, depth, codes, still, y, x, way, light, slices, prints):  # type: ignore[no-untyped-def]
    """Part a pixel of the farther side of an edge; False where nothing of the nearer is in it, or it is not known."""
    own = depth[y, x]
    across, down = _DIRECTIONS[way, 0], _DIRECTIONS[way, 1]
    v, u = y + down, x + across
    if (codes[y, x] == still and codes[v, u] == still) or not _is_at(depth, codes, y - down, x - across, own):
        return False
    near_y, near_x = v, u
    if _is_at(depth, codes, v + down, u + across, depth[v, u]):
        near_y, near_x = v + down, u + across
    beyond = pixels[y - down, x - across]
    share = _nearer_share(pixels[y, x], pixels[near_y, near_x], beyond)
    if share < _MIXED:
        return False
    light[y, x] = beyond
    light[y, x, WEIGHT] = share
    slices[y, x], prints[y, x] = depth[v, u], codes[v, u]
    return True


@serial_kernel
def _nearer_share(pixel, nearer, farther):  # type: ignore[no-untyped-def]
    """How much of a nearer colour is in a pixel, 0 to 1, where the rest is of a farther one; 1 too where none is."""
    along, length = 0.0, 0.0
    for k in range(CHANNELS):
        step = nearer[k] - farther[k]
        along += (pixel[k] - farther[k]) * step
        length += step * step
    share = min(1.0, max(0.0, along / length)) if length > 1e-12 else 1.0
    return 1.0 if share > 1.0 - _MIXED else share
