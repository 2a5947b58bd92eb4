"""What stations like Depth and Lens are made of: effects in order, each a row from its part of the document on."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from escala.model.variant import Variant

from .chain import Link, Picture
from .evaluation import EvaluationRequest
from .surroundings import Surroundings


@dataclass(frozen=True)
class Ground:
    """Where an effect works: what is asked, what it may look at beside the picture, and its name."""

    request: EvaluationRequest
    around: Surroundings
    name: str = ""

    def report_progress(self, share: float) -> None:
        """Report how far the effect is. Raises to stop it."""
        self.request.report(share, self.name)


def _nowhere(part: Any, ground: Ground) -> float:
    return 0.0


def _nothing(variant: Variant) -> None:
    return None


def _no_files(variant: Variant, around: Surroundings) -> None:
    return None


@dataclass(frozen=True)
class Effect:
    """An effect: the name of its part, how it makes its picture of the one before, and how far it looks around.

    `reach` in pixels of the full-resolution render. `beside`: what of the document counts for it beside its part;
    `files`: what is known of the outside files that it reads.
    """

    name: str
    function: Callable[[Picture, Any, Ground], Picture]
    reach: Callable[[Any, Ground], float] = _nowhere
    beside: Callable[[Variant], Any] = _nothing
    files: Callable[[Variant, Surroundings], Any] = _no_files


def effect_links(place: str, effects: Sequence[Effect]) -> tuple[Link, ...]:
    """The links of a station of effects, whose settings stand at `place` of the document, each under its name.

    Each is a link of its own, so that the picture before the one under the hand is kept.
    """
    return tuple(_link(place, effect) for effect in effects)


def _link(place: str, effect: Effect) -> Link:
    def settings(variant: Variant) -> Any:
        return getattr(getattr(variant, place), effect.name)

    def part(variant: Variant) -> Any:
        found = settings(variant)
        return (found, effect.beside(variant)) if found.changes else None

    def function(picture: Picture, request: EvaluationRequest, around: Surroundings) -> Picture:
        return effect.function(picture, settings(request.variant), Ground(request, around, effect.name))

    def reach(request: EvaluationRequest, around: Surroundings) -> float:
        return effect.reach(settings(request.variant), Ground(request, around))

    def made_of(request: EvaluationRequest, around: Surroundings) -> tuple[Any, ...]:
        return tuple(request.variant.mattes_of(place).items()), effect.files(request.variant, around)

    return Link(effect.name, part, function, reach, made_of)
