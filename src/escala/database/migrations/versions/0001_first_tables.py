"""First tables: shot, variant, revision."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "shot",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("sources", sa.JSON, nullable=False),
        sa.Column("render", sa.JSON, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "variant",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shot.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "variant_id", sa.Integer, sa.ForeignKey("variant.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent", sa.Integer, nullable=False),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("patch", sa.JSON, nullable=False),
        sa.Column("inverse", sa.JSON, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("variant_id", "number", name="uq_revision_variant_id"),
    )


def downgrade() -> None:
    for table in ("revision", "variant", "shot"):
        op.drop_table(table)
