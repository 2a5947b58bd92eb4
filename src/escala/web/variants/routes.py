"""Variants: made, copied, renamed, deleted, edited, undone, redone. A closed page or a killed server loses nothing."""

from collections.abc import Callable
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint
from sqlalchemy.orm import Session

from escala.core.errors import EscalaError
from escala.engine.colour.chain import colouring_of
from escala.engine.evaluation import Quality
from escala.engine.looking.look import whole_look
from escala.engine.looking.screen import screen_picture
from escala.engine.looking.subject import Subject
from escala.engine.source.reading import reading_key
from escala.engine.worker import SMALL
from escala.model.variant import Variant
from escala.record.naming_rules import offered_rules, remember_rules
from escala.record.revisions import (
    PreparedEdit,
    branches_of,
    can_redo,
    history,
    prepare_edit,
    prepare_restore,
    redo,
    save_edit,
    state_at,
    undo,
)
from escala.record.shots import (
    add_variant,
    delete_variant,
    find_shot,
    find_variant,
    restore_variant,
    variant_document,
)
from escala.record.tables import VariantRow

from ..clients import client_name
from ..problems import sentence_of
from ..schemas import ShotPath, VariantPath
from ..studio import the_studio
from .schemas import (
    Base,
    Edit,
    NewVariant,
    ReadVariant,
    RevisionList,
    RevisionOut,
    RevisionPath,
    RevisionState,
    VariantName,
    VariantOut,
    variant_out,
)

routes = APIBlueprint("variants", __name__, url_prefix="/api")


def _read(row: VariantRow) -> ReadVariant:
    """The variant with its render; one that not available is told as such, so that it can be mended."""
    studio = the_studio()
    document = variant_document(row)
    try:
        admitted = studio.admitted(document)
        render = studio.reading_of(row.shot_id, admitted)
        return ReadVariant(document, render, colouring_of(render, admitted, studio.roots))
    except (EscalaError, OSError) as error:
        return ReadVariant(document, studio.render_of(row.shot_id), None, sentence_of(error))


def _answer(row: VariantRow, redoable: bool) -> dict[str, Any]:
    """A variant as the page gets it; made after the record is written, for reading a render may take a while."""
    studio = the_studio()
    found = _read(row)
    with studio.record.reading() as session:
        offered = offered_rules(session, found.render, found.document)
    return variant_out(row, found, redoable, offered).model_dump(mode="json")


def _tell_changed(row: VariantRow) -> None:
    """Tell the pages of a new state."""
    studio = the_studio()
    studio.hub.tell("variant", variant_id=row.id, shot_id=row.shot_id, head=row.head)


@routes.get("/variants/<int:variant_id>", responses={200: VariantOut})
def get_variant(path: VariantPath) -> dict[str, Any]:
    """A variant as it stands."""
    studio = the_studio()
    with studio.record.reading() as session:
        row = find_variant(session, path.variant_id)
        redoable = can_redo(session, row)
    return _answer(row, redoable)


@routes.post("/shots/<int:shot_id>/variants", responses={201: VariantOut})
def make_variant(path: ShotPath, body: NewVariant) -> tuple[dict[str, Any], int]:
    """A new variant, neutral or a copy."""
    studio = the_studio()
    with studio.record.writing() as session:
        shot = find_shot(session, path.shot_id)
        document = variant_document(find_variant(session, body.copy_of)) if body.copy_of else Variant()
        row = add_variant(session, shot, body.name, document)
    studio.hub.tell("variants", shot_id=path.shot_id)
    return _answer(row, False), 201


@routes.put("/variants/<int:variant_id>/name", responses={200: VariantOut})
def rename_variant(path: VariantPath, body: VariantName) -> dict[str, Any]:
    """Give a variant another name."""
    studio = the_studio()
    with studio.record.writing() as session:
        row = find_variant(session, path.variant_id)
        row.name = body.name
        redoable = can_redo(session, row)
    studio.hub.tell("variants", shot_id=row.shot_id)
    return _answer(row, redoable)


@routes.delete("/variants/<int:variant_id>")
def remove_variant(path: VariantPath) -> tuple[str, int]:
    """Delete a variant with its history; until the next start it can be restored."""
    studio = the_studio()
    with studio.record.writing() as session:
        row = find_variant(session, path.variant_id)
        shot_id = row.shot_id
        delete_variant(session, row)
    studio.hub.tell("variants", shot_id=shot_id)
    return "", 204


@routes.post("/variants/<int:variant_id>/restore", responses={200: VariantOut})
def restore_deleted_variant(path: VariantPath) -> dict[str, Any]:
    """Restore a deleted variant with its history; deleted ones are kept until the next start."""
    studio = the_studio()
    with studio.record.writing() as session:
        row = restore_variant(session, path.variant_id)
        redoable = can_redo(session, row)
    studio.hub.tell("variants", shot_id=row.shot_id)
    return _answer(row, redoable)


def _stepped(path: VariantPath, step: Callable[[Session, VariantRow], VariantRow]) -> dict[str, Any]:
    """The variant after one step, which is on the disk before anybody hears of it."""
    studio = the_studio()
    with studio.record.writing() as session:
        row = step(session, find_variant(session, path.variant_id))
        redoable = can_redo(session, row)
    _tell_changed(row)
    return _answer(row, redoable)


def _check(shot_id: int, edit: PreparedEdit) -> None:
    """Refuse an edit that could never be shown, before the record is held: that may take a while."""
    studio, before, after = the_studio(), edit.before, edit.after
    if after.corrections != before.corrections or after.pictures != before.pictures:
        studio.admitted(after)
    bare = [variant.with_corrections(lambda correction: None) for variant in (before, after)]
    if bare[0].colour != bare[1].colour or bare[0].display != bare[1].display or _reads_anew(*bare):
        admitted = studio.admitted(bare[1])
        colouring_of(studio.prove(shot_id, admitted), admitted, studio.roots)


@routes.post("/variants/<int:variant_id>/edits", responses={200: VariantOut})
def edit(path: VariantPath, body: Edit) -> dict[str, Any]:
    """Save an edit that was made on the newest state. It is worked out before the record is held."""
    with the_studio().record.reading() as session:
        row = find_variant(session, path.variant_id)
    prepared = prepare_edit(row, body.base, body.patch, body.label)
    _check(row.shot_id, prepared)

    def step(session: Session, row: VariantRow) -> VariantRow:
        row = save_edit(session, row, prepared)
        remember_rules(session, prepared.before, prepared.after)
        return row

    return _stepped(path, step)


@routes.post("/variants/<int:variant_id>/undo", responses={200: VariantOut})
def undo_edit(path: VariantPath, body: Base) -> dict[str, Any]:
    """Back to the state before."""
    return _stepped(path, lambda session, row: undo(session, row, body.base))


@routes.post("/variants/<int:variant_id>/redo", responses={200: VariantOut})
def redo_edit(path: VariantPath, body: Base) -> dict[str, Any]:
    """Forward to the state that was undone last."""
    return _stepped(path, lambda session, row: redo(session, row, body.base))


@routes.get("/variants/<int:variant_id>/revisions", responses={200: RevisionList})
def list_revisions(path: VariantPath) -> dict[str, Any]:
    """Every state that the variant ever had."""
    studio = the_studio()
    with studio.record.reading() as session:
        row = find_variant(session, path.variant_id)
        rows = history(session, row)
        branches, created = branches_of(rows, row.head), row.created
    first = RevisionOut(number=0, parent=0, label="As created", created=created.isoformat(), branch="")
    others = [
        RevisionOut(
            number=r.number, parent=r.parent, label=r.label, created=r.created.isoformat(),
            branch=branches[r.number],
        )
        for r in rows
    ]  # fmt: skip
    return RevisionList(revisions=[first, *others]).model_dump()


@routes.get("/variants/<int:variant_id>/revisions/<int:number>", responses={200: RevisionState})
def get_revision(path: RevisionPath) -> dict[str, Any]:
    """The document of a state."""
    studio = the_studio()
    with studio.record.reading() as session:
        document = state_at(session, find_variant(session, path.variant_id), path.number)
    return RevisionState(number=path.number, document=document).model_dump(mode="json")


@routes.get("/variants/<int:variant_id>/revisions/<int:number>/picture")
def get_revision_picture(path: RevisionPath) -> Response:
    """A state as a small picture."""
    studio = the_studio()
    with studio.record.reading() as session:
        row = find_variant(session, path.variant_id)
        document, shot_id = state_at(session, row, path.number), row.shot_id
    document = studio.admitted(document)
    opened = studio.open(shot_id, document)

    def work() -> tuple[bytes, str]:
        engine = opened.interpret()
        return screen_picture(Subject(engine, document), whole_look(engine.render, 224), Quality.PREVIEW)

    picture, kind = studio.workshop.evaluate(work, SMALL, client=client_name())
    return Response(picture, mimetype=kind)


@routes.post("/variants/<int:variant_id>/revisions/<int:number>/restore", responses={200: VariantOut})
def restore_revision(path: RevisionPath, body: Base) -> dict[str, Any]:
    """Make the variant as it was in a state, as one more edit on the newest."""
    with the_studio().record.reading() as session:
        prepared = prepare_restore(session, find_variant(session, path.variant_id), body.base, path.number)
    return _stepped(VariantPath(variant_id=path.variant_id), lambda session, row: save_edit(session, row, prepared))


def _reads_anew(before: Variant, after: Variant) -> bool:
    return reading_key(before) != reading_key(after)
