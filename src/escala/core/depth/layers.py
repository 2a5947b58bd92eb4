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
    spreads by, or `STAYS`, or `GONE`.
    """

    light: NDArray[np.float32]
    slice: NDArray[np.int16]
    footprint: NDArray[np.int32]


def spread_footprints(
    surfels: Surfels, footprints: Footprints, has_alpha: bool, told: Told = untold
) -> NDArray[np.float32]:
    """Colour and alpha, (4, H, W), after every surfel is spread by its footprint; no alpha where there is none.

    `told`: how far it is, 0 to 1; it may raise to stop the work.
    """
    reach = int(footprints.reach.max())
    out = np.empty((4, *surfels.slice.shape[1:]), np.float32)
    prints = (
        footprints.reach,
        footprints.area,
        footprints.first,
        footprints.row,
        footprints.place,
        footprints.change,
    )
    tile = max(_TILE_ROWS, min(_MOST_ROWS, reach))
    across, down = (-(-size // side) for size, side in zip(out.shape[:0:-1], (_TILE_ASPECT * tile, tile), strict=True))
    threads = numba.get_num_threads()
    together = max(1, _TOGETHER // (_TILE_ASPECT * tile * tile * threads)) * threads
    for first in range(0, across * down, together):
        told(first / (across * down))
        jobs = first, min(first + together, across * down)
        _spread(surfels.light, surfels.slice, surfels.footprint, prints, reach, tile, jobs, has_alpha, out)
    return out


@kernel
def _spread(light, slices, prints, footprints, reach, tile, jobs, has_alpha, out):  # type: ignore[no-untyped-def]
    height, width = slices.shape[1:]
    wide = _TILE_ASPECT * tile
    across = (width + wide - 1) // wide
    for each in numba.prange(jobs[1] - jobs[0]):
        job = jobs[0] + np.int64(each)
        top, left = job // across * tile, job % across * wide
        bottom, right = min(height, top + tile), min(width, left + wide)
        slot_of = np.full(SLICES, -1, np.int16)
        slots, still = _present(slices, prints, footprints[0], (top, bottom, left, right), reach, slot_of)
        if still:
            for k in range(4):
                out[k, top:bottom, left:right] = light[0, top:bottom, left:right, k if k < WEIGHT else ALPHA]
            continue
        sums = np.zeros((bottom - top, right - left + 1, slots, CHANNELS))
        _scatter(light, slices, prints, footprints, (top, bottom, left, right), reach, slot_of, has_alpha, sums)
        _run_along_rows(sums)
        _compose(light, slices, prints, footprints[0], (top, left), slot_of, sums, out)


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
def _scatter(light, slices, prints, footprints, box, reach, slot_of, has_alpha, sums):  # type: ignore[no-untyped-def]
    """Add every surfel's changes along rows; what begins left of the box begins at its first column."""
    reaches, areas, first, rows, place, change = footprints
    layers, height, width = slices.shape
    top, bottom, left, right = box
    flat = sums.reshape(-1)
    stride_x = sums.shape[2] * CHANNELS
    stride_y = stride_x * sums.shape[1]
    for layer in range(layers):
        for y in range(max(0, top - reach), min(height, bottom + reach)):
            for x in range(max(0, left - reach), min(width, right + reach)):
                k = prints[layer, y, x]
                if k < 0:
                    continue
                r = reaches[k]
                if y + r < top or y - r >= bottom or x + r < left or x - r >= right:
                    continue
                parts = _parts(light, layer, y, x, UNIT / areas[k])
                low, high = first[k, max(top - y, -r) + r], first[k, min(bottom - 1 - y, r) + r + 1]
                start = (y - top) * stride_y + slot_of[slices[layer, y, x]] * CHANNELS
                if x - r >= left and x + r + 1 <= right:
                    start += (x - left) * stride_x
                    for i in range(low, high):
                        _add(flat, start + rows[i] * stride_y + place[i] * stride_x, change[i], parts, has_alpha)
                    continue
                for i in range(low, high):
                    at = max(x + place[i] - left, 0)
                    if at <= right - left:
                        _add(flat, start + rows[i] * stride_y + at * stride_x, change[i], parts, has_alpha)


@serial_kernel
def _parts(light, layer, y, x, unit):  # type: ignore[no-untyped-def]
    """What a surfel gives to each part of its footprint, in whole numbers."""
    return (
        np.floor(light[layer, y, x, 0] * unit + 0.5),
        np.floor(light[layer, y, x, 1] * unit + 0.5),
        np.floor(light[layer, y, x, 2] * unit + 0.5),
        np.floor(light[layer, y, x, 3] * unit + 0.5),
        np.floor(light[layer, y, x, 4] * unit + 0.5),
    )


@serial_kernel
def _add(flat, place, size, parts, has_alpha):  # type: ignore[no-untyped-def]
    # An index that cannot be below 0 is not asked whether it is.
    to = np.uint64(place)
    flat[to] += size * parts[0]
    flat[to + np.uint64(1)] += size * parts[1]
    flat[to + np.uint64(2)] += size * parts[2]
    flat[to + np.uint64(3)] += size * parts[3]
    if has_alpha:
        flat[to + np.uint64(4)] += size * parts[4]


@serial_kernel
def _run_along_rows(sums):  # type: ignore[no-untyped-def]
    """From changes to values."""
    rows, columns, slots, channels = sums.shape
    flat = sums.reshape(-1)
    step = slots * channels
    for y in range(rows):
        for i in range((y * columns + 1) * step, (y + 1) * columns * step):
            flat[i] += flat[i - step]


@serial_kernel
def _compose(light, slices, prints, reaches, corner, slot_of, sums, out):  # type: ignore[no-untyped-def]
    """Each pixel of a box from what its slices hold; one that nothing else reaches stays as it is."""
    rows, columns, slots = sums.shape[0], sums.shape[1] - 1, sums.shape[2]
    flat = sums.reshape(-1)
    top, left = corner
    order = np.empty(slots, np.int64)
    for each in range(SLICES):
        if slot_of[each] >= 0:
            order[slot_of[each]] = each
    for row in range(rows):
        for column in range(columns):
            y, x = top + row, left + column
            k = prints[0, y, x]
            own = slices[0, y, x] if k >= 0 and reaches[k] == 0 else -1
            place = (row * (columns + 1) + column) * slots * CHANNELS
            alone, red, green, blue, alpha = put_together(flat, place, order, own)
            if k == STAYS or alone:
                red, green, blue, alpha = light[0, y, x, 0], light[0, y, x, 1], light[0, y, x, 2], light[0, y, x, ALPHA]
            out[0, y, x], out[1, y, x], out[2, y, x], out[3, y, x] = red, green, blue, alpha


@serial_kernel
def put_together(sums, place, order, own):  # type: ignore[no-untyped-def]
    """Kernel part: one pixel from its slices, which begin at `place`; `order`: which slice each is, from front to back.

    Whether the light of slice `own` is alone there and whole, then colour and alpha.
    """
    red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
    one_red, one_green, one_blue, one_alpha = 0.0, 0.0, 0.0, 0.0
    open_share, taken, before = 1.0, 0.0, -2
    for i in range(order.size + 1):
        at = place + i * CHANNELS
        weight = sums[at + WEIGHT] if i < order.size else UNIT
        if weight < _NONE * UNIT:
            continue
        if i == order.size or order[i] != before + 1:
            if before == -2 and i < order.size and order[i] == own and weight == UNIT:
                return True, red, green, blue, alpha
            factor = open_share / taken if taken > 1.0 else open_share
            red += factor * one_red
            green += factor * one_green
            blue += factor * one_blue
            alpha += factor * one_alpha
            open_share *= 1.0 - min(1.0, taken)
            if i == order.size or open_share < _NONE:
                break
            one_red, one_green, one_blue, one_alpha, taken = 0.0, 0.0, 0.0, 0.0, 0.0
        before = order[i]
        share, factor = weight * (1.0 / UNIT), 1.0 / UNIT
        if share > _FULL - taken:
            share = _FULL - taken
            if share <= 0:
                continue
            factor = share / weight
        taken += share
        one_red += factor * sums[at]
        one_green += factor * sums[at + 1]
        one_blue += factor * sums[at + 2]
        one_alpha += factor * sums[at + ALPHA]
    known = 1.0 - open_share
    if open_share == 0.0:
        return False, red, green, blue, alpha
    factor = 1.0 / known if known > _NONE else 0.0
    return False, red * factor, green * factor, blue * factor, alpha * factor
