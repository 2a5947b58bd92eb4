"""Balance presets: levels of a variant kept under a name, and what they make of another variant."""

from contextlib import suppress
from dataclasses import asdict
from functools import reduce
from typing import Any
from urllib.parse import quote

from flask import Response
from pydantic import BaseModel, ValidationError, model_validator

from escala.core.errors import BadSource
from escala.database.presets import (
    all_balance_presets,
    drop_balance_preset,
    find_balance_preset,
    keep_balance_preset,
)
from escala.database.shots import find_variant, variant_document
from escala.engine.balance.plan import level_names
from escala.media.path_safety import plain_name
from escala.model.balance_preset import BalancePreset, apply_preset, preset_of
from escala.model.entries import pointer_step
from escala.model.numbers import Id
from escala.model.strict_json import to_json
from escala.model.variant import Variant

from ..app_context import app_context
from ..routing import Routes
from ..schemas import Patch
from .routes import PresetName

routes = Routes("balance_presets", __name__, url_prefix="/api/balance-presets")


class BalancePresetKept(PresetName):
    """Levels to keep under a name: those of a variant, or of a preset file."""

    variant: Id | None = None
    preset: BalancePreset | None = None

    @model_validator(mode="after")
    def _has_one(self) -> "BalancePresetKept":
        if (self.variant is None) == (self.preset is None):
            raise ValueError("give a variant or a preset")
        return self


class BalancePresetOut(BaseModel):
    """Levels under a name: of which lights, components and cells."""

    name: str
    levels: list[str]


class BalancePresetsOut(BaseModel):
    """All balance presets that this version can read."""

    presets: list[BalancePresetOut]


class PresetUse(PresetName):
    """A preset for a variant."""

    variant: Id


class PresetPlan(BaseModel):
    """The edit that applies a preset, and what becomes of it: names found, unresolved, and not given."""

    patch: Patch
    matched: list[str]
    waiting: list[str]
    untouched: list[str]


@routes.get("", responses={200: BalancePresetsOut})
def list_balance_presets() -> dict[str, Any]:
    """All balance presets by their names."""
    found = []
    with app_context().database.reading() as session:
        for row in all_balance_presets(session):
            with suppress(ValidationError):  # of another version: it stays in the database
                found.append(_listed(row.name, BalancePreset.model_validate(row.preset)))
    return {"presets": found}


@routes.put("", responses={200: BalancePresetOut})
def put_balance_preset(body: BalancePresetKept) -> dict[str, Any]:
    """Keep levels under a name. Raises `BadSource` where there are none, or curves of none."""
    with app_context().database.writing() as session:
        preset = body.preset
        if preset is None:
            preset = preset_of(variant_document(find_variant(session, body.variant or 0)))
        if not _names(preset):
            raise BadSource("no level is changed: there is nothing to save")
        apply_preset(Variant(), preset, dict.fromkeys(("lights", "components", "cells"), ()))  # its curves fit
        keep_balance_preset(session, body.name, preset)
    return _listed(body.name, preset)


@routes.delete("")
def delete_balance_preset(query: PresetName) -> tuple[str, int]:
    """Remove a balance preset."""
    with app_context().database.writing() as session:
        drop_balance_preset(session, query.name)
    return "", 204


@routes.get("/file")
def get_balance_preset_file(query: PresetName) -> Response:
    """A balance preset as the file that the command line takes."""
    with app_context().database.reading() as session:
        return preset_file(find_balance_preset(session, query.name), query.name)


@routes.post("/plan", responses={200: PresetPlan})
def plan_balance_preset(body: PresetUse) -> dict[str, Any]:
    """The edit that applies a preset to a variant; nothing is saved."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, body.variant)
        preset, document, shot = find_balance_preset(session, body.name), variant_document(row), row.shot_id
    render = context.interpretation_of(shot, context.resolve_paths(document))
    made, report = apply_preset(document, preset, level_names(render))
    names = {key: list(found) for key, found in asdict(report).items()}
    return PresetPlan(patch=_steps_between(document, made), **names).model_dump()


def _steps_between(before: Variant, after: Variant) -> Patch:
    """The levels and curves that differ, each as a step: edits under way of other fields stay."""
    facts = [variant.model_dump(mode="json", by_alias=True) for variant in (before, after)]
    steps: Patch = []
    for part in ("balance/lights", "balance/components", "balance/cells", "curves"):
        old, new = (reduce(dict.__getitem__, part.split("/"), each) for each in facts)
        steps += [{"op": "remove", "path": f"/{part}/{pointer_step(name)}"} for name in old if name not in new]
        steps += [
            {"op": "add", "path": f"/{part}/{pointer_step(name)}", "value": value}
            for name, value in new.items()
            if old.get(name) != value
        ]
    return steps


def preset_file(preset: BalancePreset, name: str) -> Response:
    """A preset as a file to save, named after `name`."""
    file = f"{plain_name(name.lower(), 'balance')}_balance.json"
    response = Response(to_json(preset.model_dump(mode="json", by_alias=True), indent=2), mimetype="application/json")
    response.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(file)}"
    return response


def _listed(name: str, preset: BalancePreset) -> dict[str, Any]:
    return {"name": name, "levels": _names(preset)}


def _names(preset: BalancePreset) -> list[str]:
    return [*preset.lights, *preset.components, *preset.cells]
