"""How a variant reads its render: roles set manually, repaired passes, and the recipe as changed on the tally."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from escala.core.beauty.recipes import Recipe, Term, one_pass
from escala.core.planes import as_planes
from escala.core.roles import COLOUR_ROLES, EXACT_ROLES, PassRole, Portion, Role
from escala.core.source.repairs import repair_planes
from escala.media.store import FrameWriter, PassSlot, RepairedFrame, StoredFrame, open_stored
from escala.model.beauty import TallyChoice
from escala.model.render import Render
from escala.model.source import PassReading, PassRepair, SourceChoice
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..keys import Key
from ..progress import Progress, no_progress
from .denoising import denoised_frame
from .intake import render_of_frame
from .recognition import recognise_frame, with_recipes

# Attributes with this beginning say how many pixels a repair of a pass changed.
REPAIRED = "repaired/"


def read_as(render: Render, frame: StoredFrame, variant: Variant, progress: Progress = no_progress) -> Render:
    """The render as a variant reads it; `frame` is its first frame, repaired. Recipes are found and proven anew."""
    progress(0.0, "finding recipe")
    source, recipes = variant.source, [found.recipe for found in render.recipes]
    render = render.model_copy(update={"alpha_ignored": source.alpha == "ignored"})
    if source.roles or source.repairs or source.twin or source.alpha == "unassociated":
        corrected = {name: _role(reading) for name, reading in source.roles.items() if name in frame.passes}
        recognised = recognise_frame(frame, corrected, source.twin)
        found = {"passes": recognised.passes, "reference": recognised.reference, "attributes": frame.header.attributes}
        render = render.model_copy(update=found)
        recipes = [candidate.recipe for candidate in recognised.candidates]
        render = with_recipes(render, frame, recipes, progress)
    if not variant.tally.changes_recipe or not render.recipes:
        return render
    chosen = render.chosen_recipe(variant.recipe)
    assert chosen is not None
    edited = edited_recipe(chosen, variant.tally, render)
    others = [found.recipe for found in render.recipes if found.recipe.name != chosen.name]
    changed = with_recipes(render, frame, [edited, *others], progress)
    first = sorted(changed.recipes, key=lambda found: found.recipe.name != chosen.name)
    return changed.model_copy(update={"recipes": tuple(first)})


def interpreted_evaluator(
    first: Evaluator, number: int, evaluator: Evaluator, variant: Variant, store: Path
) -> Evaluator:
    """The evaluator of a frame as a variant reads it. `first`: that of the render's first frame, which decides."""
    if not variant.changes_interpretation:
        return evaluator
    render = interpretation_of(first, variant, store)
    frame = repaired_frame(evaluator.frame, first.render, variant.source, store)
    frame = denoised_frame(frame, render, variant.source.denoise, store)
    return Evaluator(
        render_of_frame(render, number, frame),
        frame,
        evaluator.cache,
        evaluator.roots,
        evaluator.number,
        evaluator.images,
        evaluator.find_render,
    )


def interpretation_of(first: Evaluator, variant: Variant, store: Path, progress: Progress = no_progress) -> Render:
    """The render as a variant reads it, worked out once for each way of reading."""
    if not variant.changes_interpretation:
        return first.render

    def make() -> Render:
        frame = repaired_frame(first.frame, first.render, variant.source, store)
        render = read_as(first.render, frame, variant, progress)
        denoised_frame(frame, render, variant.source.denoise, store, progress)
        return render

    return first.cache.get(_cache_key(first, variant), make)


def cached_reading(first: Evaluator, variant: Variant) -> Render | None:
    """As `interpretation_of`, where that has been worked out before."""
    found: Render | None = first.cache.peek(_cache_key(first, variant))
    return found


def _cache_key(first: Evaluator, variant: Variant) -> Key:
    return first.keys.for_interpretation("reading", interpretation_key(variant))


def interpretation_key(variant: Variant) -> str:
    """What of a variant decides how its render is read."""
    edits = {
        name: [edit.left_out, edit.operator]
        for name, edit in variant.tally.terms.items()
        if edit.left_out or edit.operator
    }
    tally = variant.tally
    return json.dumps(
        [
            variant.source.model_dump(exclude={"frame_rate"}),
            variant.recipe,
            edits,
            tally.added,
            tally.order,
            tally.factor,
        ],
        sort_keys=True,
    )


def edited_recipe(recipe: Recipe, tally: TallyChoice, render: Render) -> Recipe:
    """A recipe with terms excluded, passes added, other operators, another order, and a factor on the whole."""
    there = {term.name for term in recipe.terms}
    added = [name for name in dict.fromkeys(tally.added) if render.find_pass(name) and name not in there]
    terms = [*recipe.terms, *(_added(name, render) for name in added)]
    kept = []
    for term in terms:
        edit = tally.terms.get(term.name)
        if edit is None or not edit.left_out:
            kept.append(replace(term, operator=edit.operator) if edit and edit.operator else term)
    places = {name: place for place, name in enumerate(tally.order)}
    kept.sort(key=lambda term: places.get(term.name, len(places)))
    if not kept:
        return recipe
    return Recipe(recipe.name, tuple(kept), tally.factor)


def repaired_frame(frame: StoredFrame, render: Render, source: SourceChoice, store: Path) -> StoredFrame:
    """The frame with its repaired passes in place of the stored ones; they are made once and kept in the store.

    `render` is the detected one. Colour that was stored unassociated is multiplied by the alpha.
    """
    fitting = [repair for repair in source.repairs if repair.pass_name in frame.passes]
    roles = {p.name: source.roles.get(p.name, p).role for p in render.passes}
    alpha = next((name for name, role in roles.items() if role == Role.ALPHA), None)
    unassociated = source.alpha == "unassociated" and alpha is not None
    covered = [name for name, role in roles.items() if unassociated and role in COLOUR_ROLES]
    if not fitting and not covered:
        return frame
    facts = json.dumps([frame.folder.name, [repair.model_dump() for repair in fitting], covered])
    folder = store / hashlib.sha256(facts.encode()).hexdigest()[:32]
    stored = open_stored(folder)
    if stored is None:
        cover = frame.planes(alpha)[0] if covered and alpha else None
        _write_repaired(frame, roles, fitting, {name: cover for name in covered if cover is not None}, folder)
        stored = StoredFrame(folder)
    return RepairedFrame(stored, frame)


def _write_repaired(
    frame: StoredFrame,
    roles: Mapping[str, Role],
    repairs: Sequence[PassRepair],
    covers: Mapping[str, NDArray[Any]],
    folder: Path,
) -> None:
    names = list(dict.fromkeys([*(repair.pass_name for repair in repairs), *covers]))
    slots = [_slot(frame, name, roles[name]) for name in names]
    rows, columns = frame.passes[names[0]].levels[0][1:]
    counts = {}
    with FrameWriter(folder, slots, rows, columns) as writer:
        for name in names:
            planes = as_planes(frame.planes(name))
            for repair in repairs:
                if repair.pass_name == name:
                    planes, counts[f"{REPAIRED}{name}/{repair.how}"] = repair_planes(planes, repair.how, repair.factor)
            if name in covers:
                planes = as_planes(planes * covers[name])
            for index, plane in enumerate(planes):
                writer.write_plane(name, index, plane)
        attributes = frame.header.attributes | {key: str(count) for key, count in counts.items()}
        writer.finish(replace(frame.header, attributes=attributes))


def _slot(frame: StoredFrame, name: str, role: Role) -> PassSlot:
    stored = frame.passes[name]
    return PassSlot(
        name=name,
        label=stored.label,
        file=stored.file,
        part_name=stored.part_name,
        colour=stored.colour,
        channels=stored.channels,
        letters=stored.letters,
        pixel_type="float",
        exact=role in EXACT_ROLES,
    )


def _role(reading: PassReading) -> PassRole:
    # What is named a component and no more holds all of it.
    part = reading.part or (Portion.TOTAL if reading.component else None)
    return PassRole(reading.role, reading.light, reading.component, part, reading.twin, 1.0, "set manually")


def _added(name: str, render: Render) -> Term:
    """A pass as a term of its own; it belongs to the light and component that it is of."""
    found = render.find_pass(name)
    assert found is not None
    operator = "multiply" if found.role in (Role.SHADOW, Role.OCCLUSION) else "add"
    return Term(name, one_pass(name), found.light, found.component, operator)
