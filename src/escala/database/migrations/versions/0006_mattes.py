"""Documents of version 2: recolourings by object become changes of surfaces limited by mattes, in all states."""

import json
from typing import Any

import jsonpatch
import sqlalchemy as sa
from alembic import op
from pydantic import ValidationError

from escala.database.set_aside import set_aside
from escala.model.migration import migrated
from escala.model.strict_json import to_json
from escala.model.variant import Variant

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Read every state of every variant as one of today; the steps between them are made anew."""
    connection = op.get_bind()
    variants = connection.execute(sa.text("SELECT id, head, document FROM variant")).all()
    for variant_id, head, text in variants:
        found = sa.text(
            "SELECT id, number, parent, patch, inverse FROM revision WHERE variant_id = :id ORDER BY number"
        )
        rows = connection.execute(found, {"id": variant_id}).all()
        try:
            before = _states(json.loads(text), head, rows)
        except _BROKEN as error:
            _begin_anew(connection, variant_id, text, rows, error)
        else:
            _rewrite(connection, variant_id, head, rows, before)


# What a stored document or patch that is damaged raises.
_BROKEN = (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, ValueError, KeyError, TypeError)


def _rewrite(
    connection: sa.Connection, variant_id: int, head: int, rows: Any, before: dict[int, dict[str, Any]]
) -> None:
    after = {number: _newer(document) for number, document in before.items()}
    connection.execute(
        sa.text("UPDATE variant SET document = :document WHERE id = :id"),
        {"document": to_json(after[head]), "id": variant_id},
    )
    for row in rows:
        old, new = after[row.parent], after[row.number]
        steps = {"patch": jsonpatch.make_patch(old, new).patch, "inverse": jsonpatch.make_patch(new, old).patch}
        connection.execute(
            sa.text("UPDATE revision SET patch = :patch, inverse = :inverse WHERE id = :id"),
            {name: to_json(patch) for name, patch in steps.items()} | {"id": row.id},
        )


def _begin_anew(connection: sa.Connection, variant_id: int, text: str, rows: Any, error: Exception) -> None:
    """Set a history aside that cannot be walked; the variant goes on from its document, or from a neutral one."""
    try:
        document = _newer(json.loads(text))
        Variant.model_validate(document)
    except (ValidationError, *_BROKEN):
        document = {}
    content = {"document": text, "revisions": [{name: str(value) for name, value in r._mapping.items()} for r in rows]}
    set_aside(connection, "variant", variant_id, f"its history is damaged ({error})", content)
    connection.execute(sa.text("DELETE FROM revision WHERE variant_id = :id"), {"id": variant_id})
    connection.execute(
        sa.text("UPDATE variant SET document = :document, head = 0 WHERE id = :id"),
        {"document": to_json(document), "id": variant_id},
    )


def downgrade() -> None:
    """An older version would not read them; it makes no sense of mattes."""


def _states(document: dict[str, Any], head: int, rows: Any) -> dict[int, dict[str, Any]]:
    """Every state of a variant, by the number of its revision; 0: as it was created."""
    by_number = {row.number: row for row in rows}
    states, number = {head: document}, head
    while number:
        row = by_number[number]
        states[row.parent] = jsonpatch.apply_patch(states[number], json.loads(row.inverse))
        number = row.parent
    for row in rows:  # a state comes after that which it was made on
        if row.number not in states:
            states[row.number] = jsonpatch.apply_patch(states[row.parent], json.loads(row.patch))
    return states


def _newer(document: dict[str, Any]) -> dict[str, Any]:
    """The document of today; one that nobody could read before either stays what it is."""
    try:
        return Variant.model_validate(migrated(document)).model_dump(mode="json")
    except ValidationError:
        return document
