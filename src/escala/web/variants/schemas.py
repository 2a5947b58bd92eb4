"""What requests and answers about variants hold."""

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, Field

from escala.database.tables import VariantRow
from escala.engine.balance.plan import render_components, render_lights
from escala.engine.checking import Unresolved
from escala.engine.colour.pipeline import ColourPipeline
from escala.engine.source.intake import time_of
from escala.engine.source.reading import REPAIRED
from escala.engine.stations import summaries
from escala.model.numbers import Count, Id
from escala.model.render import FoundRecipe, Render, RenderPass
from escala.model.source import PassReading
from escala.model.time import Time
from escala.model.variant import Variant

from ..colour.schemas import FileInput, file_inputs
from ..schemas import Patch


class NewVariant(BaseModel):
    """A new variant: neutral, a copy, or from a document."""

    name: str = Field(min_length=1, max_length=120)
    copy_of: Id | None = None
    document: Variant | None = None


class CheckOut(BaseModel):
    """A variant checked against its shot: places and names that are unresolved, and files that are missing."""

    waiting: list[Unresolved]
    missing_files: list[str]


class CommandOut(BaseModel):
    """The command line that writes the image of a variant, whose document is saved as `file`."""

    line: str
    file: str


class VariantName(BaseModel):
    """A new name."""

    name: str = Field(min_length=1, max_length=120)


class Base(BaseModel):
    """The revision that the page shows, which a step of the history starts from."""

    base: Count


class Edit(Base):
    """A JSON Patch made on revision `base`, and what it is called in the history."""

    patch: Patch
    label: str = Field("edit", max_length=200)


class RevisionPath(BaseModel):
    """A state of a variant in an address; 0: as it was created."""

    variant_id: Id
    number: Count


class RevisionOut(BaseModel):
    """A state of a variant. `branch`: "" on the way to the current one, "undone" if redo reaches it, else "other"."""

    number: Count
    parent: int
    label: str
    created: str
    branch: Literal["", "undone", "other"]


class RevisionList(BaseModel):
    """All states of a variant, oldest first."""

    revisions: list[RevisionOut]


class RevisionState(BaseModel):
    """The document of a state."""

    number: Count
    document: Variant


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
    """A variant as it stands. `suggested_rules`: naming rules of earlier renders that would read passes otherwise.

    `trouble`: why the variant cannot be displayed, None where it can. `reading`: None in the answer to an edit that
    leaves the interpretation of the render unchanged.
    """

    id: Id
    shot_id: Id
    name: str
    head: int
    can_undo: bool
    can_redo: bool
    document: Variant
    trouble: str | None
    stations: list[StationWords]
    chain: list[str]
    inputs: list[FileInput]
    input_space: str
    delivery_space: str
    reading: Reading | None
    suggested_rules: dict[str, PassReading]


@dataclass(frozen=True)
class InterpretedVariant:
    """A variant with its render as interpreted. `trouble`: why it cannot be displayed; it can still be edited."""

    document: Variant
    render: Render
    colour_pipeline: ColourPipeline | None
    trouble: str | None = None


def variant_out(
    row: VariantRow,
    read: InterpretedVariant,
    can_redo: bool,
    suggested: dict[str, PassReading],
    with_reading: bool = True,
) -> VariantOut:
    """A variant for the page: summaries of the stations, colour pipeline, and interpretation of the render."""
    render, document, colour_pipeline = read.render, read.document, read.colour_pipeline
    view = colour_pipeline.view if colour_pipeline else None
    words = summaries(render, document, view, Time(time_of(render, render.first_frame), render.frame_rate))
    return VariantOut(
        id=row.id,
        shot_id=row.shot_id,
        name=row.name,
        head=row.head,
        can_undo=row.head > 0,
        can_redo=can_redo,
        document=document,
        trouble=read.trouble,
        stations=[StationWords(name=name, words=text, changes=changes) for name, text, changes in words],
        chain=list(colour_pipeline.words) if colour_pipeline else [],
        inputs=[FileInput(**entry) for entry in file_inputs(render, colour_pipeline)] if colour_pipeline else [],
        input_space=colour_pipeline.input_space if colour_pipeline else "",
        delivery_space=colour_pipeline.delivery_space if colour_pipeline else "",
        reading=_reading_out(render) if with_reading else None,
        suggested_rules=suggested,
    )


def _reading_out(render: Render) -> Reading:
    return Reading(
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
    )
