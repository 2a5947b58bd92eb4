"""What each light, component or cell contributes to the image after Balance: levels, surfaces, mattes, corrections."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from escala.core.beauty.recipes import COMPONENTS, GRID, LIGHTS, Recipe, Term
from escala.core.errors import BadSource
from escala.core.planes import Planes
from escala.model.render import Render
from escala.model.variant import Variant

from ..beauty.light_sum import LightSum
from ..request import EvaluationRequest
from .part_corrections import corrected_parts
from .plan import plan_balance

RESIDUAL = "residual"


@dataclass(frozen=True)
class Split:
    """A way to split the sum. `recipes`: the kinds that can be split so, the best first; `name_of`: of a term."""

    recipes: tuple[str, ...]
    wanted: str
    name_of: Callable[[Term], str]

    def recipe(self, render: Render) -> Recipe:
        """The recipe that is split. Raises `BadSource` where the render has none of these kinds."""
        found = next((recipe for kind in self.recipes if (recipe := render.recipe(kind)) is not None), None)
        if found is None:
            raise BadSource(f"{render.name} has no {self.wanted}")
        return found


def _cell_name(term: Term) -> str:
    return "_".join(part for part in (term.light, term.component) if part) or term.name


# What both axes of a sum hold, as emission beside light groups, is named by the axis that it has.
SPLITS = {
    "lights": Split((GRID, LIGHTS), "light passes", lambda term: term.light or term.component or term.name),
    "components": Split((GRID, COMPONENTS), "component passes", lambda term: term.component or term.light or term.name),
    "cells": Split((GRID,), "passes of a light and a component", _cell_name),
}


def contribution_names(render: Render, variant: Variant, what: str) -> list[str]:
    """The names of the contributions in the order of the recipe: those of the render, added lights, the residual.

    `render`: as the variant reads it. The residual is there where the passes do not match, or where it has a level.
    Raises `BadSource` for a split that the render does not have.
    """
    split = SPLITS[what]
    names = list(dict.fromkeys(split.name_of(term) for term in split.recipe(render).terms))
    names += [light.name for light in variant.balance.added if light.on]
    return [*names, RESIDUAL] if _has_residual(render, variant) else names


def _has_residual(render: Render, variant: Variant) -> bool:
    is_exact = bool(render.recipes) and render.recipes[0].exact
    return render.reference is not None and (not is_exact or not variant.balance.residual.is_neutral)


def contributions(light_sum: LightSum, request: EvaluationRequest, what: str) -> dict[str, Planes]:
    """The contributions by name, each (3, H, W) in the working space; without the residual they sum to Balance.

    What no single term makes, as the ratio of a second axis or a correction of another part, is shared in proportion.
    """
    render, split = light_sum.terms.render, SPLITS[what]
    recipe = split.recipe(render)
    terms = _terms(light_sum, recipe, request)
    shared = _correct(light_sum, recipe, terms, request)
    plan = plan_balance(render, request.variant, request.colour_pipeline.working)
    added = {
        light.name: light_sum.added.levelled(light, request) for light in request.variant.balance.added if light.on
    }
    if shared or plan is None or plan.second is not None or recipe != plan.recipe:
        target = light_sum.sum(request, with_residual=False)
        for planes in added.values():
            target = target - planes
        terms = share_difference(terms, target - sum_of(terms))
    found: dict[str, Planes] = {}
    for term, planes in zip(recipe.terms, terms, strict=True):
        name = split.name_of(term)
        found[name] = found[name] + planes if name in found else planes
    found.update(added)
    residual = light_sum.levelled_residual(request) if _has_residual(render, request.variant) else None
    return found if residual is None else {**found, RESIDUAL: residual}


def _terms(light_sum: LightSum, recipe: Recipe, request: EvaluationRequest) -> list[Planes]:
    """What each term adds to the sum at its level: of other operators the change that it makes."""
    if not recipe.is_sum:
        return light_sum.folded_contributions(recipe, request)
    levelled, weights = light_sum.levelled_terms(recipe, request), recipe.weights[:, :, None, None]
    return [np.asarray(planes * weight) for planes, weight in zip(levelled, weights, strict=True)]


def _correct(light_sum: LightSum, recipe: Recipe, terms: list[Planes], request: EvaluationRequest) -> bool:
    """Give what corrections of parts change to their terms; whether some act on parts of another recipe."""
    is_left = False
    for part in corrected_parts(light_sum.terms.render, request.variant, recipe):
        if part.recipe != recipe:
            is_left = True
            continue
        change = light_sum.correction_change(part, request)
        own = share_difference([terms[i] for i in part.terms], change)
        for i, planes in zip(part.terms, own, strict=True):
            terms[i] = planes
    return is_left


def sum_of(parts: Sequence[Planes]) -> Planes:
    """The sum of planes of one shape."""
    total = np.zeros_like(parts[0])
    for planes in parts:
        total = total + planes
    return total


def share_difference(parts: Sequence[Planes], difference: Planes) -> list[Planes]:
    """Parts with a difference shared among them in proportion to each at every pixel; evenly where all are 0."""
    weights = [np.abs(planes) for planes in parts]
    total, even = sum_of(weights), np.float32(1 / len(parts))
    is_lit = total > 0
    safe = np.where(is_lit, total, np.float32(1.0))
    shares = [np.where(is_lit, weight / safe, even) for weight in weights]
    return [np.asarray(planes + difference * share) for planes, share in zip(parts, shares, strict=True)]
