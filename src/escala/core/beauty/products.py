"""Passes of which one is the product of two others: the light on a surface, its colour, and what is seen of both."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from ..planes import Planes
from .proof import UNIT_ROUNDOFF
from .recipe_search import SampledPass

# So many passes are tried in pairs at most, and so much of a picture must be lit for a product to tell anything.
_MOST_FACTORS = 10
_LEAST_LIT = 0.02


@dataclass(frozen=True)
class Product:
    """`light * colour = lit`, by the names of passes; the colour is the one that stays nearer to 0..1."""

    light: str
    colour: str
    lit: str


def find_products(factors: Sequence[SampledPass], wholes: Sequence[SampledPass]) -> list[Product]:
    """Which of `wholes` are the product of two of `factors` at every sampled pixel, within rounding."""
    found: list[Product] = []
    used: set[str] = set()
    for one, other in combinations(factors[:_MOST_FACTORS], 2):
        for whole in wholes:
            names = {one.name, other.name, whole.name}
            if len(names) < 3 or names & used or not _is_product(one, other, whole):
                continue
            light, colour = sorted((one, other), key=_brightest, reverse=True)
            found.append(Product(light.name, colour.name, whole.name))
            used |= names
    return found


def _is_product(one: SampledPass, other: SampledPass, whole: SampledPass) -> bool:
    a, b, seen = (p.values[:3].astype(np.float64) for p in (one, other, whole))
    made = a * b
    slack = sum(UNIT_ROUNDOFF[p.pixel_type] for p in (one, other, whole))
    with np.errstate(invalid="ignore"):
        finite = np.isfinite(made) & np.isfinite(seen)
        off = np.abs(made - seen) > slack * (np.abs(made) + np.abs(seen)) + 2.0**-24
        lit = finite & (np.abs(seen) > 1e-4)
    return bool(lit.mean() > _LEAST_LIT and not (off & finite).any())


def _brightest(p: SampledPass) -> float:
    values: Planes = p.values[:3]
    return float(np.nanmax(np.where(np.isfinite(values), values, -np.inf)))
