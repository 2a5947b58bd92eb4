"""A variant: everything decided on a shot, along the path. Neutral by default, so an empty one is the beauty."""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field, field_validator

from escala.core.colour import DEFAULT_CONFIG
from escala.core.folding import OPERATORS
from escala.core.repairs import REPAIRS
from escala.core.roles import Portion, Role

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
        return self is NEUTRAL_LEVEL or self == NEUTRAL_LEVEL


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


class Recolour(Document):
    """A change of colour passes before light multiplies them: of one component or all, of one object or all.

    `hue`: degrees; `saturation`, `value`: factors.
    """

    hue: float = Field(0.0, ge=-180, le=180)
    saturation: float = Field(1.0, ge=0, le=4)
    value: float = Field(1.0, ge=0, le=16)
    component: str | None = None
    object_name: str | None = None
    on: bool = True

    @property
    def changes(self) -> bool:
        """Whether it changes anything at all."""
        return self.on and (self.hue != 0.0 or self.saturation != 1.0 or self.value != 1.0)


class Surface(Document):
    """Changes of surfaces, in order."""

    recolours: tuple[Recolour, ...] = ()


class ColourChoice(Document):
    """Config and spaces. None: what the render's files say, and the config's own working space.

    `context`: values of the config's variables. `file_spaces`: input spaces by file, where they differ.
    """

    config: str = DEFAULT_CONFIG
    context: dict[str, str] = Field(default_factory=dict)
    input_space: str | None = None
    file_spaces: dict[str, str] = Field(default_factory=dict)
    working_space: str | None = None

    @field_validator("config")
    @classmethod
    def _named(cls, config: str) -> str:
        if not config:
            raise ValueError("a config is a name, as ACES 2, or a path")
        return config


class DisplayChoice(Document):
    """Display and view; None: the config's default. `look`: in place of the view's own; "" is none at all."""

    display: str | None = None
    view: str | None = None
    look: str | None = None


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


class ConfigCorrection(Document):
    """A look or named transform of the colour config, on working-space values."""

    kind: Literal["config"] = "config"
    name: str = Field(min_length=1)
    inverse: bool = False
    on: bool = True
    opacity: float = Field(1.0, ge=0, le=1)


Correction = Annotated[
    ExposureCorrection | CdlCorrection | LutCorrection | ConfigCorrection, Field(discriminator="kind")
]


class Finish(Document):
    """Corrections on everything, in order."""

    corrections: tuple[Correction, ...] = ()


class PassReading(Document):
    """What a pass is, said by hand: it replaces what was recognised."""

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


class SourceChoice(Document):
    """How the files are read: roles by hand, by pass; repairs in order; which of noisy and denoised twins.

    `alpha`: whether colour was multiplied by it in the file, or is to be taken as if all were solid. `frame_rate`:
    frames a second where the header is wrong or silent.
    """

    roles: dict[str, PassReading] = Field(default_factory=dict)
    repairs: tuple[PassRepair, ...] = ()
    twin: Literal["noisy", "denoised"] | None = None
    alpha: Literal["associated", "unassociated", "ignored"] = "associated"
    frame_rate: float | None = Field(None, ge=1, le=240)


class TermEdit(Document):
    """What is done to a term. `left_out` and `operator` change the recipe; the others the picture alone."""

    left_out: bool = False
    operator: str | None = None
    on: bool = True
    alone: bool = False
    strength: float = Field(1.0, ge=0, le=16)

    @field_validator("operator")
    @classmethod
    def _known(cls, operator: str | None) -> str | None:
        if operator is not None and operator not in OPERATORS:
            raise ValueError(f"no operator is named {operator!r}; known are {', '.join(OPERATORS)}")
        return operator


class TallyChoice(Document):
    """Changes to the recipe: its terms by name, passes added as terms, the order, and a factor on the whole."""

    terms: dict[str, TermEdit] = Field(default_factory=dict)
    added: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    factor: Triple = ONES

    @property
    def changes_recipe(self) -> bool:
        """Whether the sum itself is another, so that it must be proven again."""
        edited = any(edit.left_out or edit.operator for edit in self.terms.values())
        return edited or bool(self.added or self.order) or self.factor != ONES

    @property
    def changes_picture(self) -> bool:
        """Whether a term is off, alone or weaker."""
        return any(not e.on or e.alone or e.strength != 1.0 for e in self.terms.values())


class Variant(Document):
    """Everything decided on a shot."""

    schema_version: Literal[1] = 1
    colour: ColourChoice = Field(default_factory=ColourChoice)
    source: SourceChoice = Field(default_factory=SourceChoice)
    recipe: str | None = None
    tally: TallyChoice = Field(default_factory=TallyChoice)
    residual: bool = True
    surface: Surface = Field(default_factory=Surface)
    balance: Balance = Field(default_factory=Balance)
    finish: Finish = Field(default_factory=Finish)
    display: DisplayChoice = Field(default_factory=DisplayChoice)

    @property
    def changes_reading(self) -> bool:
        """Whether its render is not the one that was recognised."""
        source = self.source
        edited = bool(source.roles or source.repairs or source.twin) or source.alpha != "associated"
        return edited or self.tally.changes_recipe


def level_of(table: Mapping[str, Level], name: str | None) -> Level:
    """The level of a name, neutral when none is set."""
    return table.get(name, NEUTRAL_LEVEL) if name else NEUTRAL_LEVEL
