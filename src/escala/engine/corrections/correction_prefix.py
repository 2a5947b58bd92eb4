"""A list of corrections while one of them is dragged: the picture before that one is cached."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from escala.model.corrections import Correction

from ..frame_context import FrameContext
from ..pipeline import Picture
from ..request import EvaluationRequest
from .registry import apply_corrections


@dataclass(frozen=True)
class CorrectionPrefix:
    """What is kept of a list as it was last shown to a viewer: the picture after the first `done` of its corrections.

    `before`: the picture that it acts on; `made_of`: the files and mattes that count in it.
    """

    before: Picture
    corrections: tuple[Correction, ...]
    made_of: Any
    done: int
    after: Picture


def apply_with_prefix_cache(
    picture: Picture,
    corrections: Sequence[Correction],
    made_of: Any,
    place: str,
    request: EvaluationRequest,
    frame_context: FrameContext,
) -> Picture:
    """As `apply_corrections`; those before the first that changed since the picture before are not applied again."""
    wanted, cache = tuple(corrections), frame_context.terms.cache
    key = frame_context.terms.keys.for_interpretation(
        "begun", place, request.viewport, request.viewer, colour_pipeline=request.colour_pipeline
    )
    kept: CorrectionPrefix | None = cache.peek(key)
    same = 0
    if kept is not None and kept.before is picture and kept.made_of == made_of:
        pairs = enumerate(zip(kept.corrections, wanted, strict=False))
        same = next((i for i, (one, other) in pairs if one != other), min(len(kept.corrections), len(wanted)))
    done, after = (kept.done, kept.after) if kept is not None and 0 < kept.done <= same else (0, picture)
    # The whole list is never kept: the next picture changes one of them, most often the last that changed.
    until = min(same, len(wanted) - 1)
    if until > done:
        done, after = until, apply_corrections(after, wanted[done:until], request, frame_context.mattes)
    cache.put(key, CorrectionPrefix(picture, wanted, made_of, done, after))
    return apply_corrections(after, wanted[done:], request, frame_context.mattes)
