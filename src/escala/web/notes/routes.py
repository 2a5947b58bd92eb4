"""Notes: listed in pages, added, answered, marked done, deleted; pages that are open hear of each."""

from collections.abc import Collection
from typing import Any
from urllib.parse import quote

from flask import Response

from escala.database.notes import (
    NotePage,
    add_note,
    answer_note,
    change_note,
    delete_note,
    find_note,
    note_facts,
    notes_of,
)
from escala.database.shots import find_shot, find_variant, shot_render
from escala.database.tables import NoteRow
from escala.media.path_safety import plain_name
from escala.model.note_formats import FORMATS, MEDIA_TYPES

from ..app_context import AppContext, app_context
from ..routing import Routes
from .schemas import AnswerIn, NoteChange, NoteFileQuery, NoteIn, NoteList, NoteOut, NotePath, NoteQuery

routes = Routes("notes", __name__, url_prefix="/api/notes")


@routes.get("", responses={200: NoteList})
def list_notes(query: NoteQuery) -> dict[str, Any]:
    """A page of the notes of a shot, the newest first."""
    with app_context().database.reading() as session:
        find_shot(session, query.shot)
        page = notes_of(
            session, query.shot, variant=query.variant, state=query.state, after=query.after, limit=query.limit
        )
        return page_facts(page)


@routes.get("/file")
def get_note_file(query: NoteFileQuery) -> Response:
    """All notes of a shot, as `escala notes` writes them."""
    with app_context().database.reading() as session:
        shot = find_shot(session, query.shot)
        notes = [note_facts(row) for row in notes_of(session, query.shot, limit=None).notes]
        name = f"{plain_name(shot.name, 'shot')}_notes.{query.format}"
    ending = f".{query.format}"
    response = Response(FORMATS[ending](notes), mimetype=MEDIA_TYPES[ending])
    response.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name)}"
    return response


@routes.post("", responses={201: NoteOut})
def post_note(body: NoteIn) -> tuple[dict[str, Any], int]:
    """Add a note to a variant."""
    context = app_context()
    with context.database.writing() as session:
        variant = find_variant(session, body.variant)
        facts = note_facts(add_note(session, variant, shot_render(variant.shot), body.new))
    return _published(context, facts), 201


@routes.get("/<int:note_id>", responses={200: NoteOut})
def get_note(path: NotePath) -> dict[str, Any]:
    """A note with its answers."""
    with app_context().database.reading() as session:
        return note_facts(find_note(session, path.note_id))


@routes.patch("/<int:note_id>", responses={200: NoteOut})
def patch_note(path: NotePath, body: NoteChange) -> dict[str, Any]:
    """Change the state or the text of a note."""
    context = app_context()
    with context.database.writing() as session:
        facts = note_facts(change_note(session, path.note_id, body.state, body.text))
    return _published(context, facts)


@routes.delete("/<int:note_id>")
def remove_note(path: NotePath) -> tuple[str, int]:
    """Delete a note with its answers."""
    context = app_context()
    with context.database.writing() as session:
        shot = delete_note(session, path.note_id).shot_id
    publish_notes(context, shot)
    return "", 204


@routes.post("/<int:note_id>/answers", responses={201: NoteOut})
def post_answer(path: NotePath, body: AnswerIn) -> tuple[dict[str, Any], int]:
    """Answer a note."""
    context = app_context()
    with context.database.writing() as session:
        facts = note_facts(answer_note(session, path.note_id, body.text, body.author, body.variant))
    return _published(context, facts), 201


def page_facts(page: NotePage, variants: Collection[int] | None = None) -> dict[str, Any]:
    """A page of notes in plain values. `variants`: those that may be named in answers; None for all."""
    rows: Collection[NoteRow] = page.notes
    return {"notes": [note_facts(row, variants) for row in rows], "open": page.open, "more": page.more}


def publish_notes(context: AppContext, shot: int) -> None:
    """Let open pages know that the notes of a shot have changed."""
    context.events.publish("notes", shot_id=shot)


def _published(context: AppContext, facts: dict[str, Any]) -> dict[str, Any]:
    publish_notes(context, facts["shot"])
    return facts
