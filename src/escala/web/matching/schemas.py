"""What requests and answers about matching hold."""

from typing import Literal

from pydantic import BaseModel, Field

from escala.model.balance import Level
from escala.model.numbers import Count, Number, PositiveTriple

from ..schemas import Preview


class WishIn(BaseModel):
    """What a pinned place shall become: so many stops brighter, warmer (fewer kelvin), or another colour."""

    x: Count
    y: Count
    size: int = Field(5, ge=1, le=65)
    stops: Number = Field(0.0, ge=-16, le=16)
    kelvin: Number = Field(6500.0, ge=1667, le=25000)
    colour: PositiveTriple | None = None


class MatchRequest(Preview):
    """A reference picture that was uploaded, or wishes. `space`: of the picture, None: as its file says.

    `locked`: lights that keep their levels; `tints`: their colours are solved, too; `cells`: light × component.
    """

    picture: str | None = None
    space: str | None = None
    wishes: list[WishIn] = Field(default_factory=list, max_length=64)
    locked: list[str] = Field(default_factory=list)
    tints: bool = False
    cells: bool = False


class TintRequest(Preview):
    """A light or component, and the colour that it shall have: of an sRGB screen, 0..1."""

    axis: Literal["lights", "components"]
    name: str
    colour: PositiveTriple


class TintOut(BaseModel):
    """The tint of a level that gives that colour."""

    tint: tuple[float, float, float]


class MatchOut(BaseModel):
    """Levels by name of a table of the balance, and the root mean square difference before and with them."""

    table: Literal["lights", "cells"]
    levels: dict[str, Level]
    before: float
    after: float
    locked: list[str]
