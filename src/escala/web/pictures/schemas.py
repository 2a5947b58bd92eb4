"""What requests and answers about pictures and measurements hold."""

from typing import Literal

from pydantic import BaseModel, Field

from escala.engine.balance.board import Board
from escala.engine.beauty.tally import Tally
from escala.engine.viewer.probe import Probe
from escala.model.numbers import Count, Number, Triple

from ..query import Query
from ..schemas import Id, Preview, Region


class Aids(BaseModel):
    """What the viewer alone does to a picture; it is never delivered."""

    exposure: Number = Field(0.0, ge=-16, le=16)
    gamma: Number = Field(1.0, ge=0.1, le=4)
    show: Literal["colour", "red", "green", "blue", "luminance", "alpha", "stops", "gamut"] = "colour"
    marks: bool = False
    behind: Literal["nothing", "checker", "colour"] = "nothing"
    behind_colour: Triple = (0.5, 0.5, 0.5)
    matte: str | None = None
    matte_as: Literal["hatched", "alone"] = "hatched"
    over: Number | None = Field(None, ge=-16, le=16)


class SubjectRequest(Preview):
    """What is looked at: a station of the variant, one of its passes, or a picture that was imported.

    `variant`: another variant than that of the address, also a deleted one that can be restored.
    """

    variant: Id | None = None
    station: str = "display"
    pass_name: str | None = None
    picture: str | None = None


class Against(BaseModel):
    """What a picture is compared with: the absolute difference times `gain`, in light or in display values."""

    subject: SubjectRequest
    gain: Number = Field(1.0, gt=0, le=1e7)
    measure: Literal["linear", "display"] = "display"


class PictureRequest(SubjectRequest):
    """A picture. `live`: the fast one, of this viewer only the newest. `against`: its difference from another."""

    aids: Aids = Field(default_factory=Aids)
    region: Region
    out_width: int = Field(gt=0, le=8192)
    out_height: int = Field(gt=0, le=8192)
    live: bool = False
    viewer: str = Field("", max_length=64)
    against: Against | None = None


class BoardRequest(Preview):
    """The board. `lifted`: dark pictures brighter, each by the stops given in its cell."""

    lifted: bool = False


class ValuesRequest(SubjectRequest):
    """A region, for the numbers behind its pixels: all of them, or so many columns and rows over it."""

    region: Region
    out_width: int | None = Field(None, gt=0)
    out_height: int | None = Field(None, gt=0)


class ValuesOut(BaseModel):
    """Numbers by channel, row and column: working-space light, or a data pass as stored; None: not a number.

    `region`: over which they are spread, perhaps a little more than was requested.
    """

    channels: list[list[list[float | None]]]
    region: Region


class ScopeRequest(SubjectRequest):
    """A scope of a picture, its scale, and its size in pixels; of a region or of one object, where one is named."""

    kind: Literal["waveform", "parade", "histogram", "overlay", "chromaticity"] = "waveform"
    scale: Literal["stops", "display"] = "stops"
    columns: int = Field(324, ge=16, le=2048)
    rows: int = Field(126, ge=16, le=1024)
    region: Region | None = None
    object_name: str | None = None


class ProbeRequest(Preview):
    """A place in the displayed picture and the side of the square around it, in pixels."""

    x: Count
    y: Count
    size: int = Field(1, ge=1, le=65)


class DifferenceQuery(Query):
    """The gain and width of a difference picture."""

    gain: Number = Field(1000.0, gt=0, le=1e7)
    width: int = Field(720, gt=0, le=4096)
    frame: Count | None = None


class BoardOut(BaseModel):
    """The board of a variant."""

    board: Board


class TallyOut(BaseModel):
    """The tally of a variant, if a recipe was found."""

    tally: Tally | None


class ProbeOut(BaseModel):
    """What is at a place."""

    probe: Probe
