"""Requests about uploads."""

from pydantic import Field

from ..query import Query


class CapacityQuery(Query):
    """How many bytes are going to be sent."""

    bytes: int = Field(ge=0, le=2**60)
