"""What requests and answers about shots hold."""

from datetime import datetime
from typing import Annotated, Literal, NamedTuple

from pydantic import BaseModel, Field

from escala.core.roles import Role
from escala.database.shots import LastChange, shot_render
from escala.database.tables import RenderRow, ShotRow
from escala.engine.balance.plan import render_components, render_lights
from escala.model.numbers import Count, Id
from escala.model.render import Render

from ..query import Query


class NewShot(BaseModel):
    """Files, a folder or a sequence under a media root. `fit`: files of other sizes are fitted to the first."""

    sources: list[str] = Field(min_length=1, max_length=20000)
    name: str | None = Field(None, max_length=300)
    fit: bool = False


class NewRender(BaseModel):
    """Files of a newer render that takes the place of a shot's."""

    sources: list[str] = Field(min_length=1, max_length=20000)


class FurtherRender(BaseModel):
    """Files of a further render of a shot, and its name; that of the files by default."""

    sources: list[str] = Field(min_length=1, max_length=20000)
    name: str | None = Field(None, min_length=1, max_length=200)


class RenderPath(BaseModel):
    """A further render of a shot, by its name."""

    shot_id: Id
    name: str = Field(min_length=1, max_length=200)


class NewFiles(BaseModel):
    """Passes to be written as files of their own, or all in one; new names by pass."""

    gathered: bool = False
    passes: list[str] = Field(default_factory=list)
    rename: dict[str, str] = Field(default_factory=dict)


class PassQuery(Query):
    """A pass, the width of its picture, by how many stops its light is lifted, and the variant that reads it."""

    name: str
    width: int = Field(320, gt=0, le=4096)
    lift: int = Field(0, ge=0, le=16)
    frame: Count | None = None
    variant: Id | None = None


class HistogramOut(BaseModel):
    """Counts per channel over equal steps from `low` to `high` stops around grey; `dark`: values of 0 or less."""

    low: float
    high: float
    counts: list[list[int]]
    dark: int


class VariantLabel(BaseModel):
    """A variant in a list."""

    id: Id
    name: str


class ShotName(BaseModel):
    """A shot in a list."""

    id: Id
    name: str
    width: int
    height: int
    frames: int
    passes: int
    cover: str | None
    status: Literal["active", "archived"]
    changed: str
    change: str


class RenderName(BaseModel):
    """A further render of a shot. `matches`: whether its sum is its beauty; None where it has no recipe."""

    name: str
    frames: int
    passes: int
    lights: list[str]
    matches: bool | None
    has_depth: bool
    sources: list[str]


class ShotOut(BaseModel):
    """A shot with its first render, the names of further ones, and its variants."""

    id: Id
    name: str
    render: Render
    lights: list[str]
    components: list[str]
    renders: list[RenderName]
    variants: list[VariantLabel]
    light_names: dict[str, str]


class ShotList(BaseModel):
    """All shots. `problems`: what is stored and cannot be read, in sentences."""

    shots: list[ShotName]
    problems: list[str]


class ShotChange(BaseModel):
    """A shot renamed, archived or unarchived, deleted or restored; what lights are called, "" for their own name."""

    name: str | None = Field(None, min_length=1, max_length=200)
    status: Literal["active", "archived", "deleted"] | None = None
    light_names: dict[str, Annotated[str, Field(max_length=120)]] | None = Field(None, max_length=1000)


class ShotFacts(NamedTuple):
    """What the database holds of a shot, beside its render."""

    id: int
    name: str
    status: str
    created: datetime


def shot_name(facts: ShotFacts, render: Render, last: LastChange | None) -> ShotName:
    """A shot for a list; its cover is the beauty, else the first pass of light."""
    light = next((p.name for p in render.passes if p.is_colour), None)
    return ShotName(
        id=facts.id,
        name=facts.name,
        status=facts.status,  # type: ignore[arg-type]
        changed=(last.at if last else facts.created).isoformat(),
        change=last.how if last else "opened",
        width=render.width,
        height=render.height,
        frames=len(render.frames),
        passes=len(render.passes),
        cover=render.reference or light,
    )


def _render_name(row: RenderRow) -> RenderName:
    render = shot_render(row.shot, row.name)
    return RenderName(
        name=row.name,
        frames=len(render.frames),
        passes=len(render.passes),
        lights=render_lights(render),
        matches=render.recipes[0].exact if render.recipes else None,
        has_depth=any(p.role is Role.DEPTH for p in render.passes),
        sources=[str(source) for source in row.sources],
    )


def shot_out(row: ShotRow) -> ShotOut:
    """A shot for the page."""
    render = shot_render(row)
    return ShotOut(
        id=row.id,
        name=row.name,
        render=render,
        lights=render_lights(render),
        components=render_components(render),
        renders=[_render_name(row) for row in row.renders if row.name],
        variants=[VariantLabel(id=variant.id, name=variant.name) for variant in row.variants],
        light_names=row.light_names,
    )
