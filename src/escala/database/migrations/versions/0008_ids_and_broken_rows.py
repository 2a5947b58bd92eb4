"""Ids that are never given again, deleted variants that can be restored, and rows that are set aside."""

import json
import re

import sqlalchemy as sa
from alembic import op

from escala.database.set_aside import create_table
from escala.model.strict_json import to_json

revision = "0008"
down_revision = "0007"

_KINDS = {
    "distance along the axis": "planar", "distance from the eye": "ray", "one over distance": "inverse",
    "0 to 1 between two distances": "unit",
}  # fmt: skip
_HOLDS = re.compile(f"; it holds ({'|'.join(_KINDS)}): (.*)", re.DOTALL)


def upgrade() -> None:
    """Make the tables anew whose ids count on; rows are copied meanwhile, for they would go with their parents."""
    connection = op.get_bind()
    create_table(connection)
    columns = {column["name"] for column in sa.inspect(connection).get_columns("variant")}
    if "deleted" not in columns:
        op.add_column("variant", sa.Column("deleted", sa.Boolean, nullable=False, server_default="0"))
    tables = ("delivery", "revision", "variant", "shot")
    for table in tables:
        connection.execute(sa.text(f"CREATE TEMP TABLE kept_{table} AS SELECT * FROM {table}"))
    for table in tables:
        connection.execute(sa.text(f"DELETE FROM {table}"))
    for table in ("variant", "shot"):
        with op.batch_alter_table(table, recreate="always", table_kwargs={"sqlite_autoincrement": True}):
            pass
    for table in reversed(tables):
        names = ", ".join(f'"{c["name"]}"' for c in sa.inspect(connection).get_columns(table))
        connection.execute(sa.text(f"INSERT INTO {table} ({names}) SELECT {names} FROM kept_{table}"))
        connection.execute(sa.text(f"DROP TABLE kept_{table}"))
    _store_kinds_of_depth(connection)


def downgrade() -> None:
    """Forget what was set aside, and that variants were deleted; ids go on counting."""
    op.drop_table("set_aside")
    with op.batch_alter_table("variant") as variant:
        variant.drop_column("deleted")


def _store_kinds_of_depth(connection: sa.Connection) -> None:
    """The kind of a depth pass was stored in its reason only, and found again for every frame."""
    for shot_id, text in connection.execute(sa.text("SELECT id, render FROM shot")).all():
        try:
            render = json.loads(text)
            for entry in render.get("passes", ()):
                found = _HOLDS.search(entry.get("reason", ""))
                if entry.get("role") == "depth" and found and not entry.get("depth"):
                    entry["depth"] = {"kind": _KINDS[found[1]], "reason": found[2]}
        except (ValueError, AttributeError, TypeError):
            continue
        connection.execute(
            sa.text("UPDATE shot SET render = :render WHERE id = :id"), {"render": to_json(render), "id": shot_id}
        )
