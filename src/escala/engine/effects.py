"""What stations like Depth and Lens are made of: effects in order, each a row from its part of the document on."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from escala.model.variant import Variant

from .frame_context import FrameContext
from .pipeline import Picture, Stage
from .request import EvaluationRequest


@dataclass(frozen=True)
class EffectContext:
    """Inputs of an effect beside its picture: the request, the frame, and its name."""

    request: EvaluationRequest
    frame_context: FrameContext
    name: str = ""

    def report_progress(self, share: float) -> None:
        """Report how far the effect is. Raises to stop it."""
        self.request.report(share, self.name)


def _nowhere(part: Any, context: EffectContext) -> float:
    return 0.0


def _nothing(variant: Variant) -> None:
    return None


def _no_files(variant: Variant, frame_context: FrameContext) -> None:
    return None


@dataclass(frozen=True)
class Effect:
    """An effect: the name of its part, how it makes its picture of the one before, and how far it looks around.

    `reach` in pixels of the full-resolution render. `beside`: what of the document counts for it beside its part;
    `files`: what is known of the outside files that it reads.
    """

    name: str
    function: Callable[[Picture, Any, EffectContext], Picture]
    reach: Callable[[Any, EffectContext], float] = _nowhere
    beside: Callable[[Variant], Any] = _nothing
    files: Callable[[Variant, FrameContext], Any] = _no_files


def effect_stages(place: str, effects: Sequence[Effect]) -> tuple[Stage, ...]:
    """The stages of a station of effects, whose settings stand at `place` of the document, each under its name.

    Each is a link of its own, so that the picture before the one being dragged is kept.
    """
    return tuple(_link(place, effect) for effect in effects)


def _link(place: str, effect: Effect) -> Stage:
    def settings(variant: Variant) -> Any:
        return getattr(getattr(variant, place), effect.name)

    def part(variant: Variant) -> Any:
        found = settings(variant)
        return (found, effect.beside(variant)) if found.changes else None

    def function(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
        return effect.function(picture, settings(request.variant), EffectContext(request, frame_context, effect.name))

    def reach(request: EvaluationRequest, frame_context: FrameContext) -> float:
        return effect.reach(settings(request.variant), EffectContext(request, frame_context))

    def made_of(request: EvaluationRequest, frame_context: FrameContext) -> tuple[Any, ...]:
        return tuple(request.variant.mattes_of(place).items()), effect.files(request.variant, frame_context)

    return Stage(effect.name, part, function, reach, made_of)
