"""Corrections at Balance: of a light, a component, or a cell; the picture gains what they change in it."""

from dataclasses import dataclass

import numpy as np

from escala.core.beauty.folding import SUMMED
from escala.core.beauty.recipes import Recipe
from escala.core.planes import Planes
from escala.model.corrections import Correction, Of
from escala.model.render import Render
from escala.model.variant import Variant

from ..corrections.registry import apply_corrections, reach_of
from ..mattes.mattes import Mattes
from ..pipeline import Picture
from ..request import EvaluationRequest


@dataclass(frozen=True)
class CorrectedPart:
    """The terms of a recipe, by their places, that corrections act on in their order; together they are one chain."""

    recipe: Recipe
    terms: tuple[int, ...]
    corrections: tuple[Correction, ...]

    @property
    def reach(self) -> float:
        """How far the chain looks around each pixel, in pixels of the full-resolution render."""
        return sum(map(reach_of, self.corrections))


def corrected_parts(render: Render, variant: Variant, preferred: Recipe | None = None) -> list[CorrectedPart]:
    """What a variant corrects of a render's light, and with what; parts that the render does not have wait.

    `preferred`: the recipe whose terms are taken where it has them.
    """
    chains: dict[Of, list[Correction]] = {}
    for correction in variant.balance.corrections:
        if correction.is_seen and correction.of is not None:
            chains.setdefault(correction.of, []).append(correction)
    recipes = [recipe for recipe in (preferred, *(found.recipe for found in render.recipes)) if recipe is not None]
    parts = []
    for of, corrections in chains.items():
        found = next(((recipe, terms) for recipe in recipes if (terms := terms_of(recipe, of))), None)
        if found is not None:
            parts.append(CorrectedPart(*found, tuple(corrections)))
    return parts


def terms_of(recipe: Recipe, of: Of) -> tuple[int, ...]:
    """The places of the summed terms that a part of the light is made of."""
    return tuple(
        index
        for index, term in enumerate(recipe.terms)
        if term.operator in SUMMED and of.light in (None, term.light) and of.component in (None, term.component)
    )


def corrected_change(
    part: CorrectedPart,
    before: Picture,
    grown: EvaluationRequest,
    request: EvaluationRequest,
    mattes: Mattes,
) -> Planes:
    """What the corrections of a part change at a viewport; `before`: the part at the viewport it was grown to."""
    after = apply_corrections(before, part.corrections, grown, mattes)
    change = before.with_colour(np.subtract(after.colour, before.colour))
    return np.asarray(change.part(grown.viewport, request.viewport).colour)
