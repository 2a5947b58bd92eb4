"""Shots are put aside, or deleted so that it can be undone."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """All shots are on the table."""
    op.add_column("shot", sa.Column("place", sa.String, nullable=False, server_default="table"))


def downgrade() -> None:
    """Forget where they were."""
    op.drop_column("shot", "place")
