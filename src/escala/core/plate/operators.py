"""Operators that lay one associated picture on another."""

from dataclasses import dataclass

import numpy as np

from ..errors import ShapeError, choose
from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour, as_planes

# Operators of two layers by their code in the loop. With a and b the alphas of the layer and of what is beneath:
# over: top + below·(1 − a); under: below + top·(1 − b); add: below + top; multiply: below·(1 − a + top);
# screen: below + top − below·top; hold_out: below·(1 − a).
OPERATORS = {"over": 0, "under": 1, "add": 2, "multiply": 3, "screen": 4, "hold_out": 5}


@dataclass(frozen=True)
class Layer:
    """An associated picture: scene-linear colour, (3, H, W), and alpha, (H, W)."""

    colour: Planes
    alpha: Matte

    def scaled(self, share: Matte | float) -> "Layer":
        """Colour and alpha times a share of each pixel, (H, W), or of all."""
        if isinstance(share, float):
            share = np.float32(share)  # type: ignore[assignment]
        return Layer(np.asarray(self.colour * share), np.asarray(self.alpha * share))


def empty_layer(height: int, width: int) -> Layer:
    """A layer in which nothing is."""
    return Layer(np.zeros((3, height, width), np.float32), np.zeros((height, width), np.float32))


def lay(below: Layer, top: Layer, operator: str) -> Layer:
    """A layer on what is beneath, by an operator of `OPERATORS`.

    Alpha: a + b·(1 − a) for over and under, b for add, multiply and screen, b·(1 − a) for hold_out. Values are not
    clamped. Raises `ShapeError` where sizes differ, `UnknownChoice` for another operator.
    """
    code = choose("operator", operator, OPERATORS)
    beneath, above = as_colour(below.colour), as_colour(top.colour, below.colour)
    alphas = as_planes(below.alpha), as_planes(top.alpha)
    if any(alpha.shape != beneath.shape[1:] for alpha in alphas):
        raise ShapeError(f"alphas of shape {alphas[0].shape} and {alphas[1].shape} do not fit colour {beneath.shape}")
    out, out_alpha = np.empty_like(beneath), np.empty_like(alphas[0])
    _lay(beneath, alphas[0], above, alphas[1], np.int64(code), out, out_alpha)
    return Layer(out, out_alpha)


@kernel
def _lay(below, below_alpha, top, top_alpha, code, out, out_alpha):  # type: ignore[no-untyped-def]
    height, width = below_alpha.shape
    one = np.float32(1.0)
    for y in prange(height):
        for channel in range(3):
            b, t, o = below[channel, y], top[channel, y], out[channel, y]
            if code == 0:
                for x in range(width):
                    o[x] = t[x] + b[x] * (one - top_alpha[y, x])
            elif code == 1:
                for x in range(width):
                    o[x] = b[x] + t[x] * (one - below_alpha[y, x])
            elif code == 2:
                for x in range(width):
                    o[x] = b[x] + t[x]
            elif code == 3:
                for x in range(width):
                    o[x] = b[x] * (one - top_alpha[y, x] + t[x])
            elif code == 4:
                for x in range(width):
                    o[x] = b[x] + t[x] - b[x] * t[x]
            else:
                for x in range(width):
                    o[x] = b[x] * (one - top_alpha[y, x])
        if code < 2:
            for x in range(width):
                a = top_alpha[y, x]
                out_alpha[y, x] = a + below_alpha[y, x] * (one - a)
        elif code == 5:
            for x in range(width):
                out_alpha[y, x] = below_alpha[y, x] * (one - top_alpha[y, x])
        else:
            out_alpha[y] = below_alpha[y]
