"""What requests and answers about mattes hold."""

from pydantic import BaseModel, Field

from escala.engine.mattes.objects import ObjectHit
from escala.engine.mattes.shelf import MAX_TILES, ObjectLayer, Shelf
from escala.model.numbers import Count

from ..schemas import Preview


class ShelfRequest(Preview):
    """Mattes in order of their names: so many, from the first on."""

    first: Count = 0
    count: int = Field(MAX_TILES, ge=1, le=MAX_TILES)


class ShelfOut(BaseModel):
    """Mattes of a variant."""

    shelf: Shelf


class LayersOut(BaseModel):
    """The cryptomatte layers of a frame, with their names."""

    layers: list[ObjectLayer]


class PointRequest(Preview):
    """A rectangle of pixels of the displayed picture, and the cryptomatte layer that is searched; all by default."""

    x: Count
    y: Count
    width: Count = Field(1, gt=0)
    height: Count = Field(1, gt=0)
    layer: str | None = None


class UnderOut(BaseModel):
    """What lies there, the nearest rank first, and the outline of the first, in pixels of the displayed picture."""

    found: list[ObjectHit]
    outline: list[list[list[float]]]


class OutlineRequest(Preview):
    """A matte of the variant."""

    name: str


class OutlineOut(BaseModel):
    """Closed lines around a matte where it covers half, in pixels of the displayed picture."""

    outline: list[list[list[float]]]
