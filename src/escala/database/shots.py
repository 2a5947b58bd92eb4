"""Shots and variants: found, made, renamed, deleted. The caller owns the session and commits."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from escala.core.errors import EscalaError
from escala.media.path_safety import printable
from escala.model.render import Render
from escala.model.variant import Variant

from .tables import RenderRow, RevisionRow, ShotRow, VariantRow

FIRST_VARIANT = "Variant 1"


class NotFound(EscalaError, LookupError):
    """Something that is not, or no longer, in the database."""


class BrokenDocument(EscalaError, ValueError):
    """A stored document that cannot be read."""


class LastVariant(EscalaError, ValueError):
    """A shot keeps at least one variant."""


ACTIVE, ARCHIVED, DELETED = "active", "archived", "deleted"


def all_shots(session: Session) -> Sequence[ShotRow]:
    """Every shot that is not deleted, in the order they came in."""
    return session.scalars(select(ShotRow).where(ShotRow.status != DELETED).order_by(ShotRow.id)).all()


def clear_deleted(session: Session) -> None:
    """Let go of the shots and variants that were deleted and not restored. Their ids are never given again."""
    for row in session.scalars(select(VariantRow).where(VariantRow.deleted)).all():
        session.delete(row)
    for shot in session.scalars(select(ShotRow).where(ShotRow.status == DELETED)).all():
        session.delete(shot)


@dataclass(frozen=True)
class LastChange:
    """When a shot was last changed, and how."""

    at: datetime
    how: str


def last_changes(session: Session) -> dict[int, LastChange]:
    """The newest edit of each shot that has one, by its number."""
    newest = (
        select(VariantRow.shot_id, func.max(RevisionRow.id).label("id"))
        .join(RevisionRow, RevisionRow.variant_id == VariantRow.id)
        .group_by(VariantRow.shot_id)
        .subquery()
    )
    rows = select(newest.c.shot_id, RevisionRow.created, RevisionRow.label).join(
        RevisionRow, RevisionRow.id == newest.c.id
    )
    return {shot_id: LastChange(created, label) for shot_id, created, label in session.execute(rows)}


def find_shot(session: Session, shot_id: int) -> ShotRow:
    """A shot; raises `NotFound`."""
    shot = session.get(ShotRow, shot_id)
    if shot is None:
        raise NotFound(f"there is no shot {shot_id}: it may have been deleted")
    return shot


def find_variant(session: Session, variant_id: int, is_deferred: bool = False) -> VariantRow:
    """A variant; raises `NotFound`, also for one that was deleted and can still be restored.

    `is_deferred`: its document, which may be large, is read only where it is used, and before the session ends.
    """
    variant = recoverable_variant(session, variant_id, is_deferred)
    if variant.deleted:
        raise _no_variant(variant_id)
    return variant


def recoverable_variant(session: Session, variant_id: int, is_deferred: bool = False) -> VariantRow:
    """As `find_variant`, also one that was deleted and can still be restored."""
    variant = session.get(VariantRow, variant_id, options=[defer(VariantRow.document)] if is_deferred else [])
    if variant is None:
        raise _no_variant(variant_id)
    return variant


def _no_variant(variant_id: int) -> NotFound:
    return NotFound(f"there is no variant {variant_id}: it may have been deleted")


def add_shot(session: Session, render: Render, sources: Sequence[str]) -> ShotRow:
    """A shot of a render, with a first variant in which nothing is changed."""
    shot = ShotRow(name=render.name)
    shot.renders.append(RenderRow(sources=list(sources), document=render.as_json()))
    shot.variants.append(VariantRow(name=FIRST_VARIANT, document=Variant().model_dump(mode="json")))
    session.add(shot)
    session.flush()
    return shot


def find_render(shot: ShotRow, name: str = "") -> RenderRow:
    """A render of a shot, the first by default. Raises `NotFound`."""
    found = next((row for row in shot.renders if row.name == name), None)
    if found is None:
        raise NotFound(f"{shot.name} has no render {name!r}: it may have been removed")
    return found


def add_render(session: Session, shot: ShotRow, name: str, render: Render, sources: Sequence[str]) -> RenderRow:
    """A further render of a shot; its name is made distinct by a number where the shot has one of that name."""
    taken, number, chosen = {row.name for row in shot.renders}, 2, name
    while chosen in taken:
        chosen, number = f"{name} {number}", number + 1
    position = max(row.position for row in shot.renders) + 1
    row = RenderRow(position=position, name=chosen, sources=list(sources), document=render.as_json())
    shot.renders.append(row)
    session.flush()
    return row


def remove_render(session: Session, shot: ShotRow, name: str) -> None:
    """Remove a further render of a shot; layers that show it are unresolved from now on. Raises `NotFound`."""
    row = find_render(shot, name)
    if row.position == 0:
        raise NotFound(f"the first render of {shot.name} cannot be removed: delete the shot")
    shot.renders.remove(row)
    session.flush()


def add_variant(session: Session, shot: ShotRow, name: str, document: Variant) -> VariantRow:
    """A further variant of a shot."""
    variant = VariantRow(name=name, document=document.model_dump(mode="json"))
    shot.variants.append(variant)
    session.flush()
    return variant


def delete_variant(session: Session, variant: VariantRow) -> None:
    """Delete a variant; until the next start it can be restored. Raises `LastVariant` for the only one."""
    if len(variant.shot.variants) == 1:
        raise LastVariant(f"{variant.name!r} is the only variant of {variant.shot.name}: create another one first")
    variant.deleted = True
    session.flush()
    session.expire(variant.shot, ["variants"])


def restore_variant(session: Session, variant_id: int) -> VariantRow:
    """A deleted variant as it was, with its history. Raises `NotFound` once it is gone."""
    variant = session.get(VariantRow, variant_id)
    if variant is None:
        raise NotFound(f"there is no variant {variant_id}: deleted ones are kept until the next start")
    variant.deleted = False
    session.flush()
    session.expire(variant.shot, ["variants"])
    return variant


def variant_document(variant: VariantRow) -> Variant:
    """The document of a variant. Raises `BrokenDocument`."""
    return read_document(variant.document, repr(variant.name))


def read_document(document: Any, what: str) -> Variant:
    """A stored document. Raises `BrokenDocument` with what it is of, and what is wrong in it."""
    try:
        return Variant.model_validate(document)
    except ValidationError as error:
        raise BrokenDocument(f"The stored document of {what} cannot be read: {_first_fault(error)}.") from error


def shot_render(shot: ShotRow, name: str = "") -> Render:
    """The document of a render of a shot, the first by default. Raises `BrokenDocument`, `NotFound`."""
    try:
        return Render.model_validate(find_render(shot, name).document)
    except ValidationError as error:
        raise BrokenDocument(f"The stored render of {shot.name!r} cannot be read: {_first_fault(error)}.") from error


def _first_fault(error: ValidationError) -> str:
    first = error.errors()[0]
    place = ".".join(str(step) for step in first["loc"])
    return printable(f"{place + ': ' if place else ''}{first['msg']}")
