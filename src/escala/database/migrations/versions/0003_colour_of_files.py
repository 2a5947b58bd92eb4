"""What each file says of its colour is kept by pass; the input space that was read from it goes there."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Move the space of each render to its passes."""
    connection = op.get_bind()
    for shot_id, text in connection.execute(sa.text("SELECT id, render FROM shot")).all():
        render = json.loads(text)
        space = render.pop("input_space", None)
        encoded = "whole numbers" in render.pop("input_space_reason", "")
        for entry in render.get("passes", []):
            entry["colour"] = {"told": space, "encoded": encoded}
        _keep(connection, shot_id, render)


def downgrade() -> None:
    """Take the space of the first pass for the render."""
    connection = op.get_bind()
    for shot_id, text in connection.execute(sa.text("SELECT id, render FROM shot")).all():
        render = json.loads(text)
        colours = [entry.pop("colour") for entry in render.get("passes", [])]
        render["input_space"] = next((colour["told"] for colour in colours if colour["told"]), "Linear Rec.709 (sRGB)")
        render["input_space_reason"] = "as before"
        _keep(connection, shot_id, render)


def _keep(connection: sa.Connection, shot_id: int, render: dict[str, object]) -> None:
    statement = sa.text("UPDATE shot SET render = :render WHERE id = :id")
    connection.execute(statement, {"render": json.dumps(render), "id": shot_id})
