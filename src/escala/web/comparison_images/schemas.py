"""Answers about images to compare with."""

from pydantic import BaseModel


class ComparisonImageOut(BaseModel):
    """A picture that was imported for comparing."""

    picture: str
    title: str
