"""Pixels spread over their neighbours, kept apart by depth, and combined again from front to back.

Each pixel gives its light, its alpha and its weight to the pixels that it spreads over, in the slice of depth in which
it lies. Slices that follow one another without a gap are one surface, in which the nearer takes its share first. Behind
a gap begins another surface, over which the nearer lies as far as it covers. What stays uncovered is unknown: the
known is made up for it.

All that is added are whole numbers in float64, so that sums are exact: tiles and threads change no bit.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange, serial_kernel, thread_count
from ..progress import ProgressCallback, no_progress
from .footprints import Footprints

# Light is counted in so many parts of 1: exact in float64 up to 128, to a rounding of that beyond.
UNIT = 2.0**46
# A weight below this share of a pixel is none.
_NONE = 1e-4
# Where a surface is curved, its pixels do not add up to 1 exactly; more than this is another surface behind it.
_FULL = 1.1
SLICES = 128
# Colour, how much of a pixel it is, and alpha, which is not looked at where it is 1 everywhere.
CHANNELS = 5
WEIGHT, ALPHA = 3, 4
# Colour and weight are added up side by side, so that the processor takes them at once; alpha by itself.
_SIDE_BY_SIDE = 4
_TILE_ROWS, _MOST_ROWS, _TILE_ASPECT = 32, 256, 4
# Pixels, in whole tiles, that are made between reports of progress.
_TOGETHER = 1 << 19
# Pixels of a row that are passed over together where none of them reaches far enough.
_STRETCH = 64
# What is no number has no footprint and stays where it is; what went into a block, or was never there, has none either.
STAYS, GONE = -1, -2


@dataclass(frozen=True)
class Surfels:
    """What is seen at each pixel, and what lies hidden behind it: (layers, H, W, ...).

    `light`: colour, weight and alpha; `slice`: by depth, 0..SLICES - 1 from near to far; `footprint`: which one it
    spreads by, or `STAYS`, or `GONE`: then its light is whatever was there.
    """

    light: NDArray[np.float32]
    slice: NDArray[np.int16]
    footprint: NDArray[np.int32]


@dataclass(frozen=True)
class Box:
    """Rows and columns of surfels."""

    top: int
    left: int
    height: int
    width: int


def spread_footprints(
    surfels: Surfels,
    footprints: Footprints,
    picture: Box,
    has_alpha: bool,
    report_progress: ProgressCallback = no_progress,
) -> NDArray[np.float32]:
    """Colour and alpha, (4, H, W), of a picture among surfels after each is spread by its footprint; alpha may be none.

    `report_progress`: how far it is, 0 to 1; it may raise to stop the work.
    """
    reach = int(footprints.reach.max())
    out = np.empty((4, picture.height, picture.width), np.float32)
    tile = max(_TILE_ROWS, min(_MOST_ROWS, reach))
    prints = footprints.reach, footprints.area, footprints.first, footprints.place, footprints.change
    where = surfels.slice, surfels.footprint, _stretches(surfels.footprint, footprints.reach)
    tiles = -(-picture.height // tile) * -(-picture.width // (_TILE_ASPECT * tile))
    threads = thread_count()
    together = max(1, _TOGETHER // (_TILE_ASPECT * tile * tile * threads)) * threads
    corner = picture.top, picture.left
    for first in range(0, tiles, together):
        report_progress(first / tiles)
        jobs = first, min(first + together, tiles)
        _spread(surfels.light, where, prints, corner, reach, tile, jobs, has_alpha, out)
    return out


def _stretches(footprint: NDArray[np.int32], reaches: NDArray[np.int32]) -> NDArray[np.int32]:
    """Of each stretch of a row how many surfels are spread, and how far they reach at most: (layers, H, n, 2)."""
    layers, height, width = footprint.shape
    out = np.empty((layers, height, -(-width // _STRETCH), 2), np.int32)
    _look_over(footprint, reaches, out)
    return out


@kernel
def _look_over(prints, reaches, out):  # type: ignore[no-untyped-def]
    layers, height, stretches = out.shape[:3]
    for job in prange(layers * height):
        layer, y = job // height, job % height
        for stretch in range(stretches):
            count, far = np.int32(0), np.int32(0)
            for x in range(stretch * _STRETCH, min(prints.shape[2], (stretch + 1) * _STRETCH)):
                if prints[layer, y, x] >= 0:
                    count, far = count + np.int32(1), max(far, reaches[prints[layer, y, x]])
            out[layer, y, stretch, 0], out[layer, y, stretch, 1] = count, far


@kernel
def _spread(light, where, footprints, corner, reach, tile, jobs, has_alpha, out):  # type: ignore[no-untyped-def]
    """`where`: the slices and footprints of the surfels, and what is known of their stretches."""
    height, width = out.shape[1:]
    wide = _TILE_ASPECT * tile
    across = (width + wide - 1) // wide
    for each in prange(jobs[1] - jobs[0]):
        job = jobs[0] + np.int64(each)
        upper, first = job // across * tile, job % across * wide
        lower, last = min(height, upper + tile), min(width, first + wide)
        box = corner[0] + upper, corner[0] + lower, corner[1] + first, corner[1] + last
        _spread_box(light, where, footprints, box, reach, has_alpha, out[:, upper:lower, first:last])


@serial_kernel
def _spread_box(light, where, footprints, box, reach, has_alpha, out):  # type: ignore[no-untyped-def]
    """A box, one row after the other, which stays in the cache: all that reaches it is added up, then combined."""
    top, bottom, left, right = box
    slices, prints, _ = where
    order, rows, found, parts, still = _gather(light, where, footprints, box, reach)
    if still:
        for k in range(4):
            out[k] = light[0, top:bottom, left:right, k if k < WEIGHT else ALPHA]
        return
    # One place more, for what ends right of the box.
    sums = np.empty((order.size, right - left + 1, _SIDE_BY_SIDE))
    covers = np.empty((order.size, right - left + 1 if has_alpha else 0))
    for row in range(bottom - top):
        y = top + row
        sums[:], covers[:] = 0.0, 0.0
        _add_row(y, rows, found, parts, footprints, sums, covers)
        _run_along_row(sums, covers, right - left)
        _put_together(
            light[0, y, left:right],
            slices[0, y, left:right],
            prints[0, y, left:right],
            footprints[0],
            sums,
            covers,
            order,
            out[:, row],
        )


@serial_kernel
def _is_near(x, y, reach, box):  # type: ignore[no-untyped-def]
    """Whether a pixel at a place reaches into a box."""
    top, bottom, left, right = box
    return y + reach >= top and y - reach < bottom and x + reach >= left and x - reach < right


@serial_kernel
def _gather(light, where, footprints, box, reach):  # type: ignore[no-untyped-def]
    """The surfels that reach into a box, row by row, and whether nothing at all is spread there.

    `order`: the slices that there are, from front to back. `rows`: of each row of each layer its y, where its surfels
    begin and end, and how far they reach. `found`: of each surfel how far it reaches, where the middle row of its
    footprint begins, its column from the box's first, and its place in the order. `parts`: what it gives to a whole
    part of its area.
    """
    slices, prints, stretches = where
    reaches, areas, first = footprints[:3]
    layers, height, width = slices.shape
    top, bottom, left, right = box
    down, across = (max(0, top - reach), min(height, bottom + reach)), (max(0, left - reach), min(width, right + reach))
    most = _most_within(stretches, box, down, across)
    radius, middle = np.empty(most, np.int32), np.empty(most, np.int32)
    column, slot = np.empty(most, np.int32), np.empty(most, np.int32)
    parts, rows = np.empty((most, CHANNELS)), np.empty((layers * (down[1] - down[0]), 4), np.int64)
    place_of = np.full(SLICES, -1, np.int32)
    count, still = 0, True
    for line in range(rows.shape[0]):
        layer, y = line // (down[1] - down[0]), down[0] + line % (down[1] - down[0])
        begin, widest = count, -1
        for stretch in range(across[0] // _STRETCH, (across[1] - 1) // _STRETCH + 1):
            if stretches[layer, y, stretch, 0] == 0 or not _is_near(left, y, stretches[layer, y, stretch, 1], box):
                continue
            for x in range(max(across[0], stretch * _STRETCH), min(across[1], (stretch + 1) * _STRETCH)):
                k, own = prints[layer, y, x], slices[layer, y, x]
                if k < 0 or not _is_near(x, y, reaches[k], box):
                    continue
                radius[count], middle[count] = reaches[k], k * first.shape[1] + reaches[k]
                column[count], slot[count], place_of[own] = x - left, own, 0
                for channel in range(CHANNELS):
                    parts[count, channel] = np.floor(light[layer, y, x, channel] * (UNIT / areas[k]) + 0.5)
                still = still and reaches[k] == 0 and layer == 0
                count, widest = count + 1, max(widest, reaches[k])
        rows[line, 0], rows[line, 1], rows[line, 2], rows[line, 3] = y, begin, count, widest
    order = np.flatnonzero(place_of == 0)
    place_of[order] = np.arange(order.size)
    for j in range(count):
        slot[j] = place_of[slot[j]]
    return order, rows, (radius, middle, column, slot), parts, still


@serial_kernel
def _most_within(stretches, box, down, across):  # type: ignore[no-untyped-def]
    """How many surfels reach into a box, at most."""
    most = 0
    for layer in range(stretches.shape[0]):
        for y in range(down[0], down[1]):
            for stretch in range(across[0] // _STRETCH, (across[1] - 1) // _STRETCH + 1):
                if _is_near(box[2], y, stretches[layer, y, stretch, 1], box):
                    most += stretches[layer, y, stretch, 0]
    return most


@serial_kernel
def _add_row(y, rows, found, parts, footprints, sums, covers):  # type: ignore[no-untyped-def]
    """Add the changes of all surfels to one row of sums."""
    radius, middle, column, slot = found
    begins, place, change = footprints[2].reshape(-1), footprints[3], footprints[4]
    flat, flat_covers = sums.reshape(-1), covers.reshape(-1)
    last = sums.shape[1] - 1
    for row in range(rows.shape[0]):
        down = y - rows[row, 0]
        if abs(down) > rows[row, 3]:
            continue
        # An index that cannot be below 0 needs no check.
        for j in range(np.uint64(rows[row, 1]), np.uint64(rows[row, 2])):
            if abs(down) > radius[j]:
                continue
            line = np.uint64(middle[j] + down)
            low, high = np.uint64(begins[line]), np.uint64(begins[line + np.uint64(1)])
            start = slot[j] * (last + 1)
            is_inside = column[j] >= radius[j] and column[j] + radius[j] < last
            red, green, blue, weight = parts[j, 0], parts[j, 1], parts[j, 2], parts[j, WEIGHT]
            for i in range(low, high):
                at = column[j] + place[i] if is_inside else min(max(column[j] + place[i], 0), last)
                to, size = np.uint64((start + at) * _SIDE_BY_SIDE), change[i]
                flat[to] += size * red
                flat[to + np.uint64(1)] += size * green
                flat[to + np.uint64(2)] += size * blue
                flat[to + np.uint64(3)] += size * weight
            if covers.size > 0:
                for i in range(low, high):
                    at = min(max(column[j] + place[i], 0), last)
                    flat_covers[np.uint64(start + at)] += change[i] * parts[j, ALPHA]


@serial_kernel
def _run_along_row(sums, covers, columns):  # type: ignore[no-untyped-def]
    """From changes to values."""
    for slot in range(sums.shape[0]):
        red, green, blue, weight = 0.0, 0.0, 0.0, 0.0
        for x in range(columns):
            red += sums[slot, x, 0]
            green += sums[slot, x, 1]
            blue += sums[slot, x, 2]
            weight += sums[slot, x, WEIGHT]
            sums[slot, x, 0], sums[slot, x, 1], sums[slot, x, 2], sums[slot, x, WEIGHT] = red, green, blue, weight
    if covers.size > 0:
        for slot in range(sums.shape[0]):
            for x in range(1, columns):
                covers[slot, x] += covers[slot, x - 1]


@serial_kernel
def _put_together(light, slices, prints, reaches, sums, covers, order, out):  # type: ignore[no-untyped-def]
    """A row from its slices; `order`: which slice each is, from front to back.

    Where the light of a pixel that is not spread is alone and whole, it stays to the bit.
    """
    for x in range(out.shape[1]):
        k = prints[x]
        own = slices[x] if k >= 0 and reaches[k] == 0 else -1
        stays = k == STAYS
        red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
        one_red, one_green, one_blue, one_alpha = 0.0, 0.0, 0.0, 0.0
        open_share, taken, before = 1.0, 0.0, -2
        for i in range(order.size):
            weight = sums[i, x, WEIGHT]
            if weight < _NONE * UNIT:
                continue
            if order[i] != before + 1:
                if before == -2 and order[i] == own and weight == UNIT:
                    stays = True
                    break
                factor = open_share / max(taken, 1.0)
                red += factor * one_red
                green += factor * one_green
                blue += factor * one_blue
                alpha += factor * one_alpha
                open_share *= 1.0 - min(1.0, taken)
                one_red, one_green, one_blue, one_alpha, taken = 0.0, 0.0, 0.0, 0.0, 0.0
                if open_share < _NONE:
                    break
            before = order[i]
            share, factor = weight * (1.0 / UNIT), 1.0 / UNIT
            if share > _FULL - taken:
                share = _FULL - taken
                if share <= 0:
                    continue
                factor = share / weight
            taken += share
            one_red += factor * sums[i, x, 0]
            one_green += factor * sums[i, x, 1]
            one_blue += factor * sums[i, x, 2]
            if covers.size > 0:
                one_alpha += factor * covers[i, x]
        if stays:
            out[0, x], out[1, x] = light[x, 0], light[x, 1]
            out[2, x], out[3, x] = light[x, 2], light[x, ALPHA]
            continue
        factor = open_share / max(taken, 1.0)
        known = 1.0 - open_share * (1.0 - min(1.0, taken))
        whole = 1.0 / known if known > _NONE else 0.0
        out[0, x], out[1, x] = (red + factor * one_red) * whole, (green + factor * one_green) * whole
        out[2, x], out[3, x] = (blue + factor * one_blue) * whole, (alpha + factor * one_alpha) * whole
