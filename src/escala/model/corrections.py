"""Corrections, one class a kind."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from .entries import Entry, Listed
from .numbers import ONES, ZEROS, Number, PositiveTriple, Triple
from .render import Document

_MOST_POINTS, _MOST_STOPS = 64, 64


def _rising(points: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    if any(right[0] - left[0] < 1e-3 for left, right in pairwise(points)):
        raise ValueError("the points of a curve go from left to right, a thousandth of a stop apart at least")
    beyond = next((stop for point in points for stop in point if abs(stop) > _MOST_STOPS), None)
    if beyond is not None:
        raise ValueError(f"the points of a curve lie within {_MOST_STOPS} stops of grey, not at {beyond}")
    return points


CurvePoints = Annotated[tuple[tuple[Number, Number], ...], Field(max_length=_MOST_POINTS), AfterValidator(_rising)]


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


class WhiteBalanceCorrection(Limited):
    """The gain of a colour temperature, as in a level: fewer kelvin are warmer, `duv` is green where positive."""

    kind: Literal["white_balance"] = "white_balance"
    kelvin: Number = Field(6500.0, ge=1667, le=25000)
    duv: Number = Field(0.0, ge=-0.05, le=0.05)


class HueSaturationCorrection(Limited):
    """Hue turned by degrees, saturation and value multiplied; by the hexagon of HSV."""

    kind: Literal["hue_saturation"] = "hue_saturation"
    hue: Number = Field(0.0, ge=-180, le=180)
    saturation: Number = Field(1.0, ge=0, le=4)
    value: Number = Field(1.0, ge=0, le=16)


class RangeCorrection(Limited):
    """What was `black` and `white` becomes `out_black` and `out_white`, between them a gamma; never clipped."""

    kind: Literal["range"] = "range"
    black: Number = Field(0.0, ge=-65504, le=65504)
    white: Number = Field(1.0, ge=-65504, le=65504)
    out_black: Number = Field(0.0, ge=-65504, le=65504)
    out_white: Number = Field(1.0, ge=-65504, le=65504)
    gamma: Number = Field(1.0, ge=0.01, le=100)

    @model_validator(mode="after")
    def _has_a_width(self) -> Self:
        if abs(self.white - self.black) < 1e-6:
            raise ValueError(f"black and white of a range differ; both are {self.black}")
        return self


class ContrastCorrection(Limited):
    """A slope in stops about a pivot."""

    kind: Literal["contrast"] = "contrast"
    amount: Number = Field(1.0, ge=0, le=16)
    pivot: Number = Field(0.18, ge=1e-6, le=65504)


class CurvesCorrection(Limited):
    """Curves through points `[x, y]` in stops around grey, by channel and for all; none is the identity."""

    kind: Literal["curves"] = "curves"
    master: CurvePoints = ()
    red: CurvePoints = ()
    green: CurvePoints = ()
    blue: CurvePoints = ()


class TintCorrection(Limited):
    """Luminance painted with a colour, by a share."""

    kind: Literal["tint"] = "tint"
    colour: PositiveTriple = ONES
    amount: Number = Field(0.0, ge=0, le=1)


class RollOffCorrection(Limited):
    """Highlights from `start` on come near `limit` and never reach it; both in stops over grey."""

    kind: Literal["roll_off"] = "roll_off"
    start: Number = Field(ge=-16, le=16)
    limit: Number = Field(ge=-16, le=24)

    @model_validator(mode="after")
    def _rolls(self) -> Self:
        if self.limit <= self.start:
            raise ValueError(f"the limit of a roll-off lies above its start of {self.start}, not at {self.limit}")
        return self


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
    ExposureCorrection
    | CdlCorrection
    | WhiteBalanceCorrection
    | HueSaturationCorrection
    | RangeCorrection
    | ContrastCorrection
    | CurvesCorrection
    | TintCorrection
    | RollOffCorrection
    | LutCorrection
    | ConfigCorrection,
    Field(discriminator="kind"),
]


class Corrected(Document):
    """A part of the document with corrections, which act in order."""

    corrections: Listed[Correction] = ()

    @property
    def changes(self) -> bool:
        """Whether any of them does anything."""
        return any(correction.changes for correction in self.corrections)
