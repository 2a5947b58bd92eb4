"""Shares: made, listed and withdrawn by those who work on the shot."""

from typing import Any

from escala.database.shares import add_share, all_shares, share_facts, withdraw_share

from ..app_context import app_context
from ..routing import Routes
from .schemas import NewShare, ShareList, ShareMade, SharePath

routes = Routes("shares", __name__, url_prefix="/api/shares")


@routes.post("", responses={201: ShareMade})
def post_share(body: NewShare) -> tuple[dict[str, Any], int]:
    """Share variants of one shot behind a token of their own."""
    context = app_context()
    with context.database.writing() as session:
        row, token = add_share(session, body.variants, body.name, body.follow)
        made = {"id": row.id, "token": token, "path": f"/share/{token}"}
    context.events.publish("shares")
    return made, 201


@routes.get("", responses={200: ShareList})
def list_shares() -> dict[str, Any]:
    """All shares, the newest first."""
    with app_context().database.reading() as session:
        return {"shares": [share_facts(row) for row in all_shares(session)]}


@routes.delete("/<int:share_id>")
def delete_share(path: SharePath) -> tuple[str, int]:
    """Withdraw a share at once; its page says so."""
    context = app_context()
    with context.database.writing() as session:
        withdraw_share(session, path.share_id)
    context.events.publish("shares")
    return "", 204
