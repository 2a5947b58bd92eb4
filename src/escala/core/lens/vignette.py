"""Vignette: a picture that grows darker, or lighter, away from a place."""

import numpy as np

from ..planes import Matte, Planes
from .geometry import FramePart


def vignette_gain(
    planes: Planes,
    part: FramePart,
    stops: float,
    centre: tuple[float, float] | None,
    size: float,
    roundness: float,
    soft: float,
) -> Matte:
    """`2^(stops · s)`, (H, W), s a smoothstep of the distance from `size · (1 - soft)` to `size`.

    Distances in half diagonals: `roundness` 1 measures along circles, 0 along the ellipse of the frame, between them
    in proportion.
    """
    x, y = part.from_place(planes, part.middle if centre is None else centre)
    circle = np.hypot(x[None], y[:, None]) / np.float32(part.half_diagonal)
    ellipse = np.hypot(x[None] * np.float32(2.0 / part.width), y[:, None] * np.float32(2.0 / part.height))
    far = roundness * circle + (1.0 - roundness) * ellipse / np.sqrt(2.0)
    inner = size * (1.0 - soft)
    t = np.clip((far - inner) / (size - inner), 0.0, 1.0) if size > inner else (far >= size).astype(np.float64)
    return np.asarray(np.exp2(stops * t * t * (3.0 - 2.0 * t)), np.float32)
