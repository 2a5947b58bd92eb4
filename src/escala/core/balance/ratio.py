"""Light and component levels together where the render has the two axes only one at a time."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from ..planes import Planes, as_planes
from .mixing import mix_planes

# Below this a sum holds no light to speak of, and its ratio is 1.
DARK = np.float32(1e-6)


def gain_ratio(terms: Sequence[Planes], gains: ArrayLike, changed: Sequence[Planes] | None = None) -> Planes:
    """`sum(g_i T_i) / sum(T_i)` per pixel and channel, 1 where the denominator is below 1e-6. (3, H, W).

    `changed`: the terms of the numerator, where they are others.
    """
    factors = as_planes(gains).reshape(len(terms), 3)
    plain = mix_planes(terms, np.ones_like(factors))
    numerator = mix_planes(terms if changed is None else changed, factors)
    lit = plain >= DARK
    ratio = np.ones_like(plain)
    np.divide(numerator, plain, out=ratio, where=lit)
    return ratio
