"""What a station of the pipeline may look at beside the picture: passes of the frame, mattes, pictures from outside."""

from dataclasses import dataclass

from escala.core.lens.geometry import FramePart
from escala.core.planes import Matte, Planes, as_planes
from escala.model.render import Render

from .beauty.terms import Terms
from .images import FindImage
from .mattes.mattes import Mattes
from .request import EvaluationRequest
from .viewer.viewport import Viewport, sample_pass


@dataclass(frozen=True)
class FrameContext:
    """Per-frame inputs of the stages after the beauty: passes, mattes, and external images."""

    mattes: Mattes
    find_image: FindImage

    @property
    def terms(self) -> Terms:
        """The passes of the frame."""
        return self.mattes.terms

    @property
    def render(self) -> Render:
        """The render as it is read."""
        return self.terms.render

    def data(self, name: str, request: EvaluationRequest) -> Planes:
        """A data pass at a viewport by its nearest pixels, (C, H, W)."""
        key = self.terms.keys.for_pixels("pass", name, request.viewport, True)
        return self.terms.kept(
            key, lambda: as_planes(sample_pass(self.terms.frame, name, request.viewport, True)), request
        )

    def matte(self, name: str | None, request: EvaluationRequest) -> Matte | None:
        """A matte of the variant at a viewport; None where none is named."""
        return None if name is None else self.mattes.at(name, request)

    def part_of_frame(self, viewport: Viewport) -> FramePart:
        """Where the pixels of a viewport lie in the displayed picture."""
        (left, top), display = self.render.offset, self.render.display
        return FramePart(viewport.x - left, viewport.y - top, 1.0 / viewport.scale, display.width, display.height)


def first_pixel(viewport: Viewport) -> tuple[int, int]:
    """Column and row of a viewport's first pixel on its pyramid level."""
    step = 1 << viewport.level
    return viewport.x // step, viewport.y // step
