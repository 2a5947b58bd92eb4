"""Surfaces changed before light multiplies them: colour passes recoloured, and lit passes that follow by division."""

from collections.abc import Sequence

import numba
import numpy as np

from ..kernels import kernel
from ..planes import Planes, as_colour

# Below this a colour is too dark to divide by: the lit value passes unchanged.
DARK = np.float32(1e-4)


def recolour(colour: Planes, hue: float = 0.0, saturation: float = 1.0, value: float = 1.0) -> Planes:
    """A colour pass (3, H, W) turned by `hue` degrees, its saturation and value multiplied.

    By the hexagon of HSV; the value may lie above 1, and saturation ends at 1. Colours with a negative channel have no
    place in it and stay as they are.
    """
    planes = as_colour(colour)
    if hue % 360 == 0 and saturation == 1.0 and value == 1.0:
        return planes
    out = np.empty_like(planes)
    _recolour(planes, np.float32(hue / 60.0), np.float32(saturation), np.float32(value), out)
    return out


def repaint(colour: Planes, before: Sequence[float], after: Sequence[float], amount: float = 1.0) -> Planes:
    """A colour pass (3, H, W) in which a colour becomes another, its texture kept: `A + amount (A after / before - A)`.

    Per channel; `before` counts as 1e-4 at least.
    """
    planes = as_colour(colour)
    ratio = np.array(after, np.float64) / np.maximum(np.array(before, np.float64), float(DARK))
    return planes * (1.0 + amount * (ratio - 1.0)).astype(np.float32)[:, None, None]


def divided_light(lit: Planes, colour: Planes) -> Planes:
    """The light that fell on a surface: `lit / colour`; where the colour is below 1e-4, the lit value. (3, H, W)."""
    out = as_colour(lit).copy()
    np.divide(out, as_colour(colour, out), out=out, where=colour >= DARK)
    return out


def surface_change(colour: Planes, changed: Planes) -> Planes:
    """What a lit pass gains for each of its own units when its colour changes: `changed / colour - 1`.

    `lit * (1 + change)` is the divided light times the changed colour; 0 where the colour is below 1e-4. (3, H, W).
    """
    colour = as_colour(colour)
    out = np.zeros_like(colour)
    np.divide(as_colour(changed, colour) - colour, colour, out=out, where=colour >= DARK)
    return out


@kernel
def _recolour(colour, turn, saturation, value, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(colour.shape[1]):
        for x in range(colour.shape[2]):
            red, green, blue = colour[0, y, x], colour[1, y, x], colour[2, y, x]
            top, least = max(red, green, blue), min(red, green, blue)
            if not (least >= 0 and top > 0 and np.isfinite(top)):
                out[0, y, x], out[1, y, x], out[2, y, x] = red, green, blue
                continue
            span, place = top - least, np.float32(0.0)
            if span > 0:
                if top == red:
                    place = (green - blue) / span
                elif top == green:
                    place = np.float32(2.0) + (blue - red) / span
                else:
                    place = np.float32(4.0) + (red - green) / span
            place += turn
            place -= np.float32(6.0) * np.floor(place / np.float32(6.0))
            depth = min(span / top * saturation, np.float32(1.0))
            for channel in range(3):
                away = (place + np.float32(6.0 - 2.0 * channel)) % np.float32(6.0)
                share = min(max(abs(away - np.float32(3.0)) - np.float32(1.0), np.float32(0.0)), np.float32(1.0))
                out[channel, y, x] = top * value * (np.float32(1.0) - depth + depth * share)
