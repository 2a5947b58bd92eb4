"""Corrections, one class a kind."""

from itertools import pairwise
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from .entries import Limited, Listed
from .numbers import ONES, ZEROS, Number, PositiveTriple, Triple
from .render import Document

_MOST_POINTS, _MOST_STOPS = 64, 64

# A turned blur is made with the whole of its Gaussian at once: a wider one would need gigabytes for a large picture.
BlurRadius = Annotated[Number, Field(ge=0, le=256)]


def _rising(points: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    if any(right[0] - left[0] < 1e-3 for left, right in pairwise(points)):
        raise ValueError("the points of a curve go from left to right, a thousandth of a stop apart at least")
    beyond = next((stop for point in points for stop in point if abs(stop) > _MOST_STOPS), None)
    if beyond is not None:
        raise ValueError(f"the points of a curve lie within {_MOST_STOPS} stops of grey, not at {beyond}")
    return points


CurvePoints = Annotated[tuple[tuple[Number, Number], ...], Field(max_length=_MOST_POINTS), AfterValidator(_rising)]


class Of(Document):
    """What a correction at Balance acts on: all of a light, all of a component, or the cell of both."""

    light: str | None = None
    component: str | None = None

    @model_validator(mode="after")
    def _names_one(self) -> Self:
        if self.light is None and self.component is None:
            raise ValueError("a correction of Balance is of a light, a component or both; on the whole it is Beauty's")
        return self


class CorrectionBase(Limited):
    """What every correction has. `of`: at Balance alone, what it acts on."""

    of: Of | None = None


class ExposureCorrection(CorrectionBase):
    """Stops on the whole."""

    kind: Literal["exposure"] = "exposure"
    stops: Number = Field(0.0, ge=-16, le=16)


class CdlCorrection(CorrectionBase):
    """ASC CDL: slope, offset, power, saturation."""

    kind: Literal["cdl"] = "cdl"
    slope: PositiveTriple = ONES
    offset: Triple = ZEROS
    power: PositiveTriple = ONES
    saturation: Number = Field(1.0, ge=0, le=16)
    clamp: bool = False


class WhiteBalanceCorrection(CorrectionBase):
    """The gain of a colour temperature, as in a level: fewer kelvin are warmer, `duv` is green where positive."""

    kind: Literal["white_balance"] = "white_balance"
    kelvin: Number = Field(6500.0, ge=1667, le=25000)
    duv: Number = Field(0.0, ge=-0.05, le=0.05)


class HueSaturationCorrection(CorrectionBase):
    """Hue turned by degrees, saturation and value multiplied; by the hexagon of HSV."""

    kind: Literal["hue_saturation"] = "hue_saturation"
    hue: Number = Field(0.0, ge=-180, le=180)
    saturation: Number = Field(1.0, ge=0, le=4)
    value: Number = Field(1.0, ge=0, le=16)


class RangeCorrection(CorrectionBase):
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


class ContrastCorrection(CorrectionBase):
    """A slope in stops about a pivot."""

    kind: Literal["contrast"] = "contrast"
    amount: Number = Field(1.0, ge=0, le=16)
    pivot: Number = Field(0.18, ge=1e-6, le=65504)


class CurvesCorrection(CorrectionBase):
    """Curves through points `[x, y]` in stops around grey, by channel and for all; none is the identity."""

    kind: Literal["curves"] = "curves"
    master: CurvePoints = ()
    red: CurvePoints = ()
    green: CurvePoints = ()
    blue: CurvePoints = ()


class TintCorrection(CorrectionBase):
    """Luminance painted with a colour, by a share."""

    kind: Literal["tint"] = "tint"
    colour: PositiveTriple = ONES
    amount: Number = Field(0.0, ge=0, le=1)


class RollOffCorrection(CorrectionBase):
    """Highlights from `start` on come near `limit` and never reach it; both in stops over grey."""

    kind: Literal["roll_off"] = "roll_off"
    start: Number = Field(ge=-16, le=16)
    limit: Number = Field(ge=-16, le=24)

    @model_validator(mode="after")
    def _rolls(self) -> Self:
        if self.limit <= self.start:
            raise ValueError(f"the limit of a roll-off lies above its start of {self.start}, not at {self.limit}")
        return self


class LutCorrection(CorrectionBase):
    """A LUT file on working-space values."""

    kind: Literal["lut"] = "lut"
    path: str = Field(min_length=1)


class ConfigCorrection(CorrectionBase):
    """A look or named transform of the colour config, on working-space values."""

    kind: Literal["config"] = "config"
    name: str = Field(min_length=1)
    inverse: bool = False


class BlurCorrection(CorrectionBase):
    """A Gaussian whose sigmas lie along `turn` degrees and across it."""

    kind: Literal["blur"] = "blur"
    radius_px: tuple[BlurRadius, BlurRadius] = (0.0, 0.0)
    turn: Number = Field(0.0, ge=-3600, le=3600)


class SharpenCorrection(CorrectionBase):
    """More of what a Gaussian would remove."""

    kind: Literal["sharpen"] = "sharpen"
    radius_px: BlurRadius = 0.0
    amount: Number = Field(0.0, ge=-1, le=16)


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
    | ConfigCorrection
    | BlurCorrection
    | SharpenCorrection,
    Field(discriminator="kind"),
]


def _on_the_whole(corrections: tuple[Any, ...]) -> tuple[Any, ...]:
    if any(correction.of is not None for correction in corrections):
        raise ValueError("only a correction of Balance has an `of`; here it acts on the whole picture")
    return corrections


def _on_a_part(corrections: tuple[Any, ...]) -> tuple[Any, ...]:
    if any(correction.of is None for correction in corrections):
        raise ValueError("a correction of Balance has an `of`: the light, the component or both that it acts on")
    return corrections


WholeCorrections = Annotated[Listed[Correction], AfterValidator(_on_the_whole)]
PartCorrections = Annotated[Listed[Correction], AfterValidator(_on_a_part)]


class Corrected(Document):
    """A part of the document with corrections, which act in order."""

    corrections: WholeCorrections = ()

    @property
    def changes(self) -> bool:
        """Whether any of them does anything."""
        return any(correction.is_seen for correction in self.corrections)
