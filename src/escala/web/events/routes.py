"""Events after a cursor, polled by pages."""

from typing import Any

from ..app_context import app_context
from ..routing import Routes
from .schemas import EventQuery, EventsOut

routes = Routes("events", __name__, url_prefix="/api")


@routes.get("/events", responses={200: EventsOut})
def get_events(query: EventQuery) -> dict[str, Any]:
    """What happened after a mark; the shot that is shown is watched meanwhile."""
    context = app_context()
    if query.shot is not None:
        context.look_at(query.shot)
    mark, events, missed = context.events.since(query.after)
    return {"mark": mark, "events": events, "missed": missed}
