"""A render as a document: its passes with their roles, its recipes, and what its files say."""

import hashlib
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from escala.core.beauty.recipes import Recipe
from escala.core.colour.file_colour import FileColour
from escala.core.roles import COLOUR_ROLES, Portion, Role
from escala.core.source.diagnostics import Diagnostic, PassStatistics


class Document(BaseModel):
    """A frozen document that refuses unknown fields."""

    model_config = ConfigDict(frozen=True, extra="forbid", serialize_by_alias=True)


class WindowBox(Document):
    """A window of pixels: first column and row, width and height."""

    x: int
    y: int
    width: int = Field(gt=0)
    height: int = Field(gt=0)


class SourceEntry(Document):
    """A file of a frame, and the pass that its name stands for (empty: the file names its own)."""

    path: str
    label: str = ""
    fit: bool = False


class DepthReading(Document):
    """What a pass measures when it is taken for depth, and why; decided once for all frames."""

    kind: Literal["planar", "ray", "inverse", "unit"]
    reason: str


class RenderPass(Document):
    """A pass of a render. `part` is the portion of its component; `colour`: what its file says of colour.

    `depth`: what it measures, for a pass that could be taken for depth.
    """

    name: str
    role: Role
    light: str | None = None
    component: str | None = None
    part: Portion | None = None
    twin: str | None = None
    sure: float = Field(ge=0, le=1)
    reason: str
    file: str
    file_part: str
    channels: tuple[str, ...]
    pixel_type: str
    depth: DepthReading | None = None
    colour: FileColour = FileColour()
    statistics: PassStatistics
    diagnostics: tuple[Diagnostic, ...] = ()

    @property
    def is_colour(self) -> bool:
        """Whether colour management applies."""
        return self.role in COLOUR_ROLES


class FoundRecipe(Document):
    """A recipe that was found, with its proof on the first frame."""

    recipe: Recipe
    sentence: str
    exact: bool
    max_abs: float
    rms: float
    psnr: float | None
    outside_share: float


class Render(Document):
    """Files that belong together, read and recognised. `stamp` identifies their state when they were read.

    `alpha_ignored`: colour is taken as it stands, as if all of it were solid.
    """

    name: str
    frames: dict[int, tuple[SourceEntry, ...]]
    missing_frames: tuple[int, ...]
    frame_rate: float = Field(24.0, gt=0)
    display: WindowBox
    raster: WindowBox
    pixel_aspect: float
    passes: tuple[RenderPass, ...]
    reference: str | None
    recipes: tuple[FoundRecipe, ...]
    stamp: str = ""
    alpha_ignored: bool = False
    attributes: dict[str, str] = Field(default_factory=dict)
    diagnostics: tuple[Diagnostic, ...] = ()

    @property
    def first_frame(self) -> int:
        """The lowest frame number."""
        return min(self.frames)

    @property
    def width(self) -> int:
        """Width of the picture as displayed, in pixels."""
        return self.display.width

    @property
    def height(self) -> int:
        """Height of the picture as displayed, in pixels."""
        return self.display.height

    @property
    def offset(self) -> tuple[int, int]:
        """Column and row of the raster at which the displayed picture begins."""
        return self.display.x - self.raster.x, self.display.y - self.raster.y

    @property
    def alpha_pass(self) -> str | None:
        """The pass that says how far each pixel is covered, if there is one."""
        return next((p.name for p in self.passes if p.role == Role.ALPHA), None)

    @property
    def albedo_pass(self) -> str | None:
        """The pass of surface colour, best of the diffuse component; None where there is none."""
        found = [p for p in self.passes if p.part == Portion.COLOUR and len(p.channels) >= 3]
        return next((p.name for p in sorted(found, key=lambda p: p.component != "diffuse")), None)

    def find_pass(self, name: str) -> RenderPass | None:
        """The pass of this name, if there is one."""
        return next((p for p in self.passes if p.name == name), None)

    def recipe(self, name: str) -> Recipe | None:
        """The recipe of this kind, if it was found."""
        return next((found.recipe for found in self.recipes if found.recipe.name == name), None)

    def chosen_recipe(self, name: str | None) -> Recipe | None:
        """The recipe of this kind, else the best; None where none was found."""
        return (self.recipe(name) if name else None) or (self.recipes[0].recipe if self.recipes else None)

    @property
    def digest(self) -> str:
        """Identifies all that was read and recognised; computed at each call."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()[:24]

    def as_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return self.model_dump(mode="json")
