"""Balance: levels by light, component and cell, and lights added from passes. What is not named is neutral."""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from .corrections import PartCorrections
from .entries import Entry, Listed
from .numbers import ONES, Number, PositiveTriple, Triple
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


def _leads_somewhere(direction: Triple) -> Triple:
    if not any(direction):
        raise ValueError("a direction has a length: [0, 0, 0] leads nowhere")
    return direction


class AddedLight(Entry):
    """A light made from the passes of albedo and normals; a row of the board by its name.

    `specular`: the share of a lobe of `roughness`. `shadow_pass`: a pass that holds light, 1 where it is lit.
    """

    name: str = Field(min_length=1, max_length=120)
    on: bool = True
    colour: PositiveTriple = ONES
    specular: Number = Field(0.0, ge=0, le=1)
    roughness: Number = Field(0.4, ge=0, le=1)
    shadow_pass: str | None = None


class SideLight(AddedLight):
    """From one direction, far away; `direction` leads towards it, in the space of the normals."""

    kind: Literal["side"] = "side"
    direction: Annotated[Triple, AfterValidator(_leads_somewhere)]


class PointLight(AddedLight):
    """From a place in the scene, by the inverse square of the distance: 1 at `radius` (scene units)."""

    kind: Literal["point"] = "point"
    position: Triple
    radius: Number = Field(1.0, gt=0)


class RimLight(AddedLight):
    """Along outlines: 1 - |n · v| to the power of `edge`."""

    kind: Literal["rim"] = "rim"
    edge: Number = Field(2.0, ge=0, le=64)


AnyAddedLight = Annotated[SideLight | PointLight | RimLight, Field(discriminator="kind")]


def _named_apart(lights: tuple[AddedLight, ...]) -> tuple[AddedLight, ...]:
    names = [light.name for light in lights]
    double = next((name for name in names if names.count(name) > 1), None)
    if double is not None:
        raise ValueError(f"two added lights are named {double!r}: each is a row of its own")
    return lights


class Balance(Document):
    """Levels by light, by component, and by cell (`light/component`). What is not named is neutral.

    `added`: lights made from passes; their levels are in `lights`, by their names. `residual`: the level of what no
    pass holds, beside the lights. `corrections`: of parts of the light, after levels.
    """

    lights: dict[str, Level] = Field(default_factory=dict)
    components: dict[str, Level] = Field(default_factory=dict)
    cells: dict[str, Level] = Field(default_factory=dict)
    residual: Level = Field(default_factory=Level)
    added: Annotated[Listed[AnyAddedLight], AfterValidator(_named_apart)] = ()
    corrections: PartCorrections = ()

    @property
    def changes(self) -> int:
        """How many levels are not neutral."""
        levels = [level for table in (self.lights, self.components, self.cells) for level in table.values()]
        return sum(not level.is_neutral for level in (*levels, self.residual)) + sum(light.on for light in self.added)


def level_of(table: Mapping[str, Level], name: str | None) -> Level:
    """The level of a name, neutral when none is set."""
    return table.get(name, NEUTRAL_LEVEL) if name else NEUTRAL_LEVEL
