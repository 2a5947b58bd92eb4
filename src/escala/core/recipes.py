"""Recipes: how passes make the beauty, as a sum of terms; a term is a product of sums of passes."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from .mixing import mix_planes
from .planes import Planes

PlanesOf = Callable[[str], Planes]


@dataclass(frozen=True)
class Factor:
    """The sum of `passes` less the sum of `minus`; with `inverted`, one minus that."""

    passes: tuple[str, ...]
    minus: tuple[str, ...] = ()
    inverted: bool = False

    @property
    def names(self) -> tuple[str, ...]:
        """All passes that it reads."""
        return self.passes + self.minus

    def __str__(self) -> str:
        text = " + ".join(self.passes) + "".join(f" − {name}" for name in self.minus)
        return f"(1 − {text})" if self.inverted else f"({text})" if len(self.names) > 1 else text


@dataclass(frozen=True)
class Term:
    """One line of the sum: the product of its factors, and which light and component it belongs to."""

    name: str
    factors: tuple[Factor, ...]
    light: str | None = None
    component: str | None = None

    @property
    def passes(self) -> tuple[str, ...]:
        """All passes that it reads, in order."""
        return tuple(name for factor in self.factors for name in factor.names)

    @property
    def is_linear(self) -> bool:
        """Whether it is a plain sum of passes, so that filtering it is filtering the passes."""
        return len(self.factors) == 1 and not self.factors[0].inverted

    def __str__(self) -> str:
        return " × ".join(str(factor) for factor in self.factors)


@dataclass(frozen=True)
class Recipe:
    """Terms that are added, in order. `name` says along which axes it can be balanced."""

    name: str
    terms: tuple[Term, ...]

    @property
    def lights(self) -> tuple[str, ...]:
        """The lights of its terms, in order, each once."""
        return tuple(dict.fromkeys(term.light for term in self.terms if term.light))

    @property
    def components(self) -> tuple[str, ...]:
        """The components of its terms, in order, each once."""
        return tuple(dict.fromkeys(term.component for term in self.terms if term.component))

    @property
    def passes(self) -> tuple[str, ...]:
        """All passes that it reads, each once."""
        return tuple(dict.fromkeys(name for term in self.terms for name in term.passes))


LIGHTS, COMPONENTS, GRID = "lights", "components", "lights_components"

RECIPE_SENTENCES = {
    LIGHTS: "The beauty is the sum of {lights} lights",
    COMPONENTS: "The beauty is the sum of {components} components",
    GRID: "The beauty is the sum of {lights} lights through {components} components",
}


def one_pass(name: str) -> tuple[Factor, ...]:
    """The factors of a term that is one pass."""
    return (Factor((name,)),)


def factor_planes(factor: Factor, planes_of: PlanesOf) -> Planes:
    """A factor's picture: (3, H, W). One-channel passes count for all three."""
    terms = [_three(planes_of(name)) for name in factor.names]
    gains = np.ones((len(terms), 3), np.float32)
    gains[len(factor.passes) :] = -1.0
    planes = terms[0] if len(terms) == 1 else mix_planes(terms, gains)
    return np.float32(1.0) - planes if factor.inverted else planes


def term_planes(term: Term, planes_of: PlanesOf) -> Planes:
    """A term's picture, (3, H, W): the product of its factors."""
    planes = factor_planes(term.factors[0], planes_of)
    for factor in term.factors[1:]:
        planes = planes * factor_planes(factor, planes_of)
    return planes


def term_roundoff(term: Term, roundoff_of: Callable[[str], float]) -> float:
    """The relative rounding that a term may carry: each factor adds the worst of its passes."""
    return sum(max(roundoff_of(name) for name in factor.names) for factor in term.factors)


def sum_terms(terms: Sequence[Planes]) -> Planes:
    """The plain sum, (3, H, W)."""
    return mix_planes(terms, np.ones((len(terms), 3), np.float32))


def _three(planes: Planes) -> Planes:
    return planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
