"""What people call the lights of a shot."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    """Add the names; no light has one yet."""
    op.add_column("shot", sa.Column("light_names", sa.JSON, nullable=False, server_default="{}"))


def downgrade() -> None:
    """Drop them."""
    op.execute("ALTER TABLE shot DROP COLUMN light_names")
