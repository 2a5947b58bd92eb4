"""Moods: the variants of a shot beside one another, and their balance on other shots."""

import itertools
from contextlib import suppress
from dataclasses import asdict
from typing import Any

from flask import Response

from escala.database.presets import find_balance_preset
from escala.database.revisions import last_change
from escala.database.shots import BrokenDocument, add_variant, find_shot, find_variant, variant_document
from escala.engine.balance.plan import level_names
from escala.model.balance_preset import apply_preset, preset_of
from escala.model.differences import differences

from ..app_context import app_context
from ..presets.balance import preset_file
from ..routing import Routes
from ..schemas import VariantPath
from .schemas import BalanceReport, BalanceReports, BalanceTargets, Mood, MoodsOut

routes = Routes("moods", __name__, url_prefix="/api/variants/<int:variant_id>")


@routes.get("/moods", responses={200: MoodsOut})
def list_moods(path: VariantPath) -> dict[str, Any]:
    """All variants of the shot, and what each has otherwise than this one."""
    with app_context().database.reading() as session:
        row = find_variant(session, path.variant_id)
        base, moods = variant_document(row), []
        for other in row.shot.variants:
            with suppress(BrokenDocument):  # it is reported where the shot is opened
                moods.append(
                    Mood(
                        id=other.id,
                        name=other.name,
                        head=other.head,
                        changed=last_change(session, other),
                        differences=differences(base, variant_document(other)),
                    )
                )
    return MoodsOut(moods=moods).model_dump(mode="json")


@routes.post("/balance/apply", responses={200: BalanceReports})
def apply_balance(path: VariantPath, body: BalanceTargets) -> dict[str, Any]:
    """A new variant of each shot: its first one with the balance of this variant, or a preset. Nothing else changes."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id)
        name = row.name if body.preset is None else body.preset
        preset = preset_of(variant_document(row)) if body.preset is None else find_balance_preset(session, name)
        documents = {number: variant_document(find_shot(session, number).variants[0]) for number in body.shots}
    reports = []
    for number, document in documents.items():
        render = context.interpretation_of(number, context.resolve_paths(document))
        made, report = apply_preset(document, preset, level_names(render))
        with context.database.writing() as session:
            shot = find_shot(session, number)
            variant = add_variant(session, shot, _free_name(name, [one.name for one in shot.variants]), made)
            reports.append(BalanceReport(shot=number, name=shot.name, variant=variant.id, **asdict(report)))
        context.events.publish("variants", shot_id=number)
    return BalanceReports(reports=reports).model_dump(mode="json")


def _free_name(name: str, taken: list[str]) -> str:
    """A name that no variant of the shot has."""
    candidates = (name if number == 1 else f"{name} {number}" for number in itertools.count(1))
    return next(candidate for candidate in candidates if candidate not in taken)


@routes.get("/balance")
def get_balance(path: VariantPath) -> Response:
    """The balance of a variant as a preset file."""
    with app_context().database.reading() as session:
        row = find_variant(session, path.variant_id)
        return preset_file(preset_of(variant_document(row)), row.name)
