"""What requests and answers hold."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from escala.engine.balance import render_components, render_lights
from escala.engine.board import Board
from escala.engine.colouring import colouring_of
from escala.engine.probe import Probe
from escala.engine.reading import REPAIRED
from escala.engine.stations import STATIONS
from escala.engine.tally import Tally
from escala.model.render import FoundRecipe, Render, RenderPass
from escala.model.variant import PassReading, Variant
from escala.record.tables import ShotRow, VariantRow

from .colour_schemas import FileInput, file_inputs

Patch = list[dict[str, Any]]


class ShotPath(BaseModel):
    """A shot in an address."""

    shot_id: int


class VariantPath(BaseModel):
    """A variant in an address."""

    variant_id: int


class JobPath(BaseModel):
    """A job in an address."""

    job_id: int


class NewShot(BaseModel):
    """Files, a folder or a sequence under a media root. `fit`: files of other sizes are fitted to the first."""

    sources: list[str] = Field(min_length=1)
    name: str | None = None
    fit: bool = False


class NewRender(BaseModel):
    """Files of a newer render that takes the place of a shot's."""

    sources: list[str] = Field(min_length=1)


class NewFiles(BaseModel):
    """Passes to be written as files of their own, or all in one; new names by pass."""

    gathered: bool = False
    passes: list[str] = Field(default_factory=list)
    rename: dict[str, str] = Field(default_factory=dict)


class NewVariant(BaseModel):
    """A new variant: neutral, or a copy."""

    name: str = Field(min_length=1, max_length=120)
    copy_of: int | None = None


class VariantName(BaseModel):
    """A new name."""

    name: str = Field(min_length=1, max_length=120)


class Edit(BaseModel):
    """A JSON Patch made on revision `base`, and what it is called in the history."""

    base: int
    patch: Patch
    label: str = Field("edit", max_length=200)


class Preview(BaseModel):
    """An edit under way: applied for the answer, not kept."""

    patch: Patch = Field(default_factory=list)
    frame: int | None = None


class Region(BaseModel):
    """Columns and rows of the displayed picture."""

    x: int
    y: int
    width: int = Field(gt=0)
    height: int = Field(gt=0)


class Aids(BaseModel):
    """What the viewer alone does to a picture; it is never delivered."""

    exposure: float = Field(0.0, ge=-16, le=16)
    gamma: float = Field(1.0, ge=0.1, le=4)
    show: Literal["colour", "red", "green", "blue", "luminance", "alpha", "stops", "gamut"] = "colour"
    marks: bool = False
    behind: Literal["nothing", "checker", "colour"] = "nothing"
    behind_colour: tuple[float, float, float] = (0.5, 0.5, 0.5)


class SubjectRequest(Preview):
    """What is looked at: a station of the variant, one of its passes, or a picture that was brought in."""

    station: str = "display"
    pass_name: str | None = None
    picture: str | None = None


class Against(BaseModel):
    """What a picture is compared with: the absolute difference times `gain`, in light or in display values."""

    subject: SubjectRequest
    gain: float = Field(1.0, gt=0, le=1e7)
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


class ValuesRequest(SubjectRequest):
    """A small region, for the numbers behind its pixels."""

    region: Region


class ValuesOut(BaseModel):
    """Numbers by channel, row and column: working-space light, or a data pass as stored; None: not a number."""

    channels: list[list[list[float | None]]]


class ScopeRequest(SubjectRequest):
    """A scope of a picture, its scale, and its size in pixels; of a region or of one object, where that is asked."""

    kind: Literal["waveform", "parade", "histogram", "chromaticity"] = "waveform"
    scale: Literal["stops", "display"] = "stops"
    columns: int = Field(324, ge=16, le=2048)
    rows: int = Field(126, ge=16, le=1024)
    region: Region | None = None
    object_name: str | None = None


class ObjectsOut(BaseModel):
    """The objects that a render's cryptomattes name."""

    objects: list[str]


class PictureMade(BaseModel):
    """A picture that was brought in for comparing."""

    picture: str
    title: str


class ProbeRequest(Preview):
    """A place in the displayed picture and the side of the square around it, in pixels."""

    x: int
    y: int
    size: int = Field(1, ge=1, le=65)


class DifferenceQuery(BaseModel):
    """The gain and width of a difference picture."""

    gain: float = Field(1000.0, gt=0, le=1e7)
    width: int = Field(720, gt=0, le=4096)
    frame: int | None = None


class PassQuery(BaseModel):
    """A pass, the width of its picture, and the variant that reads it."""

    name: str
    width: int = Field(320, gt=0, le=4096)
    frame: int | None = None
    variant: int | None = None


class HistogramOut(BaseModel):
    """Counts per channel over equal steps from `low` to `high` stops around grey; `dark`: values of 0 or less."""

    low: float
    high: float
    counts: list[list[int]]
    dark: int


class RevisionPath(BaseModel):
    """A state of a variant in an address; 0: as it was created."""

    variant_id: int
    number: int


class RevisionOut(BaseModel):
    """A state of a variant. `aside`: not on the way to the present one."""

    number: int
    parent: int
    label: str
    created: str
    aside: bool


class RevisionList(BaseModel):
    """All states of a variant, oldest first."""

    revisions: list[RevisionOut]


class RevisionState(BaseModel):
    """The document of a state."""

    number: int
    document: Variant


class MediaQuery(BaseModel):
    """A folder under a media root; empty: the roots themselves."""

    folder: str = ""


class NewDelivery(BaseModel):
    """What to write: frames (all when empty), scene-linear EXR or pixels of the view."""

    format: Literal["exr", "png", "tif", "jpg"] = "exr"
    space: str | None = None
    pixel_type: Literal["half", "float"] = "half"
    bits: Literal[8, 16] = 16
    frames: list[int] = Field(default_factory=list)


class StationWords(BaseModel):
    """What a station says of a variant."""

    name: str
    words: str
    changes: bool


class Reading(BaseModel):
    """What a variant takes its render for: passes with their roles, recipes, and what can be balanced.

    `repaired`: how many pixels each repair changed, by pass and repair (`name/how`).
    """

    passes: list[RenderPass]
    reference: str | None
    recipes: list[FoundRecipe]
    lights: list[str]
    components: list[str]
    repaired: dict[str, int]


class VariantOut(BaseModel):
    """A variant as it stands. `offered_rules`: naming rules of earlier renders that would read passes otherwise."""

    id: int
    shot_id: int
    name: str
    head: int
    can_undo: bool
    can_redo: bool
    document: Variant
    stations: list[StationWords]
    chain: list[str]
    inputs: list[FileInput]
    input_space: str
    delivery_space: str
    reading: Reading
    offered_rules: dict[str, PassReading]


class VariantLabel(BaseModel):
    """A variant in a list."""

    id: int
    name: str


class ShotName(BaseModel):
    """A shot in a list."""

    id: int
    name: str
    width: int
    height: int
    frames: int
    passes: int
    cover: str | None


class ShotOut(BaseModel):
    """A shot with its render and variants."""

    id: int
    name: str
    render: Render
    lights: list[str]
    components: list[str]
    variants: list[VariantLabel]


class ShotList(BaseModel):
    """All shots."""

    shots: list[ShotName]


class BoardOut(BaseModel):
    """The board of a variant."""

    board: Board


class TallyOut(BaseModel):
    """The tally of a variant, if a recipe was found."""

    tally: Tally | None


class ProbeOut(BaseModel):
    """What is at a place."""

    probe: Probe


class JobOut(BaseModel):
    """How long work stands. `seconds_left` is an estimate."""

    id: int
    what: str
    state: Literal["running", "done", "failed", "cancelled"]
    share: float
    doing: str
    error: str | None
    error_kind: str | None
    result: dict[str, Any] | None
    seconds_left: float | None


class MediaEntry(BaseModel):
    """A folder or picture file under a media root."""

    name: str
    path: str
    folder: bool


class MediaOut(BaseModel):
    """What a folder holds."""

    folder: str
    entries: list[MediaEntry]


def variant_out(
    row: VariantRow, document: Variant, render: Render, can_redo: bool, offered: dict[str, PassReading]
) -> VariantOut:
    """A variant for the page, with the words of the path, the colour chain, and the render as the variant reads it."""
    words = [(station.name, *station.words(render, document)) for station in STATIONS]
    colouring = colouring_of(render, document)
    return VariantOut(
        id=row.id,
        shot_id=row.shot_id,
        name=row.name,
        head=row.head,
        can_undo=row.head > 0,
        can_redo=can_redo,
        document=document,
        stations=[StationWords(name=name, words=text, changes=changes) for name, text, changes in words],
        chain=list(colouring.words),
        inputs=[FileInput(**entry) for entry in file_inputs(render, colouring)],
        input_space=colouring.input_space,
        delivery_space=colouring.delivery_space,
        reading=Reading(
            passes=list(render.passes),
            reference=render.reference,
            recipes=list(render.recipes),
            lights=render_lights(render),
            components=render_components(render),
            repaired={
                name.removeprefix(REPAIRED): int(count)
                for name, count in render.attributes.items()
                if name.startswith(REPAIRED)
            },
        ),
        offered_rules=offered,
    )


def shot_name(shot_id: int, name: str, render: Render) -> ShotName:
    """A shot for a list; its cover is the beauty, else the first pass of light."""
    light = next((p.name for p in render.passes if p.is_colour), None)
    return ShotName(
        id=shot_id,
        name=name,
        width=render.width,
        height=render.height,
        frames=len(render.frames),
        passes=len(render.passes),
        cover=render.reference or light,
    )


def shot_out(row: ShotRow) -> ShotOut:
    """A shot for the page."""
    render = Render.model_validate(row.render)
    return ShotOut(
        id=row.id,
        name=row.name,
        render=render,
        lights=render_lights(render),
        components=render_components(render),
        variants=[VariantLabel(id=variant.id, name=variant.name) for variant in row.variants],
    )
