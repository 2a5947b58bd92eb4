"""Variants: made, copied, renamed, deleted, edited, undone, redone. A closed page or a killed server loses nothing."""

from collections.abc import Callable
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint
from sqlalchemy.orm import Session

from escala.engine.look import whole_look
from escala.engine.screen import screen_picture
from escala.engine.subject import Subject
from escala.engine.worker import SMALL
from escala.model.variant import Variant
from escala.record.naming_rules import offered_rules, remember_rules
from escala.record.revisions import bring_back, can_redo, edit_variant, history, on_the_way, redo, state_at, undo
from escala.record.shots import (
    add_variant,
    delete_variant,
    find_shot,
    find_variant,
    variant_document,
)
from escala.record.tables import VariantRow

from .schemas import (
    Edit,
    NewVariant,
    RevisionList,
    RevisionOut,
    RevisionPath,
    RevisionState,
    ShotPath,
    VariantName,
    VariantOut,
    VariantPath,
    variant_out,
)
from .studio import Studio


def variant_routes(studio: Studio) -> APIBlueprint:
    """The blueprint."""
    routes = APIBlueprint("variants", __name__, url_prefix="/api")

    def answer(row: VariantRow, redoable: bool) -> dict[str, Any]:
        """A variant as the page gets it; made after the record is written, for reading a render may take a while."""
        document = variant_document(row)
        render = studio.reading_of(row.shot_id, document)
        with studio.session() as session:
            offered = offered_rules(session, render, document)
        return variant_out(row, document, render, redoable, offered).model_dump(mode="json")

    def changed(row: VariantRow) -> None:
        studio.hub.tell("variant", variant_id=row.id, shot_id=row.shot_id, head=row.head)

    @routes.get("/variants/<int:variant_id>", responses={200: VariantOut})
    def get_variant(path: VariantPath) -> dict[str, Any]:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            redoable = can_redo(session, row)
        return answer(row, redoable)

    @routes.post("/shots/<int:shot_id>/variants", responses={201: VariantOut})
    def make_variant(path: ShotPath, body: NewVariant) -> tuple[dict[str, Any], int]:
        with studio.session() as session:
            shot = find_shot(session, path.shot_id)
            document = variant_document(find_variant(session, body.copy_of)) if body.copy_of else Variant()
            row = add_variant(session, shot, body.name, document)
        studio.hub.tell("variants", shot_id=path.shot_id)
        return answer(row, False), 201

    @routes.put("/variants/<int:variant_id>/name", responses={200: VariantOut})
    def rename_variant(path: VariantPath, body: VariantName) -> dict[str, Any]:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            row.name = body.name
            redoable = can_redo(session, row)
        studio.hub.tell("variants", shot_id=row.shot_id)
        return answer(row, redoable)

    @routes.delete("/variants/<int:variant_id>")
    def remove_variant(path: VariantPath) -> tuple[str, int]:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            shot_id = row.shot_id
            delete_variant(session, row)
        studio.hub.tell("variants", shot_id=shot_id)
        return "", 204

    def stepped(path: VariantPath, step: Callable[[Session, VariantRow], VariantRow]) -> dict[str, Any]:
        with studio.session() as session:
            row = step(session, find_variant(session, path.variant_id))
            redoable = can_redo(session, row)
        changed(row)
        return answer(row, redoable)

    @routes.post("/variants/<int:variant_id>/edits", responses={200: VariantOut})
    def edit(path: VariantPath, body: Edit) -> dict[str, Any]:
        def step(session: Session, row: VariantRow) -> VariantRow:
            before = variant_document(row)
            row = edit_variant(session, row, body.base, body.patch, body.label)
            remember_rules(session, before, studio.check_files(variant_document(row)))
            return row

        return stepped(path, step)

    @routes.post("/variants/<int:variant_id>/undo", responses={200: VariantOut})
    def undo_edit(path: VariantPath) -> dict[str, Any]:
        return stepped(path, undo)

    @routes.post("/variants/<int:variant_id>/redo", responses={200: VariantOut})
    def redo_edit(path: VariantPath) -> dict[str, Any]:
        return stepped(path, redo)

    @routes.get("/variants/<int:variant_id>/revisions", responses={200: RevisionList})
    def list_revisions(path: VariantPath) -> dict[str, Any]:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            rows = history(session, row)
            straight, created = on_the_way(rows, row.head), row.created
        first = RevisionOut(number=0, parent=0, label="As created", created=created.isoformat(), aside=False)
        others = [
            RevisionOut(
                number=r.number, parent=r.parent, label=r.label, created=r.created.isoformat(),
                aside=r.number not in straight,
            )
            for r in rows
        ]  # fmt: skip
        return RevisionList(revisions=[first, *others]).model_dump()

    @routes.get("/variants/<int:variant_id>/revisions/<int:number>", responses={200: RevisionState})
    def get_revision(path: RevisionPath) -> dict[str, Any]:
        with studio.session() as session:
            document = state_at(session, find_variant(session, path.variant_id), path.number)
        return RevisionState(number=path.number, document=document).model_dump(mode="json")

    @routes.get("/variants/<int:variant_id>/revisions/<int:number>/picture")
    def get_revision_picture(path: RevisionPath) -> Response:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            document, shot_id = state_at(session, row, path.number), row.shot_id
        engine = studio.engine_of_variant(shot_id, document)
        look = whole_look(engine.render, 224)
        picture, kind = studio.thread.run(lambda: screen_picture(Subject(engine, document), look, True), SMALL)
        return Response(picture, mimetype=kind)

    @routes.post("/variants/<int:variant_id>/revisions/<int:number>/bring-back", responses={200: VariantOut})
    def bring_back_revision(path: RevisionPath) -> dict[str, Any]:
        def step(session: Session, row: VariantRow) -> VariantRow:
            return bring_back(session, row, path.number)

        return stepped(VariantPath(variant_id=path.variant_id), step)

    return routes
