"""Naming rules."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "naming_rule",
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("reading", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("name", name="pk_naming_rule"),
    )


def downgrade() -> None:
    """Drop it."""
    op.drop_table("naming_rule")
