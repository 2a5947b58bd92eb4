"""Requests and answers about events."""

from typing import Any

from pydantic import BaseModel, Field

from escala.model.numbers import Id

from ..query import Query


class EventQuery(Query):
    """`after`: the mark of the last answer, empty at first. `shot`: the one that the page shows."""

    after: str = Field("", max_length=40)
    shot: Id | None = None


class EventsOut(BaseModel):
    """What happened after a mark, and the new mark. `missed`: some of it is no longer known; look at everything."""

    mark: str
    missed: bool
    events: list[dict[str, Any]]
