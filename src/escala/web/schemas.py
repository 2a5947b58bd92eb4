"""What requests and answers of several resources hold."""

from copy import deepcopy
from functools import lru_cache
from typing import Any, Literal

from pydantic import BaseModel, Field

from escala.model.numbers import Count, Id

Patch = list[dict[str, Any]]


class LargeSchema(BaseModel):
    """The base of what several routes answer and whose description takes long to make: it is made once."""

    @classmethod
    def model_json_schema(cls, *arguments: Any, **how: Any) -> dict[str, Any]:
        """As pydantic's; a copy of its own for each caller."""
        return deepcopy(cls._json_schema(arguments, tuple(sorted(how.items()))))

    @classmethod
    @lru_cache(maxsize=16)
    def _json_schema(cls, arguments: tuple[Any, ...], how: tuple[tuple[str, Any], ...]) -> dict[str, Any]:
        return super().model_json_schema(*arguments, **dict(how))


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
