"""A document looked over before it is used: what waits for a render that has it, and which files are not there."""

from dataclasses import dataclass
from pathlib import Path

from escala.core.errors import BadSource, UnknownChoice
from escala.media.configs import is_builtin
from escala.model.entries import pointer_step
from escala.model.render import Render
from escala.model.variant import Variant

from .balance.plan import waiting_levels
from .evaluator import Evaluator
from .mattes.objects import matte_of_objects

_TABLES = {"light": "lights", "component": "components", "cell": "cells"}


@dataclass(frozen=True)
class Waiting:
    """A name in a document that a render does not have: where it stands, and the name."""

    place: str
    name: str


def waiting_names(render: Render, variant: Variant, engine: Evaluator) -> list[Waiting]:
    """What of a variant changes nothing on a render, as that has no such light, component, cell or object."""
    levels = [
        Waiting(f"balance/{_TABLES[axis]}/{pointer_step(name)}", name) for axis, name in waiting_levels(render, variant)
    ]
    objects = [
        Waiting(f"surface/recolours/{pointer_step(change.id)}/object_name", change.object_name)
        for change in variant.surface.recolours
        if change.object_name is not None and not _has_object(engine, change.object_name)
    ]
    return levels + objects


def missing_files(variant: Variant) -> list[str]:
    """The files that a variant names and that are not there."""
    named = [] if is_builtin(variant.colour.config) else [variant.colour.config]
    named += [c.path for c in variant.corrections if c.kind == "lut"]
    return [path for path in dict.fromkeys(named) if not Path(path).is_file()]


def _has_object(engine: Evaluator, name: str) -> bool:
    try:
        matte_of_objects(engine.frame, [name], None)
    except (BadSource, UnknownChoice):
        return False
    return True
