"""Deliveries; and an index by which the revision after another is found at once."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Make table and index."""
    op.create_table(
        "delivery",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("variant_id", sa.Integer, sa.ForeignKey("variant.id", ondelete="CASCADE"), nullable=False),
        sa.Column("folder", sa.String, nullable=False),
        sa.Column("wanted", sa.JSON, nullable=False),
        sa.Column("frames", sa.Integer, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("process", sa.String, nullable=False),
        sa.Column("error", sa.String, nullable=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_delivery_variant_id", "delivery", ["variant_id"])
    op.create_index("ix_revision_variant_id_parent", "revision", ["variant_id", "parent", "number"])


def downgrade() -> None:
    """Drop both."""
    op.drop_index("ix_revision_variant_id_parent", "revision")
    op.drop_table("delivery")
