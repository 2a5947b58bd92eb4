"""Each render of a shot is a row: what stood in the shot becomes the first."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    """Make the table, move the renders into it, and drop their columns."""
    op.create_table(
        "render",
        sa.Column("id", sa.Integer, nullable=False),
        sa.Column("shot_id", sa.Integer, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("sources", sa.JSON, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_render"),
        sa.ForeignKeyConstraint(["shot_id"], ["shot.id"], name="fk_render_shot_id_shot", ondelete="CASCADE"),
        sa.UniqueConstraint("shot_id", "name", name="uq_render_shot_id"),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_render_shot_id", "render", ["shot_id"])
    op.execute(
        "INSERT INTO render (shot_id, position, name, sources, document) SELECT id, 0, '', sources, render FROM shot"
    )
    op.execute("ALTER TABLE shot DROP COLUMN sources")
    op.execute("ALTER TABLE shot DROP COLUMN render")


def downgrade() -> None:
    """Move the first renders back; further ones go."""
    op.execute("ALTER TABLE shot ADD COLUMN sources JSON NOT NULL DEFAULT '[]'")
    op.execute("ALTER TABLE shot ADD COLUMN render JSON NOT NULL DEFAULT '{}'")
    op.execute(
        "UPDATE shot SET (sources, render) = "
        "(SELECT sources, document FROM render WHERE shot_id = shot.id AND position = 0)"
    )
    op.drop_table("render")
