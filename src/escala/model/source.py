"""Source: how the files are read."""

from typing import Literal

from pydantic import Field, field_validator

from escala.core.roles import Portion, Role
from escala.core.source.repairs import REPAIRS

from .numbers import ONES, Number, Triple
from .render import Document


class PassReading(Document):
    """What a pass is, set manually: it replaces what was recognised."""

    role: Role
    light: str | None = Field(None, min_length=1, max_length=120)
    component: str | None = Field(None, min_length=1, max_length=120)
    part: Portion | None = None
    twin: Literal["noisy", "denoised"] | None = None


class PassRepair(Document):
    """A repair of a pass, by its name in REPAIRS. `factor`: for "scale"."""

    pass_name: str = Field(min_length=1)
    how: str
    factor: Triple = ONES

    @field_validator("how")
    @classmethod
    def _known(cls, how: str) -> str:
        if how not in REPAIRS:
            raise ValueError(f"no repair is named {how!r}; known are {', '.join(REPAIRS)}")
        return how


class Denoise(Document):
    """Passes without their noise. `passes` None: every colour pass that is summed; `strength` mixes."""

    on: bool = False
    passes: tuple[str, ...] | None = None
    strength: Number = Field(1.0, ge=0, le=1)


class RenderReading(Document):
    """How the files of a render are read: roles set manually, by pass; repairs in order; noisy or denoised twins.

    `alpha`: whether colour was multiplied by it in the file, or is to be taken as if all were solid.
    """

    roles: dict[str, PassReading] = Field(default_factory=dict)
    repairs: tuple[PassRepair, ...] = ()
    twin: Literal["noisy", "denoised"] | None = None
    denoise: Denoise = Field(default_factory=Denoise)
    alpha: Literal["associated", "unassociated", "ignored"] = "associated"

    @property
    def changes(self) -> bool:
        """Whether the render is not read as it was recognised."""
        edited = self.roles or self.repairs or self.twin or self.denoise.on
        return bool(edited) or self.alpha != "associated"


class SourceChoice(RenderReading):
    """How the first render is read. `frame_rate`: frames a second where the header is wrong or silent."""

    frame_rate: Number | None = Field(None, ge=1, le=240)
