"""Fireflies: single pixels far brighter than all their neighbours, as an unlucky sample leaves them."""

import numpy as np

from ..kernels import kernel, prange, serial_kernel
from ..planes import Planes

# How many times the brightest of its eight neighbours a pixel must be, and how bright at least.
TIMES, FLOOR = 8.0, 1.0


def count_fireflies(planes: Planes) -> tuple[int, tuple[int, int] | None]:
    """How many pixels of (C, H, W) are fireflies in some channel, and the place (x, y) of the brightest."""
    rows = np.zeros((planes.shape[1], 3))
    _find_rows(planes, np.float32(TIMES), np.float32(FLOOR), rows)
    count = int(rows[:, 0].sum())
    if not count:
        return 0, None
    y = int(np.argmax(rows[:, 1]))
    return count, (int(rows[y, 2]), y)


def suppress_fireflies(planes: Planes) -> tuple[Planes, int]:
    """The picture with each firefly brought down to its brightest neighbour, and how many pixels that changed."""
    out = planes.copy()
    counts = np.zeros(planes.shape[1], np.int64)
    _suppress_rows(planes, np.float32(TIMES), np.float32(FLOOR), out, counts)
    return out, int(counts.sum())


@kernel
def _find_rows(planes, times, floor, rows):  # type: ignore[no-untyped-def]
    for y in prange(planes.shape[1]):
        for x in range(planes.shape[2]):
            brightest = np.float32(0.0)
            for c in range(planes.shape[0]):
                value = planes[c, y, x]
                if value > floor and value > times * _brightest_neighbour(planes[c], y, x):
                    brightest = max(brightest, value)
            if brightest > 0:
                rows[y, 0] += 1
                if brightest > rows[y, 1]:
                    rows[y, 1], rows[y, 2] = brightest, x


@kernel
def _suppress_rows(planes, times, floor, out, counts):  # type: ignore[no-untyped-def]
    for y in prange(planes.shape[1]):
        for x in range(planes.shape[2]):
            changed = False
            for c in range(planes.shape[0]):
                value = planes[c, y, x]
                if value > floor:
                    around = _brightest_neighbour(planes[c], y, x)
                    if value > times * around:
                        out[c, y, x] = around
                        changed = True
            counts[y] += changed


@serial_kernel
def _brightest_neighbour(plane, y, x):  # type: ignore[no-untyped-def]
    """The largest finite value of the eight around a pixel, 0 at least."""
    best = np.float32(0.0)
    for j in range(max(0, y - 1), min(plane.shape[0], y + 2)):
        for i in range(max(0, x - 1), min(plane.shape[1], x + 2)):
            value = plane[j, i]
            if (i != x or j != y) and value > best and np.isfinite(value):
                best = value
    return best
