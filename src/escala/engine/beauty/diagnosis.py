"""Where a sum is not the beauty: the likely causes, and for each the edit of the variant that repairs it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from escala.core.beauty.recipes import Recipe, fold_recipe, term_planes, three_channels
from escala.core.beauty.residual_causes import Cause, find_causes
from escala.core.colour.config import GAMUT_SPACES
from escala.core.planes import Planes
from escala.core.roles import PassRole
from escala.core.source.repairs import gamut_repair
from escala.media.store import StoredFrame
from escala.model.entries import pointer_step
from escala.model.render import Render

from ..source.recognition import sample_frame

Patch = tuple[dict[str, Any], ...]


@dataclass(frozen=True)
class Finding:
    """A likely cause with its repair: one edit (JSON Patch on the variant) and what it is called; none: no repair."""

    code: str
    message: str
    explained: float
    repair: str | None = None
    patch: Patch = ()


def explain_difference(render: Render, frame: StoredFrame, recipe: Recipe) -> list[Finding]:
    """The causes of what a recipe leaves, the most telling first; none where it matches or cannot be compared."""
    if render.reference is None:
        return []
    stored = [(frame.passes[p.name], _role(p)) for p in render.passes]
    values = {sample.name: sample.values for sample in sample_frame(frame, stored)}
    if render.reference not in values or any(name not in values for name in recipe.passes):
        return []
    pictures = {term.name: term_planes(term, values.__getitem__) for term in recipe.terms}
    rebuilt = fold_recipe(recipe, list(pictures.values()))
    unused = {
        name: three_channels(planes)
        for name, planes in values.items()
        if name != render.reference and name not in recipe.passes and planes.shape[0] >= 3
    }
    beauty: Planes = np.ascontiguousarray(values[render.reference][:3])
    causes = find_causes(beauty, rebuilt, unused, pictures)
    return [_finding(cause, render, recipe) for cause in causes]


def _role(p: Any) -> PassRole:
    return PassRole(p.role, p.light, p.component, p.part, p.twin)


def _finding(cause: Cause, render: Render, recipe: Recipe) -> Finding:
    edit = REPAIR_EDITS.get(cause.code) if cause.is_whole else None
    repair, patch = edit(cause, render, recipe) if edit else (None, ())
    return Finding(cause.code, cause.message, cause.explained, repair, patch)


def _add(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    return f"Add {cause.subject} to the sum", ({"op": "add", "path": "/tally/added/-", "value": cause.subject},)


def _leave_out(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    path = f"/tally/terms/{pointer_step(str(cause.subject))}"
    return f"Exclude {cause.subject}", ({"op": "add", "path": path, "value": {"left_out": True}},)


def _factor(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    factor = [a * b for a, b in zip(recipe.factor, cause.numbers, strict=True)]
    return "Multiply the sum by it", ({"op": "replace", "path": "/tally/factor", "value": factor},)


def _decode_beauty(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    return "Decode the beauty", (_decode(str(render.reference)),)


def _decode_passes(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    return "Decode the passes", tuple(_decode(name) for name in recipe.passes)


def _same_primaries(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    """The beauty into the gamut of its passes, and all of it read as that."""
    passes, beauty = str(cause.subject).split(" to ")
    repair = {"pass_name": render.reference, "how": gamut_repair(beauty, passes)}
    return f"Convert the beauty from {beauty} to {passes}, and interpret all as {passes}", (
        {"op": "add", "path": "/source/repairs/-", "value": repair},
        {"op": "add", "path": "/colour/input_space", "value": GAMUT_SPACES[passes][0]},
    )


def _screen(cause: Cause, render: Render, recipe: Recipe) -> tuple[str, Patch]:
    edits = [f"/tally/terms/{pointer_step(term.name)}" for term in recipe.terms[1:]]
    return "Combine them by screen", tuple({"op": "add", "path": p, "value": {"operator": "screen"}} for p in edits)


def _decode(name: str) -> dict[str, Any]:
    return {"op": "add", "path": "/source/repairs/-", "value": {"pass_name": name, "how": "decode"}}


REPAIR_EDITS: dict[str, Callable[[Cause, Render, Recipe], tuple[str, Patch]]] = {
    "missing_term": _add,
    "counted_twice": _leave_out,
    "constant_factor": _factor,
    "encoded_beauty": _decode_beauty,
    "encoded_passes": _decode_passes,
    "screened": _screen,
    "wrong_colour_space": _same_primaries,
}
