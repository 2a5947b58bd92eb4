"""Surface: changes of colour passes before light multiplies them."""

from typing import Literal

from pydantic import Field

from .entries import Entry, Listed
from .numbers import Number
from .render import Document


class Recolour(Entry):
    """A change of colour passes before light multiplies them: of one component or all, of one object or all.

    `hue`: degrees; `saturation`, `value`: factors.
    """

    kind: Literal["recolour"] = "recolour"
    hue: Number = Field(0.0, ge=-180, le=180)
    saturation: Number = Field(1.0, ge=0, le=4)
    value: Number = Field(1.0, ge=0, le=16)
    component: str | None = None
    object_name: str | None = None
    on: bool = True

    @property
    def changes(self) -> bool:
        """Whether it changes anything at all."""
        return self.on and (self.hue != 0.0 or self.saturation != 1.0 or self.value != 1.0)


class Surface(Document):
    """Changes of surfaces, in order."""

    recolours: Listed[Recolour] = ()
