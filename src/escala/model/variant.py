"""A variant: everything decided on a shot, along the path. Neutral by default, so an empty one is the beauty."""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field, field_validator

from escala.core.colour import BUILTIN_CONFIGS

from .render import Document

Triple = tuple[float, float, float]
ONES: Triple = (1.0, 1.0, 1.0)
ZEROS: Triple = (0.0, 0.0, 0.0)


class Level(Document):
    """What is done to one light, component or cell."""

    stops: float = Field(0.0, ge=-16, le=16)
    multiplier: float = Field(1.0, ge=0, le=65504)
    tint: Triple = ONES
    kelvin: float = Field(6500.0, ge=1667, le=25000)
    mute: bool = False
    solo: bool = False

    @field_validator("tint")
    @classmethod
    def _no_negative_light(cls, tint: Triple) -> Triple:
        if min(tint) < 0 or max(tint) > 1000:
            raise ValueError(f"a tint has three values from 0 to 1000, not {tint}")
        return tint

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing by itself."""
        return self == NEUTRAL_LEVEL


NEUTRAL_LEVEL = Level()


class Balance(Document):
    """Levels by light, by component, and by cell (`light/component`). What is not named is neutral."""

    lights: dict[str, Level] = Field(default_factory=dict)
    components: dict[str, Level] = Field(default_factory=dict)
    cells: dict[str, Level] = Field(default_factory=dict)

    @property
    def changes(self) -> int:
        """How many levels are not neutral."""
        return sum(
            1 for table in (self.lights, self.components, self.cells) for le in table.values() if not le.is_neutral
        )


class ColourChoice(Document):
    """Config and spaces. None: what the render's files say, and the config's own working space."""

    config: str = "ACES 2"
    input_space: str | None = None
    working_space: str | None = None

    @field_validator("config")
    @classmethod
    def _named(cls, config: str) -> str:
        if not config:
            raise ValueError(f"a config is a path or one of {', '.join(BUILTIN_CONFIGS)}")
        return config


class DisplayChoice(Document):
    """Display and view; None: the config's default."""

    display: str | None = None
    view: str | None = None


class ExposureCorrection(Document):
    """Stops on the whole."""

    kind: Literal["exposure"] = "exposure"
    stops: float = Field(0.0, ge=-16, le=16)
    on: bool = True
    opacity: float = Field(1.0, ge=0, le=1)


class CdlCorrection(Document):
    """ASC CDL: slope, offset, power, saturation."""

    kind: Literal["cdl"] = "cdl"
    slope: Triple = ONES
    offset: Triple = ZEROS
    power: Triple = ONES
    saturation: float = Field(1.0, ge=0, le=16)
    clamp: bool = False
    on: bool = True
    opacity: float = Field(1.0, ge=0, le=1)

    @field_validator("slope", "power")
    @classmethod
    def _positive(cls, values: Triple) -> Triple:
        if min(values) < 0:
            raise ValueError(f"slope and power are 0 or more, not {values}")
        return values


class LutCorrection(Document):
    """A LUT file on working-space values."""

    kind: Literal["lut"] = "lut"
    path: str = Field(min_length=1)
    on: bool = True
    opacity: float = Field(1.0, ge=0, le=1)


Correction = Annotated[ExposureCorrection | CdlCorrection | LutCorrection, Field(discriminator="kind")]


class Finish(Document):
    """Corrections on everything, in order."""

    corrections: tuple[Correction, ...] = ()


class Variant(Document):
    """Everything decided on a shot."""

    schema_version: Literal[1] = 1
    colour: ColourChoice = Field(default_factory=ColourChoice)
    recipe: str | None = None
    residual: bool = True
    balance: Balance = Field(default_factory=Balance)
    finish: Finish = Field(default_factory=Finish)
    display: DisplayChoice = Field(default_factory=DisplayChoice)


def level_of(table: Mapping[str, Level], name: str | None) -> Level:
    """The level of a name, neutral when none is set."""
    return table.get(name, NEUTRAL_LEVEL) if name else NEUTRAL_LEVEL
