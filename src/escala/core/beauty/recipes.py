"""Recipes: how passes make the beauty, as a sum of terms; a term is a product of sums of passes."""

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..balance.mixing import mix_planes
from ..errors import ShapeError
from ..planes import Matte, Planes
from .folding import SUMMED, Folded, fold_terms
from .proof import add_magnitude

PlanesOf = Callable[[str], Planes]
NO_FACTOR = (1.0, 1.0, 1.0)


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
    """One line of the tally: the product of its factors, put on what came before by `operator`.

    `light` and `component` tell which levels move it.
    """

    name: str
    factors: tuple[Factor, ...]
    light: str | None = None
    component: str | None = None
    operator: str = "add"

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
    """Terms combined in order, all times `factor`. `name` says along which axes it can be balanced."""

    name: str
    terms: tuple[Term, ...]
    factor: tuple[float, float, float] = NO_FACTOR

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        """Kept: recipes are keys of everything that is made by them."""
        return hash((self.name, self.terms, self.factor))

    @property
    def is_sum(self) -> bool:
        """Whether all terms are added or subtracted."""
        return all(term.operator in SUMMED for term in self.terms)

    @property
    def weights(self) -> NDArray[np.float32]:
        """What each term of a sum counts for before any level: its sign times the factor, (n, 3)."""
        return self.weights_of(range(len(self.terms)))

    def weights_of(self, places: Iterable[int]) -> NDArray[np.float32]:
        """As `weights`, of some terms by their places, all of them added or subtracted."""
        signs = np.array([SUMMED[self.terms[place].operator] for place in places], np.float32)
        return np.asarray(signs[:, None] * np.array(self.factor, np.float32), np.float32)

    @property
    def plain_gains(self) -> NDArray[np.float32]:
        """The gains of the untouched sum: one for each term, (n, 3)."""
        return np.ones((len(self.terms), 3), np.float32)

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


def recipe_sentence(recipe: Recipe) -> str:
    """A recipe in words: what is really summed."""
    summed = [term for term in recipe.terms if term.operator in SUMMED]
    if recipe.name == GRID:
        cells = [term for term in summed if term.light and term.component]
        lights, components = {t.light for t in cells}, {t.component for t in cells}
        parts = [f"{_count(lights, 'light')} through {_count(components, 'component')}"]
        parts += _counted([t for t in summed if t not in cells])
    else:
        parts = _counted(summed)
    return f"The beauty is the sum of {' and '.join(parts)}" if parts else "The beauty is composed of its terms"


def _counted(terms: Sequence[Term]) -> list[str]:
    lights = {term.light for term in terms if term.light}
    components = {term.component for term in terms if term.component and not term.light}
    passes = [term for term in terms if not term.light and not term.component]
    counts = ((lights, "light"), (components, "component"), (passes, "further pass"))
    return [_count(found, what) for found, what in counts if found]


def _count(found: Collection[object], what: str) -> str:
    many = "es" if what.endswith("s") else "s"
    return f"{len(found)} {what}" if len(found) == 1 else f"{len(found)} {what}{many}"


def one_pass(name: str) -> tuple[Factor, ...]:
    """The factors of a term that is one pass."""
    return (Factor((name,)),)


def factor_planes(factor: Factor, planes_of: PlanesOf) -> Planes:
    """A factor's picture: (3, H, W). One-channel passes count for all three."""
    terms = [three_channels(planes_of(name)) for name in factor.names]
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


def term_magnitude(term: Term, planes_of: PlanesOf, roundoff_of: Callable[[str], float]) -> Planes:
    """How far rounding of its stored passes may carry a term, (3, H, W).

    To first order: of each factor the roundings of its passes, times the sizes of the other factors.
    """
    sizes = [np.abs(factor_planes(factor, planes_of)) for factor in term.factors] if len(term.factors) > 1 else []
    total: Planes | None = None
    for index, factor in enumerate(term.factors):
        error = np.zeros_like(three_channels(planes_of(factor.names[0])))
        for name in factor.names:
            add_magnitude(error, three_channels(planes_of(name)), roundoff_of(name))
        for other, size in enumerate(sizes):
            if other != index:
                error *= size
        total = error if total is None else total + error
    assert total is not None
    return total


def fold_recipe(
    recipe: Recipe,
    pictures: Sequence[Planes],
    gains: NDArray[np.float32] | None = None,
    base: Planes | None = None,
    alpha: Matte | None = None,
) -> Planes:
    """The picture of a recipe, (3, H, W), from those of its terms; `base` (the residual) is added to the whole.

    `gains` (n, 3): what the levels say, none for the untouched picture. `alpha`: coverage for terms laid over.
    """
    gains = recipe.plain_gains if gains is None else gains
    if recipe.is_sum:
        return mix_planes(pictures, gains * recipe.weights, base)
    whole = fold_terms(folded_terms(recipe, pictures, gains, alpha))
    if recipe.factor != NO_FACTOR:
        whole = whole * np.array(recipe.factor, np.float32)[:, None, None]
    return whole if base is None else whole + base


def folded_terms(
    recipe: Recipe, pictures: Sequence[Planes], gains: NDArray[np.float32], alpha: Matte | None = None
) -> list[Folded]:
    """The terms of a recipe with their pictures and gains, ready to be folded."""
    return [
        Folded(planes, term.operator, gain, alpha)
        for term, planes, gain in zip(recipe.terms, pictures, gains, strict=True)
    ]


def three_channels(planes: Planes) -> Planes:
    """The colour of a pass, (3, H, W): its first three channels, or its only one for all three.

    Raises `ShapeError` for two channels: they are no colour.
    """
    if planes.shape[0] == 2:
        raise ShapeError("a pass of two channels has no colour: assign another role")
    return planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
