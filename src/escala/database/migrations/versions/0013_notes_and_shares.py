"""Notes on variants with their answers, and shares of variants."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    """Add the tables; ids of deleted rows are never given again."""
    op.create_table(
        "note",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("shot_id", sa.Integer, nullable=False),
        sa.Column("variant_id", sa.Integer, nullable=False),
        sa.Column("variant_name", sa.String, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("frame", sa.Integer, nullable=False),
        sa.Column("place", sa.JSON, nullable=False),
        sa.Column("text", sa.String, nullable=False),
        sa.Column("author", sa.String, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("changed", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["shot_id"], ["shot.id"], name="fk_note_shot_id_shot", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_note"),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_note_shot_id", "note", ["shot_id"])
    op.create_table(
        "answer",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("note_id", sa.Integer, nullable=False),
        sa.Column("text", sa.String, nullable=False),
        sa.Column("author", sa.String, nullable=False),
        sa.Column("variant_id", sa.Integer),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["note_id"], ["note.id"], name="fk_answer_note_id_note", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_answer"),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_answer_note_id", "answer", ["note_id"])
    op.create_table(
        "share",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("token", sa.String, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("shot_id", sa.Integer, nullable=False),
        sa.Column("revisions", sa.JSON, nullable=False),
        sa.Column("follow", sa.Boolean, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("last_used", sa.DateTime(timezone=True)),
        sa.Column("withdrawn", sa.DateTime(timezone=True)),
        sa.ForeignKeyConstraint(["shot_id"], ["shot.id"], name="fk_share_shot_id_shot", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_share"),
        sa.UniqueConstraint("token", name="uq_share_token"),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    """Drop them."""
    for table in ("answer", "note", "share"):
        op.drop_table(table)
