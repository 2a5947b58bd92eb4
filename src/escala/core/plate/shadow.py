"""Shadows of a render on the plate."""

import numpy as np

from ..planes import Planes

# What a shadow pass holds.
HOLDS = ("light", "dark", "alpha")


def shadow_density(stored: Planes, holds: str) -> Planes:
    """The share of light that a shadow takes, 0..1, (3, H, W), from a pass (C, H, W).

    `holds` "light": white is lit, the share is 1 − value; "dark": white is shadow; "alpha": the last of two or four
    channels, else the first, is the share. A pass of one or two channels counts for all three colours.
    """
    if holds == "alpha":
        stored = stored[-1:] if stored.shape[0] in (2, 4) else stored[:1]
    colour = stored[:3] if stored.shape[0] >= 3 else np.repeat(stored[:1], 3, axis=0)
    density = 1.0 - colour if holds == "light" else colour
    return np.asarray(np.clip(np.nan_to_num(density), 0.0, 1.0), np.float32)


def shadow_factor(density: Planes, strength: float, colour: tuple[float, float, float]) -> Planes:
    """What a shadow leaves of the light beneath: 1 − strength·density·(1 − colour), (3, H, W)."""
    taken = np.array([1.0 - c for c in colour], np.float32)[:, None, None] * np.float32(strength)
    return np.asarray(np.float32(1.0) - density * taken, np.float32)
