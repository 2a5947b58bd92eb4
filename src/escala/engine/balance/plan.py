"""From the levels of a variant to one gain for each term of the recipe that can carry them."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from escala.core.balance.levels import WorkingSpace, level_gain, names_that_count
from escala.core.beauty.recipes import COMPONENTS, GRID, LIGHTS, Recipe, Term
from escala.model.balance import Balance, Level, level_of
from escala.model.beauty import TallyChoice
from escala.model.render import Render
from escala.model.variant import Variant

from ..surface.changes import changed_components

Gains = NDArray[np.float32]


@dataclass(frozen=True)
class Part:
    """A term of a recipe, by its place, as far as mattes cover it; without any, the whole of it."""

    term: int
    mattes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Levelled:
    """A recipe with a gain per part and channel, (n, 3). First comes each whole term, then what mattes limit.

    A level limited by a matte is `1 + m (gain - 1)`: the whole term at 1, and its part under m at `gain - 1`.
    """

    recipe: Recipe
    parts: tuple[Part, ...]
    gains: Gains

    @cached_property
    def neutral(self) -> Gains:
        """The gains of the untouched sum, (n, 3)."""
        of_parts = np.array([0.0 if part.mattes else 1.0 for part in self.parts], np.float32)
        return np.repeat(of_parts, 3).reshape(-1, 3)

    @property
    def weights(self) -> Gains:
        """What each part of a sum counts for before any level, (n, 3)."""
        return self.recipe.weights[[part.term for part in self.parts]]

    @property
    def is_neutral(self) -> bool:
        """Whether every gain is that of the untouched sum."""
        return bool(np.array_equal(self.gains, self.neutral))

    def limits_of(self, term: int) -> list[tuple[tuple[str, ...], Gains]]:
        """What mattes add to the gain of a term, by the mattes."""
        pairs = zip(self.parts, self.gains, strict=True)
        return [(part.mattes, gain) for part, gain in pairs if part.term == term and part.mattes]


@dataclass(frozen=True)
class BalancePlan:
    """A recipe with its levels. `second`: the other axis, where only the ratio method can do both.

    `residual_gain`: whether what no term holds counts; `residual`: its gain (3,) and matte, None where that is neutral.
    """

    first: Levelled
    residual_gain: float
    second: Levelled | None = None
    residual: tuple[Gains, str | None] | None = None

    @property
    def recipe(self) -> Recipe:
        """The recipe that carries the levels."""
        return self.first.recipe

    @property
    def is_neutral(self) -> bool:
        """Whether the sum is the beauty itself."""
        ones = self.first.is_neutral and self.residual_gain == 1.0 and self.residual is None
        return ones and (self.second is None or self.second.is_neutral)


def plan_balance(render: Render, variant: Variant, space: WorkingSpace) -> BalancePlan | None:
    """How to apply a variant's levels, None where no recipe was found.

    Levels of lights and components that this render does not have change nothing: they wait for one that has them.
    """
    if not render.recipes:
        return None
    balance = variant.balance
    lights = _changed(balance.lights) & set(render_lights(render))
    components = _changed(balance.components) & set(render_components(render))
    components |= set(changed_components(render, variant))
    carrier = _carrier(render, variant, lights, components, _changed(balance.cells))
    first, counted = level_recipe(carrier, variant, space)
    residual = counted if variant.residual else 0.0
    beyond = (lights - set(carrier.lights)) | (components - set(carrier.components))
    other = render.recipe(COMPONENTS if carrier.name == LIGHTS else LIGHTS)
    own = _residual_level(balance.residual, space)
    if not beyond or other is None or other == carrier:
        return BalancePlan(first, residual, residual=own)
    second = Balance(
        lights={k: v for k, v in balance.lights.items() if k in beyond},
        components={k: v for k, v in balance.components.items() if k in beyond},
    )
    alone = Variant(mattes=variant.mattes, balance=second)
    return BalancePlan(first, residual, level_recipe(other, alone, space)[0], own)


def _residual_level(level: Level, space: WorkingSpace) -> tuple[Gains, str | None] | None:
    """The gain and matte of what no term holds; muted it is nothing everywhere."""
    if level.mute:
        return _NOTHING, None
    gain = _gain(level, space)
    return None if np.array_equal(gain, _NEUTRAL) else (gain, level.matte)


def what_is_approximate(render: Render, variant: Variant, space: WorkingSpace) -> list[str]:
    """Why levels on a render are not exact, in sentences; none while they are, or while nothing is changed."""
    plan = plan_balance(render, variant, space)
    if plan is None or plan.is_neutral:
        return []
    found = []
    proven = next((known for known in render.recipes if known.recipe.name == plan.recipe.name), None)
    if render.reference is not None and proven is not None and not proven.exact:
        found.append(
            f"the sum of {render.name} does not match its reference {render.reference} (largest difference "
            f"{proven.max_abs:.4g}): levels act on its terms, the rest is unchanged"
        )
    if plan.second is not None:
        found.append(
            f"{render.name} has no light × component passes: combined changes are applied by ratio, an approximation"
        )
    return found


def level_recipe(recipe: Recipe, variant: Variant, space: WorkingSpace) -> tuple[Levelled, float]:
    """A recipe at a variant's levels, and the gain of what no term holds (0 when something is alone)."""
    balance = variant.balance
    beside = balance.residual.solo or any(level_of(balance.lights, one.name).solo for one in balance.added)
    lights = _axis_gains(recipe.lights, balance.lights, space, beside)
    components = _axis_gains(recipe.components, balance.components, space)
    cells = _axis_gains([cell for term in recipe.terms if (cell := _cell(term))], balance.cells, space)
    alone_terms = _alone_terms(variant.tally, recipe)
    gains: dict[Part, Gains] = {}
    limited: dict[Part, Gains] = {}
    for index, term in enumerate(recipe.terms):
        factors = lights[term.light], components[term.component], cells[_cell(term)]
        strength = np.float32(_strength(term, variant.tally, alone_terms))
        gains[Part(index)] = strength * _product([gain for gain, matte in factors if matte is None])
        for mattes, gain in _expanded([(g, m) for g, m in factors if m is not None]):
            limited[Part(index, mattes)] = gains[Part(index)] * gain
    parts = gains | {part: gain for part, gain in limited.items() if gain.any()}
    alone = any(level.solo for t in (balance.lights, balance.components, balance.cells) for level in t.values())
    table = np.array(list(parts.values()), np.float32).reshape(len(parts), 3)
    counts = balance.residual.solo or not (alone or alone_terms)
    return Levelled(recipe, tuple(parts), table), 1.0 if counts else 0.0


def added_gains(variant: Variant, space: WorkingSpace) -> dict[str, tuple[Gains, str | None]]:
    """The gain (3,) and matte of each added light that counts, by its name.

    One belongs to no component, cell or term of the tally: where such is alone, no added light is seen.
    """
    balance, tally = variant.balance, variant.tally
    of_parts = any(level.solo for table in (balance.components, balance.cells) for level in table.values())
    if of_parts or any(edit.alone for edit in tally.terms.values()):
        return {}
    alone = balance.residual.solo or any(level.solo for level in balance.lights.values())
    found = {}
    for light in balance.added:
        level = level_of(balance.lights, light.name)
        if light.on and not level.mute and (level.solo or not alone):
            found[light.name] = _gain(level, space), level.matte
    return found


def _product(gains: list[Gains]) -> Gains:
    """Gains on top of one another; most are neutral."""
    product = _NEUTRAL
    for gain in gains:
        if gain is not _NEUTRAL:
            product = product * gain
    return product


def _expanded(factors: list[tuple[Gains, str]]) -> list[tuple[tuple[str, ...], Gains]]:
    """The product of `1 + m (gain - 1)`, multiplied out: what stands before each product of mattes, without the 1."""
    found: dict[tuple[str, ...], Gains] = {(): _NEUTRAL}
    for gain, matte in factors:
        for mattes, before in list(found.items()):
            joined = tuple(sorted((*mattes, matte)))
            found[joined] = found.get(joined, _NOTHING) + before * (gain - _NEUTRAL)
    return [(mattes, gain) for mattes, gain in found.items() if mattes]


def _axis_gains(
    names: Iterable[str], table: Mapping[str, Level], space: WorkingSpace, another_alone: bool = False
) -> dict[str | None, tuple[Gains, str | None]]:
    """The gain of each name of an axis, (3,), and its matte; under None that of a term which the axis does not divide.

    What is muted, or not alone while others are, is nothing everywhere: a matte limits the gain alone. `another_alone`:
    something beside the axis is alone.
    """
    levels = {name: level_of(table, name) for name in names}
    mutes, solos = {n: le.mute for n, le in levels.items()}, {n: le.solo for n, le in levels.items()}
    counted = names_that_count(mutes, solos)
    if another_alone:
        counted = {name: counts and solos[name] for name, counts in counted.items()}
    gains: dict[str | None, tuple[Gains, str | None]] = {
        n: (_gain(le, space), le.matte) if counted[n] else (_NOTHING, None) for n, le in levels.items()
    }
    is_any_alone = another_alone or any(level.solo for level in table.values())
    gains[None] = (_NOTHING if is_any_alone else _NEUTRAL, None)
    return gains


def _strength(term: Term, tally: TallyChoice, alone: set[str]) -> float:
    """What the tally says of a term: off, only others alone, or a strength."""
    edit = tally.terms.get(term.name)
    if (alone and term.name not in alone) or (edit is not None and not edit.on):
        return 0.0
    return edit.strength if edit else 1.0


def _alone_terms(tally: TallyChoice, recipe: Recipe) -> set[str]:
    names = {term.name for term in recipe.terms}
    return {name for name, edit in tally.terms.items() if edit.alone and name in names}


def render_lights(render: Render) -> list[str]:
    """All lights that some recipe can change."""
    return list(dict.fromkeys(light for found in render.recipes for light in found.recipe.lights))


def render_components(render: Render) -> list[str]:
    """All components that some recipe can change."""
    return list(dict.fromkeys(name for found in render.recipes for name in found.recipe.components))


def render_cells(render: Render) -> list[str]:
    """All cells, as "light/component", that some recipe can change."""
    cells = (_cell(term) for found in render.recipes for term in found.recipe.terms)
    return list(dict.fromkeys(cell for cell in cells if cell))


def level_names(render: Render) -> dict[str, Sequence[str]]:
    """The names of lights, components and cells of a render."""
    tables = {"lights": render_lights(render), "components": render_components(render), "cells": render_cells(render)}
    return dict(tables)


def waiting_levels(render: Render, variant: Variant) -> list[tuple[str, str]]:
    """The levels that wait for a render with their light, component or cell: ("light", name) and so on."""
    balance = variant.balance
    tables = (
        ("light", balance.lights, {*render_lights(render), *(light.name for light in balance.added)}),
        ("component", balance.components, set(render_components(render))),
        ("cell", balance.cells, set(render_cells(render))),
    )
    return [(axis, name) for axis, table, known in tables for name in table if name in _changed(table) - known]


def _changed(table: Mapping[str, Level]) -> set[str]:
    return {name for name, level in table.items() if not level.is_neutral}


def _carrier(render: Render, variant: Variant, lights: set[str], components: set[str], cells: set[str]) -> Recipe:
    """The recipe that carries the changed levels: the chosen or best one if it can, else one that can."""
    preferred = [variant.recipe, *(found.recipe.name for found in render.recipes)]
    recipes = [recipe for name in preferred if name and (recipe := render.recipe(name))]
    if variant.tally.changes_picture or variant.tally.changes_recipe:
        return recipes[0]  # what was changed on the tally counts, other levels follow by ratio
    if cells:
        recipes = [recipe for recipe in recipes if recipe.name == GRID] or recipes
    for recipe in recipes:
        if lights <= set(recipe.lights) and components <= set(recipe.components):
            return recipe
    return next((recipe for recipe in recipes if lights <= set(recipe.lights) and recipe.lights), recipes[0])


def _cell(term: Term) -> str | None:
    return f"{term.light}/{term.component}" if term.light and term.component else None


_NEUTRAL, _NOTHING = np.ones(3, np.float32), np.zeros(3, np.float32)


def _gain(level: Level, space: WorkingSpace) -> Gains:
    if level.is_neutral:
        return _NEUTRAL
    return level_gain(space, level.stops, level.multiplier, level.tint, level.kelvin, level.duv)
