"""Distances of layers: of a plane, of a render's pixels, and of pixels that were spread by defocus and motion."""

from dataclasses import dataclass, replace

import numpy as np

from escala.core.planes import Planes
from escala.model.variant import Variant

from ..depth.registry import DEPTH_EFFECTS
from ..effects import effect_stages
from ..frame_context import FrameContext
from ..pipeline import Picture, Pipeline
from ..request import EvaluationRequest

# Less of a pixel than this is nothing.
_NOTHING = 1e-5


@dataclass(frozen=True)
class PlaneDepth:
    """The depth input of a layer that stands at one distance; nothing of it moves."""

    distance_of_plane: float

    def distance(self, request: EvaluationRequest, alpha: Planes | None) -> Planes:
        """As `DepthInput.distance`."""
        shape = request.viewport.out_height, request.viewport.out_width
        distance = np.full(shape, self.distance_of_plane, np.float32)
        return distance if alpha is None else np.where(alpha > 0, distance, np.float32(np.inf))

    def axial_distance(self, request: EvaluationRequest, alpha: Planes | None) -> Planes:
        """As `DepthInput.axial_distance`."""
        return self.distance(request, alpha)

    def position(self, request: EvaluationRequest) -> None:
        """As `DepthInput.position`: not known."""

    def motion(self, request: EvaluationRequest) -> None:
        """As `DepthInput.motion`: none."""

    def longest_motion(self, variant: Variant) -> None:
        """As `DepthInput.longest_motion`: none."""


def spread_distance(frame_context: FrameContext, request: EvaluationRequest) -> Planes:
    """The distances of a render's pixels, (H, W), after they were spread as its colour is; infinite where nothing is.

    Where several surfaces are spread over a pixel, the mean of their inverse distances, each by its share.
    """

    def first(at: EvaluationRequest) -> Picture:
        alpha = None if frame_context.render.alpha_ignored else frame_context.terms.alpha(at)
        distance = frame_context.depth.distance(at, alpha)
        shape = at.viewport.out_height, at.viewport.out_width
        if distance is None:
            return Picture(np.zeros((3, *shape), np.float32), lambda: np.zeros(shape, np.float32))
        is_there = np.isfinite(distance) & (distance > 0)
        cover = is_there.astype(np.float32) if alpha is None else np.where(is_there, alpha, np.float32(0.0))
        inverse = np.where(is_there, cover / np.where(is_there, distance, np.float32(1.0)), np.float32(0.0))
        return Picture(np.repeat(inverse[None].astype(np.float32), 3, axis=0), lambda: cover)

    depth = request.variant.depth
    if not (depth.defocus.changes or depth.motion.changes):
        return _distance(first(request))
    spreading = request.variant.model_copy(
        update={"depth": depth.model_copy(update={"haze": depth.haze.model_copy(update={"on": False})})}
    )
    stages = effect_stages("depth", DEPTH_EFFECTS)
    keys, cache = frame_context.terms.keys, frame_context.terms.cache
    pipeline = Pipeline(keys, cache, frame_context, first, _inputs, stages, "distance")
    return _distance(pipeline.picture(len(stages), replace(request, variant=spreading)))


def _inputs(request: EvaluationRequest) -> object:
    """What distances are made of beside the passes."""
    return request.variant.depth.reading, request.variant.beauty.removed, tuple(request.variant.mattes.items())


def _distance(picture: Picture) -> Planes:
    cover = np.asarray(picture.alpha)
    is_there = (cover > _NOTHING) & (picture.colour[0] > 0)
    inverse = np.where(is_there, picture.colour[0], np.float32(1.0))
    return np.where(is_there, cover / inverse, np.float32(np.inf)).astype(np.float32)
