"""From the levels of a variant to one gain for each term of the recipe that can carry them."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

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
class BalancePlan:
    """A recipe with a gain per term and channel. `second`: the other axis, where only the ratio method can do both."""

    recipe: Recipe
    gains: Gains
    residual_gain: float
    second: tuple[Recipe, Gains] | None = None

    @property
    def is_neutral(self) -> bool:
        """Whether the sum is the beauty itself."""
        ones = bool(np.all(self.gains == 1.0)) and self.residual_gain == 1.0
        return ones and (self.second is None or bool(np.all(self.second[1] == 1.0)))


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
    first = _carrier(render, variant, lights, components, _changed(balance.cells))
    gains, counted = term_gains(first, variant, space)
    residual = counted if variant.residual else 0.0
    beyond = (lights - set(first.lights)) | (components - set(first.components))
    other = render.recipe(COMPONENTS if first.name == LIGHTS else LIGHTS)
    if not beyond or other is None or other == first:
        return BalancePlan(first, gains, residual)
    second = Variant(
        balance=Balance(
            lights={k: v for k, v in balance.lights.items() if k in beyond},
            components={k: v for k, v in balance.components.items() if k in beyond},
        )
    )
    return BalancePlan(first, gains, residual, (other, term_gains(other, second, space)[0]))


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
            f"{proven.max_abs:.4g}): levels act on what its terms hold, the rest stays as it is"
        )
    if plan.second is not None:
        found.append(
            f"{render.name} has no passes for lights and components together: levels of both are applied by ratio, "
            "an approximation"
        )
    return found


def term_gains(recipe: Recipe, variant: Variant, space: WorkingSpace) -> tuple[Gains, float]:
    """A gain per term and channel, (n, 3), and the gain of what no term holds (0 when something is alone)."""
    balance = variant.balance
    lights = _axis_gains(recipe.lights, balance.lights, space)
    components = _axis_gains(recipe.components, balance.components, space)
    cells = _axis_gains([cell for term in recipe.terms if (cell := _cell(term))], balance.cells, space)
    rows = [lights[term.light] * components[term.component] * cells[_cell(term)] for term in recipe.terms]
    alone_terms = _alone_terms(variant.tally, recipe)
    strengths = [_strength(term, variant.tally, alone_terms) for term in recipe.terms]
    gains = np.array(rows, np.float32).reshape(len(rows), 3) * np.array(strengths, np.float32)[:, None]
    alone = any(level.solo for t in (balance.lights, balance.components, balance.cells) for level in t.values())
    return gains, 0.0 if alone or alone_terms else 1.0


def _axis_gains(names: Iterable[str], table: Mapping[str, Level], space: WorkingSpace) -> dict[str | None, Gains]:
    """The gain of each name of an axis, (3,); under None that of a term which the axis does not divide."""
    levels = {name: level_of(table, name) for name in names}
    counted = names_that_count({n: le.mute for n, le in levels.items()}, {n: le.solo for n, le in levels.items()})
    gains: dict[str | None, Gains] = {n: _gain(le, space) if counted[n] else _NOTHING for n, le in levels.items()}
    gains[None] = _NOTHING if any(level.solo for level in table.values()) else _NEUTRAL
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


def waiting_levels(render: Render, variant: Variant) -> list[tuple[str, str]]:
    """The levels that wait for a render with their light, component or cell: ("light", name) and so on."""
    balance = variant.balance
    cells = {cell for found in render.recipes for term in found.recipe.terms if (cell := _cell(term))}
    tables = (
        ("light", balance.lights, set(render_lights(render))),
        ("component", balance.components, set(render_components(render))),
        ("cell", balance.cells, cells),
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
