"""Corrections, one class a kind."""

from typing import Annotated, Literal

from pydantic import Field

from .entries import Entry, Listed
from .numbers import ONES, ZEROS, Number, PositiveTriple, Triple


class Limited(Entry):
    """What every correction can be: switched, or weakened to a share of its effect."""

    on: bool = True
    opacity: Number = Field(1.0, ge=0, le=1)

    @property
    def changes(self) -> bool:
        """Whether it is on, and seen at all."""
        return self.on and self.opacity > 0


class ExposureCorrection(Limited):
    """Stops on the whole."""

    kind: Literal["exposure"] = "exposure"
    stops: Number = Field(0.0, ge=-16, le=16)


class CdlCorrection(Limited):
    """ASC CDL: slope, offset, power, saturation."""

    kind: Literal["cdl"] = "cdl"
    slope: PositiveTriple = ONES
    offset: Triple = ZEROS
    power: PositiveTriple = ONES
    saturation: Number = Field(1.0, ge=0, le=16)
    clamp: bool = False


class LutCorrection(Limited):
    """A LUT file on working-space values."""

    kind: Literal["lut"] = "lut"
    path: str = Field(min_length=1)


class ConfigCorrection(Limited):
    """A look or named transform of the colour config, on working-space values."""

    kind: Literal["config"] = "config"
    name: str = Field(min_length=1)
    inverse: bool = False


Correction = Annotated[
    ExposureCorrection | CdlCorrection | LutCorrection | ConfigCorrection, Field(discriminator="kind")
]
Corrections = Listed[Correction]
