"""Edits as revisions: each a JSON Patch (RFC 6902) on the state it was made on; undo and redo move along them."""

from collections.abc import Mapping, Sequence
from typing import Any

import jsonpatch
from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from escala.core.errors import EscalaError
from escala.media.places import printable
from escala.model.entries import by_index
from escala.model.strict_json import to_json
from escala.model.variant import Variant

from .tables import RevisionRow, VariantRow

# A gesture is a few steps; a document of thousands of names has about a hundred thousand signs.
_MOST_STEPS, _MOST_SIGNS = 1000, 4 << 20


class StaleRevision(EscalaError, ValueError):
    """An edit made on a state that is no longer the newest."""


class BadEdit(EscalaError, ValueError):
    """An edit that does not fit the variant or makes it invalid."""


class NothingToUndo(EscalaError, ValueError):
    """There is no revision in that direction."""


def patched(document: dict[str, Any], patch: list[dict[str, Any]]) -> Variant:
    """The variant after a patch, without keeping it; raises `BadEdit`, also for one that would make it huge."""
    if len(patch) > _MOST_STEPS:
        raise BadEdit(f"the edit has {len(patch)} steps; {_MOST_STEPS} are the most")
    try:
        # As it is read today: a document kept by an older version may lack parts that have come since.
        changed = Variant.model_validate(document).model_dump(mode="json")
        for step in patch:
            named = {key: by_index(changed, step[key]) for key in ("path", "from") if isinstance(step.get(key), str)}
            changed = jsonpatch.apply_patch(changed, [{**step, **named}], in_place=True)
            if len(to_json(changed)) > _MOST_SIGNS:
                raise BadEdit(f"the edit makes the variant larger than {_MOST_SIGNS >> 20} million signs")
        return Variant.model_validate(changed)
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError, KeyError) as error:
        reason = error.args[0] if isinstance(error, KeyError) and error.args else error
        raise BadEdit(f"the edit does not fit the variant: {printable(reason)}") from error
    except RecursionError as error:
        raise BadEdit("the edit is nested too deeply") from error
    except ValidationError as error:
        first = error.errors()[0]
        place = " ".join(str(step) for step in first["loc"])
        raise BadEdit(f"{printable(place)}: {printable(first['msg'])}") from error


def edit_variant(
    session: Session, variant: VariantRow, base: int, patch: list[dict[str, Any]], label: str
) -> VariantRow:
    """Apply an edit made on revision `base`. Raises `StaleRevision` or `BadEdit`; the caller commits."""
    if base != variant.head:
        raise StaleRevision(f"{variant.name!r} was changed elsewhere: it is at revision {variant.head}, not {base}")
    after = patched(variant.document, patch).model_dump(mode="json")
    if after == variant.document:
        return variant
    number = _newest(session, variant) + 1
    session.add(
        RevisionRow(
            variant_id=variant.id,
            number=number,
            parent=variant.head,
            label=label,
            patch=jsonpatch.make_patch(variant.document, after).patch,
            inverse=jsonpatch.make_patch(after, variant.document).patch,
        )
    )
    variant.document, variant.head = after, number
    session.flush()
    return variant


def undo(session: Session, variant: VariantRow) -> VariantRow:
    """Back to the state before the current revision."""
    current = _revision(session, variant, variant.head)
    if current is None:
        raise NothingToUndo(f"{variant.name!r} is as it was created: there is nothing to undo")
    variant.document = jsonpatch.apply_patch(variant.document, current.inverse)
    variant.head = current.parent
    session.flush()
    return variant


def redo(session: Session, variant: VariantRow) -> VariantRow:
    """Forward to the newest revision made on the current state."""
    following = _following(session, variant)
    if following is None:
        raise NothingToUndo(f"{variant.name!r} is at its newest state: there is nothing to redo")
    variant.document = jsonpatch.apply_patch(variant.document, following.patch)
    variant.head = following.number
    session.flush()
    return variant


def can_redo(session: Session, variant: VariantRow) -> bool:
    """Whether a revision was made on the current state."""
    return _following(session, variant) is not None


def history(session: Session, variant: VariantRow) -> Sequence[RevisionRow]:
    """All revisions, oldest first; those on other branches too, for nothing is ever lost."""
    of_variant = select(RevisionRow).where(RevisionRow.variant_id == variant.id)
    return session.scalars(of_variant.order_by(RevisionRow.number)).all()


def state_at(session: Session, variant: VariantRow, number: int) -> Variant:
    """The variant as it was after revision `number`, on whatever branch; 0: as it was created."""
    revisions = {revision.number: revision for revision in history(session, variant)}
    if number and number not in revisions:
        raise BadEdit(f"{variant.name!r} has no revision {number}")
    document = variant.document
    for step in _way_to(revisions, variant.head):
        document = jsonpatch.apply_patch(document, revisions[step].inverse)
    for step in reversed(_way_to(revisions, number)):
        document = jsonpatch.apply_patch(document, revisions[step].patch)
    return Variant.model_validate(document)


def bring_back(session: Session, variant: VariantRow, number: int) -> VariantRow:
    """An edit that makes the variant as it was after revision `number`; what came since stays in the history."""
    before = state_at(session, variant, number).model_dump(mode="json")
    label = next((r.label for r in history(session, variant) if r.number == number), "As created")
    return edit_variant(
        session, variant, variant.head, [{"op": "replace", "path": "", "value": before}], f"Back to: {label}"
    )


def on_the_way(revisions: Sequence[RevisionRow], head: int) -> set[int]:
    """The revisions that lead to the present state."""
    return set(_way_to({revision.number: revision for revision in revisions}, head))


def _way_to(revisions: Mapping[int, RevisionRow], number: int) -> list[int]:
    """From a revision back to the first."""
    way = []
    while number:
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
