"""What results are cached by: each key names all that made it, and is spelled nowhere else."""

from functools import cached_property
from typing import Any

from escala.media.store import StoredFrame
from escala.model.render import Render

from .colour.pipeline import ColourPipeline
from .mattes.manifests import manifest_state

Key = tuple[Any, ...]


class CacheKeys:
    """The cache keys of one frame as it is interpreted.

    The folder of a frame is named by paths, sizes, times and contents of its files, and by repairs; the interpretation
    holds roles, reference, recipes, alpha, name and frames of the render. Manifests of object mattes that lie in files
    of their own are part of both: `refresh` takes note of their state.
    """

    def __init__(self, render: Render, frame: StoredFrame) -> None:
        self.render = render
        self.frame = frame
        self._manifests = manifest_state(frame)

    def refresh(self) -> None:
        """Take note of the outside files that belong to the frame, as they are now."""
        self._manifests = manifest_state(self.frame)

    @cached_property
    def _interpretation(self) -> str:
        return self.render.digest

    def for_pixels(self, kind: str, *facts: Any) -> Key:
        """For what follows from the stored pixels alone: shared by all who look at these files."""
        return (self.frame.folder.name, kind, self._manifests, *facts)

    def for_interpretation(self, kind: str, *facts: Any, colour_pipeline: ColourPipeline | None = None) -> Key:
        """For what follows from how the render is read, and from the colour pipeline where that is given."""
        pipeline = () if colour_pipeline is None else (*colour_pipeline.key, colour_pipeline.view)
        return (self.frame.folder.name, kind, self._manifests, self._interpretation, pipeline, *facts)
