"""Pictures and the stages that change them, one after the other: the path after the beauty, and layers of the plate."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from escala.core.planes import Matte, Planes
from escala.model.variant import Variant

from .cache import ByteCache
from .frame_context import FrameContext
from .keys import CacheKeys
from .progress import subrange
from .request import EvaluationRequest
from .viewer.viewport import Viewport, resize_planes


@dataclass(frozen=True)
class _Known:
    """An alpha that has been read."""

    planes: Planes | None

    def __call__(self) -> Planes | None:
        return self.planes


@dataclass(frozen=True)
class Picture:
    """Working-space colour, (3, H, W), and its alpha, which is read when it is first used."""

    colour: Planes
    read_alpha: Callable[[], Planes | None]

    @cached_property
    def alpha(self) -> Planes | None:
        """(H, W); None where the render has none, or it is ignored."""
        return self.read_alpha()

    @property
    def settled(self) -> "Picture":
        """The same with its alpha read: a cache counts all that it holds."""
        return Picture(self.colour, _Known(self.alpha))

    def with_colour(self, colour: Planes) -> "Picture":
        """Another colour over the same alpha."""
        return replace(self, colour=colour)

    def times(self, share: Matte) -> "Picture":
        """Colour and alpha times a share of each pixel, (H, W)."""
        return Picture(np.asarray(self.colour * share), lambda: None if self.alpha is None else self.alpha * share)

    def part(self, place: Viewport, wanted: Viewport) -> "Picture":
        """What a picture of a place has of a place within; both pixel by pixel of one pyramid level."""
        if place == wanted:
            return self
        step = 1 << wanted.level
        left, top = (wanted.x - place.x) // step, (wanted.y - place.y) // step
        rows, columns = slice(top, top + wanted.out_height), slice(left, left + wanted.out_width)
        return Picture(self.colour[:, rows, columns], lambda: _cut(self.alpha, rows, columns))

    def resized(self, wanted: Viewport) -> "Picture":
        """At the size of a viewport."""
        size = wanted.out_width, wanted.out_height
        return Picture(resize_planes(self.colour, *size), lambda: _resized(self.alpha, *size))


def _cut(plane: Planes | None, rows: slice, columns: slice) -> Planes | None:
    return None if plane is None else plane[rows, columns]


def _resized(plane: Planes | None, width: int, height: int) -> Planes | None:
    return None if plane is None else resize_planes(plane[None], width, height)[0]


def _nothing_else(request: EvaluationRequest, frame_context: FrameContext) -> None:
    return None


def _no_reach(request: EvaluationRequest, frame_context: FrameContext) -> float:
    return 0.0


@dataclass(frozen=True)
class Stage:
    """How a station of the pipeline makes its picture of the one before.

    `name`: reported while it works. `part`: its settings in the document; None while that changes nothing,
    and the picture passes on untouched. `reach`: how far it looks around each pixel, in pixels of the full-resolution
    render. `made_of`: what its pictures are made of beside the part, as the contents of files and the mattes that it
    names; they are kept by both.
    """

    name: str
    part: Callable[[Variant], Any]
    function: Callable[[Picture, EvaluationRequest, FrameContext], Picture]
    reach: Callable[[EvaluationRequest, FrameContext], float] = _no_reach
    made_of: Callable[[EvaluationRequest, FrameContext], Any] = _nothing_else


@dataclass(frozen=True)
class Pipeline:
    """Stages in order after a first picture: of the path after the beauty, or of a layer of the plate.

    `first`: makes the first picture; `made_of`: all that is made of, beside the pixels of the frame and the colour
    pipeline. `name`: of a layer, by which its results are cached.
    """

    keys: CacheKeys
    cache: ByteCache
    frame_context: FrameContext
    first: Callable[[EvaluationRequest], Picture]
    made_of: Callable[[EvaluationRequest], Any]
    stages: tuple[Stage, ...]
    name: str = ""

    def picture(self, count: int, request: EvaluationRequest) -> Picture:
        """The picture after the first `count` links.

        Where one of them looks around itself, all is made pixel by pixel of the viewport's pyramid level, then resized:
        places can then grow by whole pixels, and each pixel is the same whatever part of the picture is requested.
        """
        active = tuple(stage for stage in self.stages[:count] if stage.part(request.variant) is not None)
        if not request.viewport.is_level and any(stage.reach(request, self.frame_context) > 0 for stage in active):
            whole = request.at(request.viewport.on_level())
            return self._after(active, whole).resized(request.viewport)
        return self._after(active, request)

    def reach(self, request: EvaluationRequest) -> float:
        """How far all stages together look around a pixel, in pixels of the full-resolution render."""
        return sum(
            stage.reach(request, self.frame_context) for stage in self.stages if stage.part(request.variant) is not None
        )

    def is_neutral(self, variant: Variant) -> bool:
        """Whether no link changes anything."""
        return all(stage.part(variant) is None for stage in self.stages)

    def _after(self, stages: tuple[Stage, ...], request: EvaluationRequest) -> Picture:
        """The picture after stages that all change something; each is one step of the progress, after the beauty."""
        if not stages:
            request.progress(0.0, self.name or "beauty")
            return self.first(request)
        *before, last = stages
        raster, share = self.keys.render.raster, len(stages) / (len(stages) + 1)
        grown = request.at(request.viewport.grown(last.reach(request, self.frame_context), raster.width, raster.height))
        earlier = self._kept(tuple(before), grown.with_progress(subrange(request.progress, 0.0, share)))
        request.progress(share, last.name)
        later = grown.with_progress(subrange(request.progress, share, 1.0))
        return last.function(earlier, later, self.frame_context).part(grown.viewport, request.viewport)

    def _kept(self, stages: tuple[Stage, ...], request: EvaluationRequest) -> Picture:
        """As `_after`; the last of each viewport of a viewer is kept while only what follows it changes."""
        if not request.is_cacheable:
            return self._after(stages, request)
        variant = request.variant
        made_by = (
            request.colour_pipeline.key,
            self.made_of(request),
            *((stage.part(variant), stage.made_of(request, self.frame_context)) for stage in stages),
        )
        place = self.keys.for_interpretation(
            "last", self.name, len(stages), request.viewport, request.is_preview, request.viewer
        )
        kept: tuple[object, Picture] | None = self.cache.peek(place)
        if kept is not None and kept[0] == made_by:
            return kept[1]
        picture = self._after(stages, request).settled
        self.cache.put(place, (made_by, picture))
        return picture
