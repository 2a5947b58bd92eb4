"""How each frame of a delivery ended, and delivery presets of one's own."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    """Add both tables; earlier deliveries have no frames in them, and cannot be resumed."""
    op.create_table(
        "delivery_frame",
        sa.Column("delivery_id", sa.Integer, nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("error", sa.String),
        sa.ForeignKeyConstraint(
            ["delivery_id"], ["delivery.id"], name="fk_delivery_frame_delivery_id_delivery", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("delivery_id", "number", name="pk_delivery_frame"),
    )
    op.create_table(
        "delivery_preset",
        sa.Column("name", sa.String, nullable=False),
        sa.Column("files", sa.JSON, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("name", name="pk_delivery_preset"),
    )


def downgrade() -> None:
    """Drop both."""
    op.drop_table("delivery_frame")
    op.drop_table("delivery_preset")
