"""What requests and answers of several resources hold."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from escala.model.numbers import Count, Id

Patch = list[dict[str, Any]]


class ShotPath(BaseModel):
    """A shot in an address."""

    shot_id: Id


class VariantPath(BaseModel):
    """A variant in an address."""

    variant_id: Id


class JobPath(BaseModel):
    """A job in an address."""

    job_id: Id


class Preview(BaseModel):
    """An edit under way: applied for the answer, not kept. `base`: the revision it is applied to; None: the newest.

    A request and the save of its edit may pass each other: without `base` the edit would then be applied twice.
    """

    base: Count | None = None
    patch: Patch = Field(default_factory=list)
    frame: Count | None = None


class Region(BaseModel):
    """Columns and rows of the displayed picture."""

    x: Count
    y: Count
    width: Count = Field(gt=0)
    height: Count = Field(gt=0)


class JobOut(BaseModel):
    """How long work stands. `seconds_left` is an estimate; `viewer`: whose picture is made, if it is one."""

    id: Id
    what: str
    viewer: str
    state: Literal["running", "done", "failed", "cancelled"]
    share: float
    doing: str
    error: str | None
    error_kind: str | None
    result: dict[str, Any] | None
    seconds_left: float | None
