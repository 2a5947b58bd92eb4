"""What requests and answers about deliveries hold."""

from typing import Literal

from pydantic import BaseModel, Field

from escala.model.delivery_preset import DeliveryFile
from escala.model.numbers import Count, Id

PresetWords = Field(min_length=1, max_length=120)


class NewDelivery(BaseModel):
    """What to write: files, of all frames or of some, by so many processes. `name`: what it is called in the list."""

    files: list[DeliveryFile] = Field(min_length=1, max_length=100)
    frames: list[Count] = Field(default_factory=list, max_length=20000)
    workers: int = Field(1, ge=1, le=64)
    name: str = Field("", max_length=200)


class WrittenFile(BaseModel):
    """A delivered file and its address."""

    name: str
    address: str


class FrameFault(BaseModel):
    """Why a frame could not be written."""

    number: Count
    error: str


class DeliveryOut(BaseModel):
    """A delivery: how it stands, its frames with those that are done or failed, and files that are there whole.

    `files`: up to a hundred of them; all are in `folder`. `stills`: whether each frame has files of its own. `job`: the
    work that is under way for it. `can_resume`: whether what is left can be written.
    """

    id: Id
    name: str
    state: Literal["running", "done", "failed", "cancelled", "interrupted", "paused"]
    error: str | None
    created: str
    frames: list[Count]
    done: list[Count]
    failed: list[FrameFault]
    stills: bool
    workers: int
    revision: Count
    can_resume: bool
    job: Id | None
    folder: str
    files: list[WrittenFile]


class DeliveryList(BaseModel):
    """The newest deliveries of a variant, the newest first."""

    deliveries: list[DeliveryOut]


class DeliveryFinding(BaseModel):
    """A sentence about what is going to be written. `clips`: it is about pixels that are clipped."""

    level: Literal["ok", "warning", "error"]
    text: str
    clips: bool


class DeliveryCheck(BaseModel):
    """What is found before anything is written, and how many files there will be (0 where it cannot be)."""

    findings: list[DeliveryFinding]
    files: int


class DeliveryPath(BaseModel):
    """A delivery in an address."""

    delivery_id: Id


class FilePath(BaseModel):
    """A delivered file in an address."""

    folder: str
    name: str


class DeliveryPresetName(BaseModel):
    """The name of a preset; any signs may stand in it, so it is no part of an address."""

    name: str = PresetWords


class DeliveryPresetKept(DeliveryPresetName):
    """Files to keep under a name."""

    files: list[DeliveryFile] = Field(min_length=1, max_length=100)


class DeliveryPresetOut(BaseModel):
    """Files under a name. `shipped`: part of the application; it cannot be removed."""

    name: str
    shipped: bool
    files: list[DeliveryFile]


class DeliveryPresets(BaseModel):
    """The shipped presets, then one's own by their names."""

    presets: list[DeliveryPresetOut]
