"""A document looked over before it is used: what waits for a render that has it, and which files are not there."""

from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

from escala.media.clips import is_clip
from escala.media.configs import is_builtin
from escala.model.entries import pointer_step
from escala.model.render import Render
from escala.model.variant import Variant

from .balance.added import check_added, waiting_added
from .balance.part_corrections import terms_of
from .balance.plan import render_components, waiting_levels
from .depth.reading import waiting_passes
from .evaluator import Evaluator
from .mattes.mattes import absent_in
from .plate.layers import waiting_layers
from .surface.labels import uv_pass_of

_TABLES = {"light": "lights", "component": "components", "cell": "cells"}


@dataclass(frozen=True)
class Unresolved:
    """A name in a document that a render does not have: where it stands, and the name."""

    place: str
    name: str


def waiting_names(
    render: Render, variant: Variant, evaluator: Evaluator, further: Collection[str] = ()
) -> list[Unresolved]:
    """What of a variant changes nothing on a render, as that has no such light, component, cell, pass or object.

    `further`: the names of the further renders of the shot. Raises `BadSource` as `check_added`.
    """
    variant = variant.settled(evaluator.time(variant))
    check_added(render, variant)
    added = [Unresolved(place, name) for place, name in waiting_added(render, variant, evaluator.frame.passes)]
    levels = [
        Unresolved(f"balance/{_TABLES[axis]}/{pointer_step(name)}", name)
        for axis, name in waiting_levels(render, variant)
    ]
    mattes = [
        Unresolved(f"mattes/{pointer_step(name)}{field}", absent)
        for name, field, absent in absent_in(render, evaluator.frame, variant)
    ]
    components = set(render_components(render))
    surfaces = [
        Unresolved(f"surface/changes/{pointer_step(change.id)}/component", change.component)
        for change in variant.surface.changes
        if change.component is not None and change.component not in components
    ]
    labels = [
        Unresolved(f"surface/changes/{pointer_step(label.id)}/uv", label.uv or "uv pass")
        for label in variant.labels
        if uv_pass_of(label, evaluator.terms) is None
    ]
    recipes = [found.recipe for found in render.recipes]
    parts = [
        Unresolved(
            f"balance/corrections/{pointer_step(c.id)}/of", " / ".join(filter(None, (c.of.light, c.of.component)))
        )
        for c in variant.balance.corrections
        if c.of is not None and not any(terms_of(recipe, c.of) for recipe in recipes)
    ]
    passes = [Unresolved(place, name) for place, name in waiting_passes(render, variant, evaluator.frame.passes)]
    layers = [
        Unresolved(f"plate/layers/{pointer_step(layer.id)}/{field}", name)
        for layer, field, name in waiting_layers(variant, evaluator.frame.passes, further)
    ]
    return [*levels, *added, *mattes, *surfaces, *labels, *parts, *passes, *layers]


def missing_files(variant: Variant) -> list[str]:
    """The files that a variant names and that are not there."""
    named = [] if is_builtin(variant.colour.config) else [variant.colour.config]
    named += [c.path for c in variant.corrections if c.kind == "lut"]
    named += variant.pictures
    layers = set(variant.plate.pictures)
    return [p for p in dict.fromkeys(named) if not (is_clip(p) if p in layers else Path(p).is_file())]
