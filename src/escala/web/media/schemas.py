"""Requests and answers about files below the media roots."""

from pydantic import BaseModel

from ..query import Query


class MediaQuery(Query):
    """A folder under a media root; empty: the roots themselves."""

    folder: str = ""


class MediaEntry(BaseModel):
    """A folder or picture file under a media root."""

    name: str
    path: str
    folder: bool


class MediaOut(BaseModel):
    """What a folder holds."""

    folder: str
    entries: list[MediaEntry]
