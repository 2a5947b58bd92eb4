"""Presets of corrections."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "preset",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("corrections", sa.JSON, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    """Drop it."""
    op.drop_table("preset")
