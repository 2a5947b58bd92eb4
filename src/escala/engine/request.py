"""Evaluation requests: what to evaluate, at which quality, for which client."""

from dataclasses import dataclass, field, replace
from enum import Enum

from escala.core.progress import ProgressCallback
from escala.model.variant import Variant

from .colour.pipeline import ColourPipeline
from .progress import Progress, no_progress
from .viewer.viewport import Viewport
from .worker import yield_to_urgent


class Quality(Enum):
    """Quality of an image.

    Preview: fast, from filtered passes, while a value is dragged. Exact: full quality, cached for the next request.
    Export: full quality, evaluated in bands, never cached.
    """

    PREVIEW = "preview"
    EXACT = "exact"
    EXPORT = "export"


@dataclass(frozen=True)
class EvaluationRequest:
    """An immutable evaluation request: variant, resolved colour pipeline, region and resolution, quality, and client.

    `viewer`: client id for the per-viewer preview cache, "" for none. `number`: frame number. `progress`: callback
    `(fraction 0..1, step name)`; it may raise to cancel; ignored in comparisons.
    """

    variant: Variant
    colour_pipeline: ColourPipeline
    viewport: Viewport
    quality: Quality = Quality.EXACT
    viewer: str = ""
    number: int = 0
    progress: Progress = field(default=no_progress, compare=False)

    @property
    def is_preview(self) -> bool:
        """Whether the quality is that of a preview."""
        return self.quality is Quality.PREVIEW

    @property
    def is_cacheable(self) -> bool:
        """Whether results are cached for the next request."""
        return self.quality is not Quality.EXPORT

    def report(self, fraction: float, step: str) -> None:
        """Report the progress of a step, 0 to 1, and yield to more urgent work. Raises to cancel the evaluation."""
        yield_to_urgent()
        self.progress(fraction, step)

    def reporting(self, step: str) -> ProgressCallback:
        """The progress callback of the loops of a step."""
        return lambda fraction: self.report(fraction, step)

    def of(self, variant: Variant) -> "EvaluationRequest":
        """The same request for another variant in the same colour pipeline."""
        return replace(self, variant=variant)

    def at(self, viewport: Viewport) -> "EvaluationRequest":
        """The same request for another viewport."""
        return self if viewport == self.viewport else replace(self, viewport=viewport)

    def with_progress(self, progress: Progress) -> "EvaluationRequest":
        """The same request with another progress callback."""
        return replace(self, progress=progress)
