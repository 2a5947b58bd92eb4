"""Balance presets: levels kept under a name."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "balance_preset",
        sa.Column("name", sa.String, nullable=False),
        sa.Column("preset", sa.JSON, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("name", name="pk_balance_preset"),
    )


def downgrade() -> None:
    """Drop it."""
    op.drop_table("balance_preset")
