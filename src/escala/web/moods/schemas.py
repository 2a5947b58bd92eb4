"""What requests and answers about moods hold."""

from datetime import datetime

from pydantic import BaseModel, Field

from escala.model.differences import Difference
from escala.model.numbers import Id


class Mood(BaseModel):
    """A variant beside another: when it changed last, and what it has otherwise."""

    id: int
    name: str
    head: int
    changed: datetime | None
    differences: list[Difference]


class MoodsOut(BaseModel):
    """All variants of the shot of a variant, in their order."""

    moods: list[Mood]


class BalanceTargets(BaseModel):
    """Shots that get a variant with the balance of another, or with a balance preset."""

    shots: list[Id] = Field(min_length=1, max_length=200)
    preset: str | None = Field(None, min_length=1, max_length=120)


class BalanceReport(BaseModel):
    """What became of a balance on a shot: names that were found, that are unresolved, and that it does not give."""

    shot: int
    name: str
    variant: int
    matched: list[str]
    waiting: list[str]
    untouched: list[str]


class BalanceReports(BaseModel):
    """Of each shot that got a balance."""

    reports: list[BalanceReport]
