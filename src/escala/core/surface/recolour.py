"""Surfaces changed before light multiplies them: colour passes recoloured, and lit passes that follow by division."""

from collections.abc import Sequence

import numpy as np

from ..corrections.program import Laid, run_steps
from ..corrections.steps import hue_step
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
    return run_steps(planes, [Laid(hue_step(hue, saturation, value))])


def repaint(colour: Planes, before: Sequence[float], after: Sequence[float], amount: float = 1.0) -> Planes:
    """A colour pass (3, H, W) in which a colour becomes another, its texture kept: `A + amount (A after / before - A)`.

    Per channel; `before` counts as 1e-4 at least.
    """
    planes = as_colour(colour)
    ratio = np.array(after, np.float64) / np.maximum(np.array(before, np.float64), float(DARK))
    return planes * (1.0 + amount * (ratio - 1.0)).astype(np.float32)[:, None, None]


def surface_change(colour: Planes, changed: Planes) -> Planes:
    """What a lit pass gains for each of its own units when its colour changes: `changed / colour - 1`.

    `lit * (1 + change)` is the light that fell, `lit / colour`, times the changed colour; 0 where the colour is below
    1e-4. (3, H, W).
    """
    colour = as_colour(colour)
    out = np.zeros_like(colour)
    np.divide(as_colour(changed, colour) - colour, colour, out=out, where=colour >= DARK)
    return out
