"""Depth: how distances are read, and what air, aperture and shutter do to the picture."""

from typing import Annotated, Literal

from pydantic import Field, field_validator

from .numbers import Number, PositiveTriple, Triple
from .render import Document

Pair = tuple[Number, Number]
_GREY: Triple = (0.18, 0.18, 0.18)


class DepthReading(Document):
    """How the depth pass is read; what is None is as intake found it.

    Distance is the value times `scale`; "inverse": one over that; "unit": 0..1 between `near` and `far`, reversed when
    near > far.
    """

    pass_: str | None = Field(None, alias="pass")
    kind: Literal["planar", "ray", "inverse", "unit"] | None = None
    near: Number = 0.0
    far: Number = 1.0
    scale: Annotated[Number, Field(gt=0)] = 1.0


class Height(Document):
    """Haze that thins out above `base`: by e in each `thickness`. Scene units along `up`."""

    base: Number = 0.0
    thickness: Annotated[Number, Field(gt=0)]
    up: Triple = (0.0, 1.0, 0.0)


class Haze(Document):
    """Light that is lost over a distance, and what the air adds. `density`: per scene unit, from `start` on.

    `level`: stops on `colour`. `background`: where nothing is there is air too.
    """

    on: bool = False
    density: Number = Field(0.05, ge=0, le=1e4)
    start: Number = 0.0
    colour: PositiveTriple = _GREY
    level: Number = Field(0.0, ge=-16, le=16)
    height: Height | None = None
    background: bool = False
    matte: str | None = None

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.density > 0


class Defocus(Document):
    """A thin lens. `aperture`: the radius in pixels of the disc at infinity for a focus at one scene unit.

    `blades` 0: round; `turn`: of a corner of the others; `round`: how far their outline is mixed towards the disc.
    """

    on: bool = False
    focus: Annotated[Number, Field(gt=0)] = 1.0
    aperture: Number = Field(4.0, ge=0, le=4096)
    limit_px: Number = Field(64.0, ge=0, le=512)
    blades: int = Field(0, ge=0, le=11)
    turn: Number = 0.0
    round: Number = Field(0.0, ge=0, le=1)

    @field_validator("blades")
    @classmethod
    def _a_polygon(cls, blades: int) -> int:
        if blades not in (0, *range(5, 12)):
            raise ValueError(f"an opening is round, with 0 blades, or has 5 to 11, not {blades}")
        return blades

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.aperture > 0 and self.limit_px > 0


class Motion(Document):
    """An open shutter. `shutter`: in frames; `centre`: -1 for all before the frame's time, 1 for all after it.

    `scale`: on the vectors, -1 turns an axis.
    """

    on: bool = False
    pass_: str | None = Field(None, alias="pass")
    shutter: Number = Field(0.5, ge=0, le=4)
    centre: Number = Field(0.0, ge=-1, le=1)
    scale: Pair = (1.0, 1.0)

    @property
    def changes(self) -> bool:
        """Whether it changes anything."""
        return self.on and self.shutter > 0 and self.scale != (0.0, 0.0)


class Depth(Document):
    """Haze, then defocus, then motion, by distances as `reading` says."""

    reading: DepthReading = Field(default_factory=DepthReading)
    haze: Haze = Field(default_factory=Haze)
    defocus: Defocus = Field(default_factory=Defocus)
    motion: Motion = Field(default_factory=Motion)

    @property
    def changes(self) -> bool:
        """Whether any of them changes anything."""
        return self.haze.changes or self.defocus.changes or self.motion.changes
