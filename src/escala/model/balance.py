"""Balance: levels by light, component and cell. What is not named is neutral."""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from .corrections import PartCorrections
from .numbers import ONES, Number
from .render import Document

_TintValue = Annotated[Number, Field(ge=0, le=1000)]
Tint = tuple[_TintValue, _TintValue, _TintValue]


class Level(Document):
    """What is done to one light, component or cell; by a matte where that is named. Mute and solo count everywhere."""

    stops: Number = Field(0.0, ge=-16, le=16)
    multiplier: Number = Field(1.0, ge=0, le=65504)
    tint: Tint = ONES
    kelvin: Number = Field(6500.0, ge=1667, le=25000)
    duv: Number = Field(0.0, ge=-0.05, le=0.05)
    mute: bool = False
    solo: bool = False
    matte: str | None = None

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing by itself."""
        return self is NEUTRAL_LEVEL or self == NEUTRAL_LEVEL or self.everywhere == NEUTRAL_LEVEL

    @property
    def everywhere(self) -> "Level":
        """The same, limited by no matte."""
        return self if self.matte is None else self.model_copy(update={"matte": None})


NEUTRAL_LEVEL = Level()


class Balance(Document):
    """Levels by light, by component, and by cell (`light/component`). What is not named is neutral.

    `residual`: the level of what no pass holds, beside the lights. `corrections`: of parts of the light, after levels.
    """

    lights: dict[str, Level] = Field(default_factory=dict)
    components: dict[str, Level] = Field(default_factory=dict)
    cells: dict[str, Level] = Field(default_factory=dict)
    residual: Level = Field(default_factory=Level)
    corrections: PartCorrections = ()

    @property
    def changes(self) -> int:
        """How many levels are not neutral."""
        levels = [level for table in (self.lights, self.components, self.cells) for level in table.values()]
        return sum(not level.is_neutral for level in (*levels, self.residual))


def level_of(table: Mapping[str, Level], name: str | None) -> Level:
    """The level of a name, neutral when none is set."""
    return table.get(name, NEUTRAL_LEVEL) if name else NEUTRAL_LEVEL
