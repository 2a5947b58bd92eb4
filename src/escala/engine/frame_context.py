"""Per-frame inputs of the stages after the beauty, beside the picture: mattes, depth, and images from outside."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

from escala.core.lens.geometry import FramePart
from escala.core.planes import Matte, Planes
from escala.model.plate import RenderLayer
from escala.model.render import Render
from escala.model.variant import Variant

from .beauty.terms import Terms
from .images import Images
from .mattes.mattes import Mattes
from .request import EvaluationRequest
from .viewer.viewport import Viewport

if TYPE_CHECKING:
    from .evaluator import Evaluator

# Looks up the evaluator of the further render that a layer shows, as the layer reads it, at the same frame; None where
# the shot has no such render or frame.
FindRender = Callable[[RenderLayer], "Evaluator | None"]


def no_renders(layer: RenderLayer) -> None:
    """Where a shot has one render."""


class DepthInput(Protocol):
    """Where the pixels of a picture lie in the scene, and how they move."""

    def distance(self, request: EvaluationRequest, alpha: Planes | None) -> Planes | None:
        """Distances as they are measured, (H, W) in scene units, infinite where nothing is; None where not known."""

    def axial_distance(self, request: EvaluationRequest, alpha: Planes | None) -> Planes | None:
        """As `distance`, along the axis of the camera where its field of view is known."""

    def position(self, request: EvaluationRequest) -> Planes | None:
        """Places in the scene, (3, H, W); None where not known."""

    def motion(self, request: EvaluationRequest) -> Planes | None:
        """Motion vectors in pixels of the full-resolution render, (2, H, W); None where there are none."""

    def longest_motion(self, variant: Variant) -> tuple[float, float] | None:
        """The largest extents of the motion vectors of the whole frame, across and down."""


@dataclass(frozen=True)
class FrameContext:
    """What a stage may read beside its picture. `frame_offset`: frames since the first of the shot."""

    mattes: Mattes
    depth: DepthInput
    images: Images
    find_render: FindRender = no_renders
    frame_offset: int = 0

    @property
    def terms(self) -> Terms:
        """The passes of the frame."""
        return self.mattes.terms

    @property
    def render(self) -> Render:
        """The interpreted render."""
        return self.terms.render

    def matte(self, name: str | None, request: EvaluationRequest) -> Matte | None:
        """A matte of the variant at a viewport; None where none is named."""
        return None if name is None else self.mattes.at(name, request)

    def part_of_frame(self, viewport: Viewport) -> FramePart:
        """Where the pixels of a viewport lie in the displayed picture."""
        return part_of_frame(self.render, viewport)


def part_of_frame(render: Render, viewport: Viewport) -> FramePart:
    """Where the pixels of a viewport lie in the displayed picture of a render."""
    (left, top), display = render.offset, render.display
    return FramePart(viewport.x - left, viewport.y - top, 1.0 / viewport.scale, display.width, display.height)


def first_pixel(viewport: Viewport) -> tuple[int, int]:
    """Column and row of a viewport's first pixel on its pyramid level."""
    step = 1 << viewport.level
    return viewport.x // step, viewport.y // step
