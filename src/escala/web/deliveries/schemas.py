"""What requests and answers about deliveries and events hold."""

from typing import Literal

from pydantic import BaseModel, Field

from escala.model.numbers import Count, Id


class NewDelivery(BaseModel):
    """What to write: frames (all when empty), scene-linear EXR or pixels of the view."""

    format: Literal["exr", "png", "tif", "jpg"] = "exr"
    space: str | None = None
    pixel_type: Literal["half", "float"] = "half"
    bits: Literal[8, 16] = 16
    frames: list[Count] = Field(default_factory=list, max_length=20000)


class DeliveryFile(BaseModel):
    """A delivered file and its address."""

    name: str
    address: str


class DeliveryOut(BaseModel):
    """A delivery: how it stands, and the files that are there whole."""

    id: Id
    state: Literal["running", "done", "failed", "cancelled", "interrupted"]
    error: str | None
    created: str
    frames: Count
    folder: str
    files: list[DeliveryFile]


class DeliveryList(BaseModel):
    """The newest deliveries of a variant, the newest first."""

    deliveries: list[DeliveryOut]
