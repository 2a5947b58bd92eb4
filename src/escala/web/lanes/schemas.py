"""What requests and answers about lanes hold."""

from pydantic import BaseModel, Field

from escala.model.curves import KeysCurve
from escala.model.lanes import Lane, MovableField

from ..schemas import Preview


class LanesOut(BaseModel):
    """The curves of a variant. `frames`: at which their values are; `movable`: what else could move."""

    lanes: list[Lane]
    frames: list[float]
    movable: list[MovableField]


class KeysRequest(Preview):
    """A curve to be converted to keys."""

    pointer: str = Field(min_length=1, max_length=1000)


class KeysOut(BaseModel):
    """Keys that give the same values at every frame."""

    curve: KeysCurve
