"""What stations like Depth and Lens are made of: effects in order, each a row from its part of the document on."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from escala.model.variant import Variant

from .chain import Link, Picture
from .evaluation import Evaluation
from .surroundings import Surroundings


@dataclass(frozen=True)
class Ground:
    """Where an effect works: what is asked, and what it may look at beside the picture."""

    asked: Evaluation
    around: Surroundings


def _nowhere(part: Any, ground: Ground) -> float:
    return 0.0


@dataclass(frozen=True)
class Effect:
    """An effect: the name of its part, how it makes its picture of the one before, and how far it looks around.

    `reach` in pixels of the full-resolution render.
    """

    name: str
    function: Callable[[Picture, Any, Ground], Picture]
    reach: Callable[[Any, Ground], float] = _nowhere


def effects_link(
    place: str,
    part_of: Callable[[Variant], Any],
    effects: Sequence[Effect],
    files: Callable[[Variant, Surroundings], Any] = lambda variant, around: None,
) -> Link:
    """A station of effects. `files`: what is known of the outside files that its part names."""

    def active(variant: Variant) -> list[tuple[Effect, Any]]:
        parts = [(effect, getattr(part_of(variant), effect.name)) for effect in effects]
        return [(effect, part) for effect, part in parts if part.changes]

    def part(variant: Variant) -> Any:
        return part_of(variant) if active(variant) else None

    def function(picture: Picture, asked: Evaluation, around: Surroundings) -> Picture:
        for effect, settings in active(asked.variant):
            picture = effect.function(picture, settings, Ground(asked, around))
        return picture

    def reach(asked: Evaluation, around: Surroundings) -> float:
        return sum(effect.reach(settings, Ground(asked, around)) for effect, settings in active(asked.variant))

    def made_of(asked: Evaluation, around: Surroundings) -> tuple[Any, ...]:
        return tuple(asked.variant.mattes_of(place).items()), files(asked.variant, around)

    return Link(part, function, reach, made_of)
