"""Corrections as a stage of a pipeline."""

from collections.abc import Callable
from typing import Any, Protocol

from escala.model.corrections import Correction
from escala.model.variant import Variant

from ..frame_context import FrameContext
from ..pipeline import Picture, Stage
from ..request import EvaluationRequest
from .correction_prefix import apply_with_prefix_cache
from .registry import apply_corrections, files_of, reach_of


class HasCorrections(Protocol):
    """A part of the document with corrections, which act in order. `changes`: whether any of it changes anything."""

    @property
    def corrections(self) -> tuple[Correction, ...]: ...

    @property
    def changes(self) -> bool: ...


def corrections_stage(place: str, part_of: Callable[[Variant], HasCorrections]) -> Stage:
    """A stage that applies the corrections of a part of the document in order.

    `place`: where the part stands; its first step names the station whose mattes count.
    """

    def part(variant: Variant) -> HasCorrections | None:
        return part_of(variant) if part_of(variant).changes else None

    def function(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
        corrections = part_of(request.variant).corrections
        if request.is_preview and request.viewer:
            made = made_of(request, frame_context)
            return apply_with_prefix_cache(picture, corrections, made, place, request, frame_context)
        return apply_corrections(picture, corrections, request, frame_context.mattes)

    def reach(request: EvaluationRequest, frame_context: FrameContext) -> float:
        return sum(map(reach_of, part_of(request.variant).corrections))

    def made_of(request: EvaluationRequest, frame_context: FrameContext) -> tuple[Any, ...]:
        mattes = request.variant.mattes_of(place.split("/")[0])
        return files_of(part_of(request.variant).corrections), tuple(mattes.items())

    return Stage(place, part, function, reach, made_of)
