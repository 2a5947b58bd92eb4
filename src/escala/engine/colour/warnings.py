"""The classic mistakes of colour, noticed along the chain from file to screen, each with its evidence."""

import re
from dataclasses import dataclass

import numpy as np

from escala.core.colour.file_colour import gamut_of
from escala.core.colour.gamuts import GAMUTS
from escala.core.planes import Planes
from escala.core.viewer.viewer_aids import outside_gamut
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..viewer.viewport import whole_viewport
from .pipeline import ColourPipeline

# Views that put scene-linear values on the screen as they are.
_RAW_VIEW = re.compile(r"\braw\b|un-?tone-?mapped|\blinear\b|\bplain\b", re.IGNORECASE)
_ENCODED = {"encoded", "encoded_twice"}
_LOOKED_AT = 640
# From this share of the lit picture on, colours beyond the gamut are reported.
_MANY = 0.005
# Colours that differ by this share of their brightest channel look different.
_VISIBLE = 0.02


@dataclass(frozen=True)
class ColourWarning:
    """A mistake that the chain makes. `share`: of the picture that shows it, 0..1; None where none can be counted."""

    code: str
    message: str
    share: float | None = None


def colour_warnings(evaluator: Evaluator, variant: Variant) -> list[ColourWarning]:
    """What is wrong with the chain of this variant; nothing when it is sound."""
    colour_pipeline = evaluator.colour_pipeline(variant)
    look = whole_viewport(evaluator.render, _LOOKED_AT)
    reference = evaluator.terms.reference(evaluator.make_request(variant, look))
    found = [_shown_wrongly(evaluator, colour_pipeline, reference), _clamped(evaluator, colour_pipeline, reference)]
    found += [_other_primaries(evaluator, colour_pipeline, reference), _outside(colour_pipeline, reference)]
    return [warning for warning in found if warning is not None]


def _codes(evaluator: Evaluator) -> set[str]:
    found = evaluator.render.find_pass(evaluator.render.reference) if evaluator.render.reference else None
    return {finding.code for finding in found.diagnostics} if found else set()


def _shown_wrongly(
    evaluator: Evaluator, colour_pipeline: ColourPipeline, reference: Planes | None
) -> ColourWarning | None:
    view = colour_pipeline.view.view
    if _RAW_VIEW.search(view):
        share = None if reference is None else float((reference.max(axis=0) > 1).mean())
        return ColourWarning(
            "raw_view",
            f"The view {view} shows scene-linear values without a transform: the image looks dark and clips above 1. "
            "Choose a display transform.",
            share,
        )
    if _codes(evaluator) & _ENCODED:
        return ColourWarning(
            "encoded_again",
            "The beauty is already display-referred, and the view is applied again: it looks washed out. Decode it at "
            "Source.",
        )
    return None


def _clamped(evaluator: Evaluator, colour_pipeline: ColourPipeline, reference: Planes | None) -> ColourWarning | None:
    if "clamped" not in _codes(evaluator) or reference is None:
        return None
    stored = colour_pipeline.config.convert(reference, colour_pipeline.working.name, colour_pipeline.input_space)
    text = "The beauty is clipped at 1: its highlights stay grey when darkened."
    return ColourWarning("clamped", text, float((stored.max(axis=0) > 0.998).mean()))


def _other_primaries(
    evaluator: Evaluator, colour_pipeline: ColourPipeline, reference: Planes | None
) -> ColourWarning | None:
    """The header names primaries, and the space set manually has others."""
    for p in evaluator.render.passes:
        corners = p.colour.chromaticities
        declared = gamut_of(corners) if corners and p.is_colour else None
        read = colour_pipeline.config.gamut_of_space(colour_pipeline.space_of(p.name))
        if declared and read and read != GAMUTS[declared]:
            space = colour_pipeline.space_of(p.name)
            return ColourWarning(
                "wrong_gamut",
                f"The header of {p.colour.name} names the primaries of {declared}, but the input space is {space}: hue "
                "and saturation are wrong everywhere. Use the space of the header, unless the header is wrong.",
                _share_off(colour_pipeline, reference, space, declared),
            )
    return None


def _share_off(colour_pipeline: ColourPipeline, reference: Planes | None, space: str, declared: str) -> float | None:
    """The share of the picture whose colours differ visibly between two readings of the same values."""
    meant = colour_pipeline.config.space_of_gamut(declared)
    if reference is None or meant is None:
        return None
    stored = colour_pipeline.config.convert(reference, colour_pipeline.working.name, space)
    other = colour_pipeline.config.convert(stored, meant, colour_pipeline.working.name)
    off = np.abs(other - reference).max(axis=0) > _VISIBLE * np.abs(reference).max(axis=0)
    return float(off.mean())


def _outside(colour_pipeline: ColourPipeline, reference: Planes | None) -> ColourWarning | None:
    if reference is None:
        return None
    lit = np.abs(reference).max(axis=0) > 1e-4
    share = float((outside_gamut(reference) & lit).sum() / max(int(lit.sum()), 1))
    if share < _MANY:
        return None
    return ColourWarning(
        "outside_gamut",
        f"Colours lie outside {colour_pipeline.working.name}: with input space {colour_pipeline.input_space} "
        "the beauty is more saturated than light can be. The input space is probably too wide; use the renderer's "
        "working space.",
        share,
    )
