"""Pixels spread over their neighbours, kept apart by depth, and put together again from front to back.

Each pixel gives its light, its alpha and its weight to the pixels that it spreads over, in the slice of depth in which
it lies. Slices that follow one another without a gap are one surface, in which the nearer takes its share first. Behind
a gap begins another surface, over which the nearer lies as far as it covers. What stays uncovered is unknown: the
known is made up for it.

All that is added are whole numbers in float64, so that sums are exact: tiles and threads change no bit.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, serial_kernel
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
# Pixels, in whole tiles, that are made before somebody is told again.
_TOGETHER = 1 << 18
# What is no number has no footprint and stays where it is; what went into a block, or was never there, has none either.
STAYS, GONE = -1, -2


Told = Callable[[float], None]


def untold(share: float) -> None:
    """Nobody is told."""


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
    surfels: Surfels, footprints: Footprints, picture: Box, has_alpha: bool, told: Told = untold
) -> NDArray[np.float32]:
    """Colour and alpha, (4, H, W), of a picture among surfels after each is spread by its footprint; alpha may be none.

    `told`: how far it is, 0 to 1; it may raise to stop the work.
    """
    reach = int(footprints.reach.max())
    out = np.empty((4, picture.height, picture.width), np.float32)
    tile = max(_TILE_ROWS, min(_MOST_ROWS, reach))
    prints = (
        footprints.reach,
        footprints.area,
        footprints.first,
        footprints.row,
        footprints.place,
        footprints.row * (_TILE_ASPECT * tile + 1) + footprints.place,
        footprints.change,
    )
    tiles = -(-picture.height // tile) * -(-picture.width // (_TILE_ASPECT * tile))
    threads = numba.get_num_threads()
    together = max(1, _TOGETHER // (_TILE_ASPECT * tile * tile * threads)) * threads
    corner = picture.top, picture.left
    for first in range(0, tiles, together):
        told(first / tiles)
        jobs = first, min(first + together, tiles)
        _spread(surfels.light, surfels.slice, surfels.footprint, prints, corner, reach, tile, jobs, has_alpha, out)
    return out


@kernel
def _spread(light, slices, prints, footprints, corner, reach, tile, jobs, has_alpha, out):  # type: ignore[no-untyped-def]
    height, width = out.shape[1:]
    wide = _TILE_ASPECT * tile
    across = (width + wide - 1) // wide
    for each in numba.prange(jobs[1] - jobs[0]):
        job = jobs[0] + np.int64(each)
        upper, first = job // across * tile, job % across * wide
        lower, last = min(height, upper + tile), min(width, first + wide)
        box = corner[0] + upper, corner[0] + lower, corner[1] + first, corner[1] + last
        part = out[:, upper:lower, first:last]
        slot_of = np.full(SLICES, -1, np.int16)
        slots, still = _present(slices, prints, footprints[0], box, reach, slot_of)
        if still:
            for k in range(4):
                part[k] = light[0, box[0] : box[1], box[2] : box[3], k if k < WEIGHT else ALPHA]
            continue
        # Each row has one place more, for what ends right of the box.
        sums = np.zeros((slots, lower - upper, wide + 1, _SIDE_BY_SIDE))
        covers = np.zeros((slots, lower - upper, wide + 1 if has_alpha else 0))
        _scatter(light, slices, prints, footprints, box, reach, slot_of, sums, covers)
        _compose(light, slices, prints, footprints[0], box, slot_of, sums, covers, part)


@serial_kernel
def _present(slices, prints, reaches, box, reach, slot_of):  # type: ignore[no-untyped-def]
    """Give a slot to each slice that reaches into a box; how many, and whether nothing at all is spread there."""
    layers, height, width = slices.shape
    top, bottom, left, right = box
    still = True
    for layer in range(layers):
        for y in range(max(0, top - reach), min(height, bottom + reach)):
            for x in range(max(0, left - reach), min(width, right + reach)):
                k = prints[layer, y, x]
                if k < 0:
                    continue
                r = reaches[k]
                if y + r < top or y - r >= bottom or x + r < left or x - r >= right:
                    continue
                slot_of[slices[layer, y, x]] = 0
                still = still and r == 0 and layer == 0
    slots = 0
    for each in range(SLICES):
        if slot_of[each] == 0:
            slot_of[each] = slots
            slots += 1
    return slots, still


@serial_kernel
def _scatter(light, slices, prints, footprints, box, reach, slot_of, sums, covers):  # type: ignore[no-untyped-def]
    """Add every surfel's changes along rows; what begins left of the box begins at its first column."""
    reaches, areas, first, rows, place, offset, change = footprints
    layers, height, width = slices.shape
    top, bottom, left, right = box
    flat, flat_covers = sums.reshape(-1), covers.reshape(-1)
    stride = sums.shape[2]
    for layer in range(layers):
        for y in range(max(0, top - reach), min(height, bottom + reach)):
            for x in range(max(0, left - reach), min(width, right + reach)):
                k = prints[layer, y, x]
                if k < 0:
                    continue
                r = reaches[k]
                if y + r < top or y - r >= bottom or x + r < left or x - r >= right:
                    continue
                unit = UNIT / areas[k]
                low, high = first[k, max(top - y, -r) + r], first[k, min(bottom - 1 - y, r) + r + 1]
                start = (slot_of[slices[layer, y, x]] * sums.shape[1] + y - top) * stride
                red = np.floor(light[layer, y, x, 0] * unit + 0.5)
                green = np.floor(light[layer, y, x, 1] * unit + 0.5)
                blue = np.floor(light[layer, y, x, 2] * unit + 0.5)
                weight = np.floor(light[layer, y, x, WEIGHT] * unit + 0.5)
                is_inside = x - r >= left and x + r + 1 <= right
                for i in range(low, high):
                    if is_inside:
                        at = start + x - left + offset[i]
                    else:
                        at = start + rows[i] * stride + min(max(x + place[i] - left, 0), right - left)
                    # An index that cannot be below 0 is not asked whether it is.
                    to, size = np.uint64(at * _SIDE_BY_SIDE), change[i]
                    flat[to] += size * red
                    flat[to + np.uint64(1)] += size * green
                    flat[to + np.uint64(2)] += size * blue
                    flat[to + np.uint64(3)] += size * weight
                if covers.size > 0:
                    alpha = np.floor(light[layer, y, x, ALPHA] * unit + 0.5)
                    for i in range(low, high):
                        column = min(max(x + place[i] - left, 0), right - left)
                        flat_covers[np.uint64(start + rows[i] * stride + column)] += change[i] * alpha


@serial_kernel
def _compose(light, slices, prints, reaches, box, slot_of, sums, covers, out):  # type: ignore[no-untyped-def]
    """Each pixel of a box from what its slices hold; one that nothing else reaches stays as it is."""
    top, bottom, left, right = box
    order = np.empty(sums.shape[0], np.int64)
    for each in range(SLICES):
        if slot_of[each] >= 0:
            order[slot_of[each]] = each
    for row in range(bottom - top):
        across, down = slice(left, right), top + row
        _run_along_row(sums[:, row], covers[:, row], right - left)
        _put_together(
            light[0, down, across],
            slices[0, down, across],
            prints[0, down, across],
            reaches,
            sums[:, row],
            covers[:, row],
            order,
            out[:, row],
        )


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
