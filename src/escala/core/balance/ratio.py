"""Light and component levels together where the render has the two axes only one at a time."""

from collections.abc import Sequence

import numpy as np

from ..planes import Planes
from .mixing import mix_planes

# Below this a sum holds no light to speak of, and its ratio is 1.
DARK = np.float32(1e-6)


def gain_ratio(terms: Sequence[Planes], levelled: Sequence[Planes]) -> Planes:
    """`sum(levelled) / sum(terms)` per pixel and channel, 1 where the denominator is below 1e-6. (3, H, W)."""
    ones = np.ones((len(terms), 3), np.float32)
    plain, numerator = mix_planes(terms, ones), mix_planes(levelled, ones)
    lit = plain >= DARK
    ratio = np.ones_like(plain)
    np.divide(numerator, plain, out=ratio, where=lit)
    return ratio
