"""Edits as revisions: each a JSON Patch (RFC 6902) on the state it was made on; undo and redo move along them."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

import jsonpatch
from jsonpointer import resolve_pointer
from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from escala.core.errors import EscalaError, UnknownChoice
from escala.media.path_safety import printable
from escala.model.entries import ListIndex
from escala.model.pointers import number_field
from escala.model.strict_json import from_json, to_json
from escala.model.variant import Variant

from .shots import read_document, variant_document
from .tables import RevisionRow, VariantRow

# A gesture is a few steps; a document of thousands of names has about a hundred thousand characters.
_MOST_STEPS, MOST_CHARACTERS = 1000, 4 << 20
_MAX_COPIED = 1 << 20

Branch = Literal["", "undone", "other"]


class StaleRevision(EscalaError, ValueError):
    """An edit made on a state that is no longer the newest."""


class BadEdit(EscalaError, ValueError):
    """An edit that does not fit the variant or makes it invalid."""


class NothingToUndo(EscalaError, ValueError):
    """There is no revision in that direction."""


class DamagedHistory(EscalaError, ValueError):
    """A stored revision that cannot be applied."""


def patched(document: dict[str, Any], patch: list[dict[str, Any]]) -> Variant:
    """The variant of a stored document after a patch, without saving it. Raises as `edited`."""
    try:
        # As it is read today: a document kept by an older version may lack parts that have come since.
        variant = Variant.model_validate(document)
    except ValidationError as error:
        raise BadEdit(_fault(None, error)) from error
    return edited(variant, patch)


def edited(variant: Variant, patch: list[dict[str, Any]]) -> Variant:
    """A variant after a patch; raises `BadEdit`, also for one that would make it huge."""
    if len(patch) > _MOST_STEPS:
        raise BadEdit(f"the edit has {len(patch)} steps; the limit is {_MOST_STEPS}")
    try:
        return Variant.model_validate(apply_steps(variant.model_dump(mode="json"), patch))
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError, KeyError) as error:
        reason = error.args[0] if isinstance(error, KeyError) and error.args else error
        raise BadEdit(f"the edit does not fit the variant: {printable(reason)}") from error
    except RecursionError as error:
        raise BadEdit("the edit is nested too deeply") from error
    except ValidationError as error:
        raise BadEdit(_fault(variant, error)) from error


def _fault(variant: Variant | None, error: ValidationError) -> str:
    """The first fault of an edit: its field, the value, and the limits of the variant's number it leaves."""
    first = error.errors()[0]
    place, message = "/".join(str(step) for step in first["loc"]), first["msg"]
    if variant is not None and first["type"] in _BEYOND_LIMITS:
        with suppress(UnknownChoice):
            field = number_field(variant, place)
            message = f"{first['input']:g} is outside {field.low:g} to {field.high:g}"
    return f"{printable(place)}: {printable(message)}"


_BEYOND_LIMITS = {"greater_than", "greater_than_equal", "less_than", "less_than_equal"}


def apply_steps(document: Any, patch: Sequence[dict[str, Any]]) -> Any:
    """A document after the steps of a patch, changed in place. Raises `BadEdit` before a step that makes it too large.

    What a step adds is measured, not the document after it: the sum is an upper bound, exact again when it is passed.
    All that is copied together is bounded, too.
    """
    lists = ListIndex()
    size, copied, changed = len(to_json(document)), 0, document
    for step in patch:
        named = {key: lists.by_index(changed, step[key]) for key in ("path", "from") if isinstance(step.get(key), str)}
        plain, added = _measured(changed, {**step, **named})
        copied += added if step.get("op") == "copy" else 0
        if copied > _MAX_COPIED:
            raise BadEdit(f"the edit copies more than {_MAX_COPIED >> 20} million characters")
        if size + added > MOST_CHARACTERS:
            size = len(to_json(changed))
            _check_size(size + added)
        changed = jsonpatch.apply_patch(changed, [plain], in_place=True)
        lists.note_step(plain)
        size += added
    return changed


def _measured(document: Any, step: dict[str, Any]) -> tuple[dict[str, Any], int]:
    """A step, and by how many characters it can make a document longer. A copy is made from what was measured."""
    path = len(str(step.get("path", "")))
    if step.get("op") in ("add", "replace") and "value" in step:
        return step, len(to_json(step["value"])) + path
    if step.get("op") == "copy" and isinstance(step.get("from"), str):
        copied = to_json(resolve_pointer(document, step["from"]))
        return {"op": "add", "path": step.get("path"), "value": from_json(copied)}, len(copied) + path
    return step, path if step.get("op") == "move" else 0


def _check_size(characters: int) -> None:
    if characters > MOST_CHARACTERS:
        raise BadEdit(f"the edit makes the variant larger than {MOST_CHARACTERS >> 20} million characters")


@dataclass(frozen=True)
class PreparedEdit:
    """An edit on revision `base`, worked out: the document before and after, and the patches between them."""

    base: int
    label: str
    before: Variant
    after: Variant
    document: dict[str, Any]
    patch: list[Any]
    inverse: list[Any]


def prepare_edit(variant: VariantRow, base: int, patch: list[dict[str, Any]], label: str) -> PreparedEdit:
    """Work out an edit made on revision `base`, without holding the database. Raises `StaleRevision` or `BadEdit`."""
    check_base(variant, base)
    after = patched(variant.document, patch)
    document = after.model_dump(mode="json")
    _check_size(len(to_json(document)))
    there, back = (jsonpatch.make_patch(*pair).patch for pair in _both_ways(variant.document, document))
    return PreparedEdit(base, label, variant_document(variant), after, document, there, back)


def _both_ways(before: Any, after: Any) -> tuple[tuple[Any, Any], tuple[Any, Any]]:
    return (before, after), (after, before)


def check_base(variant: VariantRow, base: int) -> None:
    """Raises `StaleRevision` where a variant is no longer at a revision."""
    if base != variant.head:
        raise StaleRevision(f"{variant.name!r} was changed elsewhere: it is at revision {variant.head}, not {base}")


def save_edit(session: Session, variant: VariantRow, edit: PreparedEdit) -> VariantRow:
    """Save a prepared edit. Raises `StaleRevision` where the variant has changed since; the caller commits."""
    check_base(variant, edit.base)
    if not edit.patch:
        return variant
    number = _newest(session, variant) + 1
    session.add(
        RevisionRow(
            variant_id=variant.id,
            number=number,
            parent=variant.head,
            label=edit.label,
            patch=edit.patch,
            inverse=edit.inverse,
        )
    )
    variant.document, variant.head = edit.document, number
    session.flush()
    return variant


def undo(session: Session, variant: VariantRow, base: int) -> VariantRow:
    """Back to the state before revision `base`, the current one. Raises `StaleRevision` where it is no longer that."""
    check_base(variant, base)
    current = _revision(session, variant, variant.head)
    if current is None:
        raise NothingToUndo(f"{variant.name!r} is as it was created: there is nothing to undo")
    variant.document = _applied(variant, variant.document, current.inverse, current.number)
    variant.head = current.parent
    session.flush()
    return variant


def redo(session: Session, variant: VariantRow, base: int) -> VariantRow:
    """Forward to the newest revision made on `base`, the current one. Raises as `undo`."""
    check_base(variant, base)
    following = _following(session, variant)
    if following is None:
        raise NothingToUndo(f"{variant.name!r} is at its newest state: there is nothing to redo")
    variant.document = _applied(variant, variant.document, following.patch, following.number)
    variant.head = following.number
    session.flush()
    return variant


def _applied(variant: VariantRow, document: dict[str, Any], patch: Any, number: int) -> dict[str, Any]:
    """A document after a stored patch. Raises `DamagedHistory`."""
    try:
        changed: dict[str, Any] = jsonpatch.apply_patch(document, patch)
        return changed
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError, KeyError, ValueError) as error:
        raise DamagedHistory(
            f"Revision {number} of {variant.name!r} is damaged: states beyond it cannot be reached. The current state "
            "is whole; go on from it."
        ) from error


def can_redo(session: Session, variant: VariantRow) -> bool:
    """Whether a revision was made on the current state."""
    return _following(session, variant) is not None


def history(session: Session, variant: VariantRow) -> Sequence[RevisionRow]:
    """All revisions, oldest first; those on other branches too, for nothing is ever lost."""
    of_variant = select(RevisionRow).where(RevisionRow.variant_id == variant.id)
    return session.scalars(of_variant.order_by(RevisionRow.number)).all()


def last_change(session: Session, variant: VariantRow) -> datetime | None:
    """When the newest edit of a variant was made; None where there is none."""
    return session.scalar(select(func.max(RevisionRow.created)).where(RevisionRow.variant_id == variant.id))


def state_at(session: Session, variant: VariantRow, number: int) -> Variant:
    """The variant as it was after revision `number`, on whatever branch; 0: as it was created.

    Raises `BadEdit` for a revision that is not there, `DamagedHistory` for one that cannot be reached.
    """
    revisions = {revision.number: revision for revision in history(session, variant)}
    if number and number not in revisions:
        raise BadEdit(f"{variant.name!r} has no revision {number}")
    document = variant.document
    back, there = _way_to(revisions, variant.head), _way_to(revisions, number)
    shared = set(back) & set(there)  # neither is walked farther than to where they part
    for step in back:
        if step not in shared:
            document = _applied(variant, document, revisions[step].inverse, step)
    for step in reversed(there):
        if step not in shared:
            document = _applied(variant, document, revisions[step].patch, step)
    return read_document(document, f"revision {number} of {variant.name!r}")


def prepare_restore(session: Session, variant: VariantRow, base: int, number: int) -> PreparedEdit:
    """An edit that makes the variant as it was after revision `number`; what came since stays in the history."""
    check_base(variant, base)
    before = state_at(session, variant, number).model_dump(mode="json")
    label = next((r.label for r in history(session, variant) if r.number == number), "As created")
    return prepare_edit(variant, base, [{"op": "replace", "path": "", "value": before}], f"Restored: {label}")


def branches_of(revisions: Sequence[RevisionRow], head: int) -> dict[int, Branch]:
    """The branch of each revision, by number: "" on the way to `head`, "undone" where redo leads, else "other"."""
    newest_child = {revision.parent: revision.number for revision in revisions}  # the oldest come first
    undone, number = set(), head
    while number in newest_child:
        number = newest_child[number]
        undone.add(number)
    straight = set(_way_to({revision.number: revision for revision in revisions}, head))
    numbers = [revision.number for revision in revisions]
    return {n: "" if n in straight else "undone" if n in undone else "other" for n in numbers}


def _way_to(revisions: Mapping[int, RevisionRow], number: int) -> list[int]:
    """From a revision back to the first."""
    way: list[int] = []
    while number in revisions:
        way.append(number)
        number = revisions[number].parent
    return way


def _newest(session: Session, variant: VariantRow) -> int:
    highest = select(func.max(RevisionRow.number)).where(RevisionRow.variant_id == variant.id)
    return session.scalar(highest) or 0


def _revision(session: Session, variant: VariantRow, number: int) -> RevisionRow | None:
    wanted = select(RevisionRow).where(RevisionRow.variant_id == variant.id, RevisionRow.number == number)
    return session.scalar(wanted)


def _following(session: Session, variant: VariantRow) -> RevisionRow | None:
    children = select(RevisionRow).where(RevisionRow.variant_id == variant.id, RevisionRow.parent == variant.head)
    return session.scalar(children.order_by(RevisionRow.number.desc()).limit(1))
