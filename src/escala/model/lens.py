"""Lens: what glass and film do, in the order in which light meets them. Lengths in pixels of the full render."""

from collections.abc import Iterator
from typing import Annotated

from pydantic import Field, field_validator

from .numbers import ONES, Number, Triple
from .render import Document

Place = tuple[Number, Number]
Strength = Annotated[Number, Field(ge=0, le=16)]
Coefficient = Annotated[Number, Field(ge=-1, le=1)]


class LensEffect(Document):
    """One thing that a lens does."""

    on: bool = False


class Distortion(LensEffect):
    """Content at r comes to `r · (1 + k1·r² + k2·r⁴)`; r = 1 at the corner farthest from the centre.

    `centre` None: the middle of the frame. `fill`: edge pixels are carried on where nothing would be.
    """

    k1: Coefficient = 0.0
    k2: Coefficient = 0.0
    centre: Place | None = None
    fill: bool = True

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and (self.k1 != 0 or self.k2 != 0)


class Aberration(LensEffect):
    """Red outwards and blue inwards by `shift_px · r²`."""

    shift_px: Number = Field(0.0, ge=-64, le=64)

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.shift_px != 0


class Flare(LensEffect):
    """Light over a threshold, in stops over 0.18, that is spread; `matte`: of what of the picture."""

    amount: Strength = 0.2
    matte: str | None = None

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.amount > 0


class Glow(Flare):
    """By five Gaussians of sigmas `size_px · 2⁻ⁱ`."""

    threshold: Number = Field(0.0, ge=-16, le=16)
    size_px: Number = Field(64.0, ge=1, le=4096)
    tint: Triple = ONES

    @field_validator("tint")
    @classmethod
    def _no_negative_light(cls, tint: Triple) -> Triple:
        if min(tint) < 0 or max(tint) <= 0:
            raise ValueError(f"a tint has values from 0 on, not all 0, not {tint}")
        return tint


class Glare(Flare):
    """Along rays, one of them at `turn` degrees."""

    threshold: Number = Field(2.0, ge=-16, le=16)
    streaks: int = Field(4, ge=1, le=16)
    length_px: Number = Field(128.0, ge=1, le=4096)
    turn: Number = 0.0
    soft_px: Number = Field(2.0, ge=0, le=256)


class Dirt(LensEffect):
    """Glow and glare where a picture says that the glass is dirty: times `1 + amount · picture`."""

    picture: Annotated[str, Field(min_length=1, max_length=4096)] | None = None
    amount: Strength = 1.0

    @property
    def changes(self) -> bool:
        """Whether it changes anything where something glows."""
        return self.on and self.amount > 0 and self.picture is not None


class Vignette(LensEffect):
    """Gain by the distance from a place. `size` in half diagonals; `roundness`: 1 a circle, 0 the frame's ellipse."""

    stops: Number = Field(-1.0, ge=-16, le=16)
    centre: Place | None = None
    size: Number = Field(1.0, gt=0, le=16)
    roundness: Number = Field(0.5, ge=0, le=1)
    soft: Number = Field(0.5, ge=0, le=1)
    matte: str | None = None

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.stops != 0


class Grain(LensEffect):
    """Noise in stops. `response`: how much calmer the lights are."""

    amount: Number = Field(0.1, ge=0, le=4)
    size_px: Number = Field(1.5, ge=0.5, le=16)
    seed: int = Field(0, ge=0, le=2**53)
    response: Number = Field(0.5, ge=0, le=1)
    matte: str | None = None

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.amount > 0


class Lens(Document):
    """The effects, in order."""

    distortion: Distortion = Field(default_factory=Distortion)
    aberration: Aberration = Field(default_factory=Aberration)
    glow: Glow = Field(default_factory=Glow)
    glare: Glare = Field(default_factory=Glare)
    dirt: Dirt = Field(default_factory=Dirt)
    vignette: Vignette = Field(default_factory=Vignette)
    grain: Grain = Field(default_factory=Grain)

    @property
    def changing(self) -> tuple[str, ...]:
        """The names of those that change the picture."""
        light = ("distortion", "aberration", "glow", "glare", "vignette", "grain")
        return tuple(name for name in light if getattr(self, name).changes)

    @property
    def mattes(self) -> Iterator[tuple[str, str]]:
        """What is limited by a matte: the effect, and the matte's name."""
        for name in ("glow", "glare", "vignette", "grain"):
            matte = getattr(self, name).matte
            if matte is not None:
                yield name, matte
