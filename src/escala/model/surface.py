"""Surface: changes of colour passes before light multiplies them."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from .entries import Limited, Listed
from .numbers import Number, PositiveTriple
from .render import Document

_MOST_PICTURES = 256

Factor = Annotated[Number, Field(ge=0.001, le=1000)]


class SurfaceChange(Limited):
    """A change of the colour passes of one component, or of all."""

    component: str | None = None


class Recolour(SurfaceChange):
    """Colour passes turned by `hue` degrees, their saturation and value multiplied."""

    kind: Literal["recolour"] = "recolour"
    hue: Number = Field(0.0, ge=-180, le=180)
    saturation: Number = Field(1.0, ge=0, le=4)
    value: Number = Field(1.0, ge=0, le=16)

    @property
    def changes(self) -> bool:
        """Whether it changes anything at all."""
        return self.is_seen and (self.hue != 0.0 or self.saturation != 1.0 or self.value != 1.0)


class Repaint(SurfaceChange):
    """A colour that becomes another, its texture kept; in the working space."""

    kind: Literal["repaint"] = "repaint"
    from_: PositiveTriple = Field(alias="from")
    to: PositiveTriple
    amount: Number = Field(1.0, ge=0, le=1)

    @property
    def changes(self) -> bool:
        """Whether it changes anything at all."""
        return self.is_seen and self.amount > 0 and self.from_ != self.to


class Label(SurfaceChange):
    """One of several pictures applied to a surface by its uv pass.

    It is scaled about the middle of the uv square, then turned counter-clockwise as seen, then moved, in uv. `space`
    None: as its file says. `uv` None: the pass that was recognised. `v_up`: v = 0 is the picture's lower edge.
    """

    kind: Literal["label"] = "label"
    pictures: tuple[Annotated[str, Field(min_length=1, max_length=4096)], ...] = Field(max_length=_MOST_PICTURES)
    chosen: int = Field(0, ge=0)
    space: str | None = None
    uv: str | None = None
    scale: tuple[Factor, Factor] = (1.0, 1.0)
    move: tuple[Number, Number] = (0.0, 0.0)
    turn: Number = Field(0.0, ge=-3600, le=3600)
    outside: Literal["clip", "repeat", "mirror"] = "clip"
    v_up: bool = True

    @model_validator(mode="after")
    def _chosen_is_there(self) -> Self:
        if self.pictures and self.chosen >= len(self.pictures):
            raise ValueError(
                f"the label has {len(self.pictures)} pictures, counted from 0; number {self.chosen} is none"
            )
        return self

    @property
    def picture(self) -> str | None:
        """The file of the chosen picture."""
        return self.pictures[self.chosen] if self.pictures else None

    @property
    def changes(self) -> bool:
        """Whether it changes anything at all."""
        return self.is_seen and bool(self.pictures)


AnyChange = Annotated[Recolour | Repaint | Label, Field(discriminator="kind")]


class Surface(Document):
    """Changes of surfaces, in order."""

    changes: Listed[AnyChange] = ()
