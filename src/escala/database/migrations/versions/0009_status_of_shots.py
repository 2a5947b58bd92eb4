"""The place of a shot becomes its status; deliveries that were broken off are interrupted."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"

_STATUS = {"table": "active", "aside": "archived"}


def upgrade() -> None:
    """Rename the column and its values."""
    op.execute("ALTER TABLE shot RENAME COLUMN place TO status")
    _rename("shot", "status", _STATUS)
    _rename("delivery", "state", {"broken off": "interrupted"})


def downgrade() -> None:
    """Rename them back."""
    _rename("delivery", "state", {"interrupted": "broken off"})
    _rename("shot", "status", {new: old for old, new in _STATUS.items()})
    op.execute("ALTER TABLE shot RENAME COLUMN status TO place")


def _rename(table: str, column: str, values: dict[str, str]) -> None:
    connection = op.get_bind()
    for old, new in values.items():
        connection.execute(
            sa.text(f"UPDATE {table} SET {column} = :new WHERE {column} = :old"), {"old": old, "new": new}
        )
