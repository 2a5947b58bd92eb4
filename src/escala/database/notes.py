"""Notes on variants, and their answers. They change no document. The caller owns the session."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session, selectinload

from escala.core.errors import BadSource
from escala.model.render import Render

from .shots import NotFound
from .tables import AnswerRow, NoteRow, RevisionRow, VariantRow

OPEN, DONE = "open", "done"


@dataclass(frozen=True)
class NewNote:
    """What somebody remarks. `revision`, `frame`: None for the head, and the first. `place`: in the displayed image."""

    text: str
    author: str
    revision: int | None = None
    frame: int | None = None
    place: tuple[float, float] | None = None


@dataclass(frozen=True)
class NotePage:
    """Notes, the newest first; how many of all are open; whether more follow."""

    notes: Sequence[NoteRow]
    open: int
    more: bool


def add_note(
    session: Session, variant: VariantRow, render: Render, note: NewNote, newest: int | None = None
) -> NoteRow:
    """Add a note to a variant. `newest`: the revision of a share, its head by default.

    Raises `BadSource` for a revision, frame or place that is not there.
    """
    shown = variant.head if newest is None else newest
    revision = shown if note.revision is None else note.revision
    frame = render.first_frame if note.frame is None else note.frame
    if not _has_revision(session, variant, revision) or (newest is not None and revision > newest):
        raise BadSource(f"{variant.name!r} has no revision {revision}")
    if frame not in render.frames:
        raise BadSource(f"the shot has no frame {frame}")
    place = note.place
    if place is not None and not (0 <= place[0] <= render.width and 0 <= place[1] <= render.height):
        raise BadSource(f"the place lies outside the image of {render.width} × {render.height} pixels")
    row = NoteRow(
        shot_id=variant.shot_id,
        variant_id=variant.id,
        variant_name=variant.name,
        revision=revision,
        frame=frame,
        place=list(place or ()),
        text=note.text,
        author=note.author,
    )
    session.add(row)
    session.flush()
    return row


def _has_revision(session: Session, variant: VariantRow, number: int) -> bool:
    if number == 0:
        return True
    found = select(RevisionRow.id).where(RevisionRow.variant_id == variant.id, RevisionRow.number == number)
    return session.scalar(found) is not None


def find_note(session: Session, note_id: int) -> NoteRow:
    """A note. Raises `NotFound`."""
    row = session.get(NoteRow, note_id)
    if row is None:
        raise NotFound(f"there is no note {note_id}: it may have been deleted")
    return row


def change_note(session: Session, note_id: int, state: str | None = None, text: str | None = None) -> NoteRow:
    """Change the state or the text of a note. Raises `NotFound`."""
    row = find_note(session, note_id)
    row.state, row.text = state or row.state, text or row.text
    row.changed = datetime.now(UTC)
    session.flush()
    return row


def answer_note(session: Session, note_id: int, text: str, author: str, variant_id: int | None) -> NoteRow:
    """Answer a note, with a variant of its shot where one is offered. Raises `NotFound`."""
    row = find_note(session, note_id)
    if variant_id is not None:
        offered = session.get(VariantRow, variant_id)
        if offered is None or offered.deleted or offered.shot_id != row.shot_id:
            raise NotFound(f"the shot has no variant {variant_id}: it may have been deleted")
    row.answers.append(AnswerRow(text=text, author=author, variant_id=variant_id))
    row.changed = datetime.now(UTC)
    session.flush()
    return row


def delete_note(session: Session, note_id: int) -> NoteRow:
    """Delete a note with its answers. Raises `NotFound`."""
    row = find_note(session, note_id)
    session.delete(row)
    session.flush()
    return row


def notes_of(
    session: Session,
    shot_id: int,
    variants: Collection[int] | None = None,
    variant: int | None = None,
    state: str | None = None,
    after: int | None = None,
    limit: int | None = 100,
) -> NotePage:
    """A page of the notes of a shot, the newest first, and how many of all are open.

    `variants`: only of these, the open ones too. `variant`, `state`: filters. `after`: the last id of the page before.
    `limit`: None for all.
    """
    known: list[ColumnElement[bool]] = [NoteRow.shot_id == shot_id]
    if variants is not None:
        known.append(NoteRow.variant_id.in_(variants))
    count = session.scalar(select(func.count()).select_from(NoteRow).where(*known, NoteRow.state == OPEN)) or 0
    wanted: list[Any] = list(known)
    wanted += [NoteRow.variant_id == variant] if variant is not None else []
    wanted += [NoteRow.state == state] if state is not None else []
    wanted += [NoteRow.id < after] if after is not None else []
    rows = select(NoteRow).where(*wanted).order_by(NoteRow.id.desc()).options(selectinload(NoteRow.answers))
    found = session.scalars(rows if limit is None else rows.limit(limit + 1)).all()
    return NotePage(found if limit is None else found[:limit], count, limit is not None and len(found) > limit)


def note_facts(row: NoteRow, variants: Collection[int] | None = None) -> dict[str, Any]:
    """A note in plain values. `variants`: those that may be named in answers; None for all."""
    return {
        "id": row.id,
        "shot": row.shot_id,
        "variant": row.variant_id,
        "variant_name": row.variant_name,
        "revision": row.revision,
        "frame": row.frame,
        "place": list(row.place) if len(row.place) == 2 else None,
        "text": row.text,
        "author": row.author,
        "state": row.state,
        "created": row.created.isoformat(),
        "changed": row.changed.isoformat(),
        "answers": [
            {
                "id": answer.id,
                "text": answer.text,
                "author": answer.author,
                "created": answer.created.isoformat(),
                "variant": answer.variant_id if variants is None or answer.variant_id in variants else None,
            }
            for answer in row.answers
        ],
    }
