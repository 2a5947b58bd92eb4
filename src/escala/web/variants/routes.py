"""Variants: made, copied, renamed, deleted, edited, undone, redone. A closed page or a killed server loses nothing."""

import shlex
from collections.abc import Callable
from typing import Any
from urllib.parse import quote

from flask import Response
from sqlalchemy.orm import Session

from escala.core.errors import EscalaError
from escala.database.naming_rules import remember_rules, suggested_rules
from escala.database.revisions import (
    PreparedEdit,
    branches_of,
    can_redo,
    history,
    prepare_edit,
    prepare_restore,
    redo,
    save_edit,
    undo,
)
from escala.database.shots import (
    BrokenDocument,
    add_variant,
    delete_variant,
    find_shot,
    find_variant,
    recoverable_variant,
    restore_variant,
    shot_render,
    variant_document,
)
from escala.database.tables import VariantRow
from escala.engine.balance.added import check_added
from escala.engine.checking import Unresolved, missing_files, waiting_names
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.request import Quality
from escala.engine.source.reading import interpretation_key
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import whole_viewport
from escala.engine.worker import SMALL
from escala.media.path_safety import plain_name
from escala.model.strict_json import to_json
from escala.model.variant import Variant

from ..app_context import app_context
from ..clients import client_name
from ..problems import sentence_of
from ..routing import Routes
from ..schemas import ShotPath, VariantPath
from .schemas import (
    Base,
    CheckOut,
    CommandOut,
    Edit,
    InterpretedVariant,
    NewVariant,
    RevisionList,
    RevisionOut,
    RevisionPath,
    RevisionState,
    VariantName,
    VariantOut,
    variant_out,
)

routes = Routes("variants", __name__, url_prefix="/api")


def _read(row: VariantRow) -> InterpretedVariant:
    """The variant with its interpreted render; one that cannot be displayed says why, so that it can be edited."""
    context = app_context()
    document = variant_document(row)
    try:
        resolved = context.resolve_paths(document)
        render = context.interpretation_of(row.shot_id, resolved)
        return InterpretedVariant(document, render, resolve_colour(render, resolved, context.roots))
    except (EscalaError, OSError) as error:
        return InterpretedVariant(document, context.render_of(row.shot_id), None, sentence_of(error))


def _answer(row: VariantRow, redoable: bool, before: Variant | None = None) -> dict[str, Any]:
    """A variant for the page, made once the database session is closed: interpreting a render may take a while.

    `before`: the document that the client has; the interpretation of the render is sent only where it differs.
    """
    context = app_context()
    found = _read(row)
    with context.database.reading() as session:
        offered = suggested_rules(session, found.render, found.document)
    is_new = before is None or interpretation_key(before) != interpretation_key(found.document)
    return variant_out(row, found, redoable, offered, is_new).model_dump(mode="json")


def _publish_change(row: VariantRow) -> None:
    """Publish a new state to the pages."""
    context = app_context()
    context.events.publish("variant", variant_id=row.id, shot_id=row.shot_id, head=row.head)


@routes.get("/variants/<int:variant_id>", responses={200: VariantOut})
def get_variant(path: VariantPath) -> dict[str, Any]:
    """A variant as it stands."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id)
        redoable = can_redo(session, row)
    return _answer(row, redoable)


@routes.post("/shots/<int:shot_id>/variants", responses={201: VariantOut})
def make_variant(path: ShotPath, body: NewVariant) -> tuple[dict[str, Any], int]:
    """A new variant: neutral, a copy, or from a document whose files lie below the media roots."""
    context = app_context()
    if body.document is not None:
        context.resolve_paths(body.document)
    with context.database.writing() as session:
        shot = find_shot(session, path.shot_id)
        copied = variant_document(find_variant(session, body.copy_of)) if body.copy_of else Variant()
        document = body.document or copied
        row = add_variant(session, shot, body.name, document)
    context.events.publish("variants", shot_id=path.shot_id)
    return _answer(row, False), 201


@routes.get("/variants/<int:variant_id>/file")
def get_file(path: VariantPath) -> Response:
    """The document of a variant as a file, as the command line takes it."""
    with app_context().database.reading() as session:
        row = find_variant(session, path.variant_id)
        document, name = variant_document(row), _file_name(row)
    response = Response(to_json(document.model_dump(mode="json"), indent=2), mimetype="application/json")
    response.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name)}"
    return response


def _file_name(row: VariantRow) -> str:
    return f"{plain_name(row.name.lower(), 'variant')}.json"


@routes.get("/variants/<int:variant_id>/command", responses={200: CommandOut})
def get_command(path: VariantPath) -> dict[str, Any]:
    """The command line that writes the image of a variant."""
    with app_context().database.reading() as session:
        row = find_variant(session, path.variant_id)
        renders = [(render.name, [str(source) for source in render.sources]) for render in row.shot.renders]
        first, file = shot_render(row.shot), _file_name(row)
    (_, sources), *others = renders
    further = [part for name, own in others for source in own for part in ("--render", f"{name}={source}")]
    fit = ["--fit"] if any(entry.fit for entries in first.frames.values() for entry in entries) else []
    out = f"{file.removesuffix('.json')}{'.####' if len(first.frames) > 1 else ''}.exr"
    parts = ["escala", "render", *sources, "--variant", file, *further, *fit, "--out", out]
    return CommandOut(line=shlex.join(parts), file=file).model_dump()


@routes.get("/variants/<int:variant_id>/check", responses={200: CheckOut})
def check_variant(path: VariantPath) -> dict[str, Any]:
    """What of a variant is unresolved on its shot, and which files are missing."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id)
        document, shot_id = variant_document(row), row.shot_id
    resolved, further = context.resolve_paths(document), context.further_of(shot_id)
    opened = context.open(shot_id, resolved)

    def work() -> list[Unresolved]:
        evaluator = opened.interpret()
        return waiting_names(evaluator.render, resolved, evaluator, further)

    waiting = context.evaluator_pool.evaluate(work, SMALL, client=client_name())
    return CheckOut(waiting=waiting, missing_files=missing_files(resolved)).model_dump()


@routes.put("/variants/<int:variant_id>/name", responses={200: VariantOut})
def rename_variant(path: VariantPath, body: VariantName) -> dict[str, Any]:
    """Give a variant another name."""
    context = app_context()
    with context.database.writing() as session:
        row = find_variant(session, path.variant_id)
        row.name = body.name
        redoable = can_redo(session, row)
    context.events.publish("variants", shot_id=row.shot_id)
    return _answer(row, redoable)


@routes.delete("/variants/<int:variant_id>")
def remove_variant(path: VariantPath) -> tuple[str, int]:
    """Delete a variant with its history; until the next start it can be restored."""
    context = app_context()
    with context.database.writing() as session:
        row = find_variant(session, path.variant_id)
        shot_id = row.shot_id
        delete_variant(session, row)
    context.events.publish("variants", shot_id=shot_id)
    return "", 204


@routes.post("/variants/<int:variant_id>/restore", responses={200: VariantOut})
def restore_deleted_variant(path: VariantPath) -> dict[str, Any]:
    """Restore a deleted variant with its history; deleted ones are kept until the next start."""
    context = app_context()
    with context.database.writing() as session:
        row = restore_variant(session, path.variant_id)
        redoable = can_redo(session, row)
    context.events.publish("variants", shot_id=row.shot_id)
    return _answer(row, redoable)


def _document_of(row: VariantRow) -> Variant | None:
    """The stored document; None for one that cannot be read, which undo may still leave."""
    try:
        return variant_document(row)
    except BrokenDocument:
        return None


def _stepped(path: VariantPath, step: Callable[[Session, VariantRow], VariantRow]) -> dict[str, Any]:
    """The variant after one step, which is committed before events are published."""
    context = app_context()
    with context.database.writing() as session:
        row = find_variant(session, path.variant_id)
        before = _document_of(row)
        row = step(session, row)
        redoable = can_redo(session, row)
    _publish_change(row)
    return _answer(row, redoable, before)


def _check(shot_id: int, edit: PreparedEdit) -> None:
    """Refuse an edit that could never be shown, before the database is held: that may take a while."""
    context, before, after = app_context(), edit.before, edit.after
    if after.corrections != before.corrections or after.pictures != before.pictures:
        context.resolve_paths(after)
    if after.balance.added != before.balance.added:
        check_added(context.interpretation_of(shot_id, context.resolve_paths(after)), after)
    bare = [variant.with_corrections(lambda correction: None) for variant in (before, after)]
    if bare[0].colour != bare[1].colour or bare[0].display != bare[1].display or _reads_anew(*bare):
        resolved = context.resolve_paths(bare[1])
        resolve_colour(context.prove(shot_id, resolved), resolved, context.roots)


@routes.post("/variants/<int:variant_id>/edits", responses={200: VariantOut})
def edit(path: VariantPath, body: Edit) -> dict[str, Any]:
    """Save an edit that was made on the newest state. It is worked out before the database is held."""
    with app_context().database.reading() as session:
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
    context = app_context()
    with context.database.reading() as session:
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
    """The document of a state, also of a deleted variant that can be restored."""
    context = app_context()
    with context.database.reading() as session:
        document = context.states.at(session, recoverable_variant(session, path.variant_id), path.number)
    return RevisionState(number=path.number, document=document).model_dump(mode="json")


@routes.get("/variants/<int:variant_id>/revisions/<int:number>/picture")
def get_revision_picture(path: RevisionPath) -> Response:
    """A state as a small picture."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id)
        document, shot_id = context.states.at(session, row, path.number), row.shot_id
    document = context.resolve_paths(document)
    opened = context.open(shot_id, document)

    def work() -> tuple[bytes, str]:
        evaluator = opened.interpret()
        return screen_picture(Subject(evaluator, document), whole_viewport(evaluator.render, 224), Quality.PREVIEW)

    picture, kind = context.evaluator_pool.evaluate(work, SMALL, client=client_name())
    return Response(picture, mimetype=kind)


@routes.post("/variants/<int:variant_id>/revisions/<int:number>/restore", responses={200: VariantOut})
def restore_revision(path: RevisionPath, body: Base) -> dict[str, Any]:
    """Make the variant as it was in a state, as one more edit on the newest."""
    with app_context().database.reading() as session:
        prepared = prepare_restore(session, find_variant(session, path.variant_id), body.base, path.number)
    return _stepped(VariantPath(variant_id=path.variant_id), lambda session, row: save_edit(session, row, prepared))


def _reads_anew(before: Variant, after: Variant) -> bool:
    return interpretation_key(before) != interpretation_key(after)
