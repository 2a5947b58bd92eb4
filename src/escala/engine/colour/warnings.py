"""The classic mistakes of colour, noticed along the chain from file to screen, each with its evidence."""

import re
from dataclasses import dataclass

import numpy as np

from escala.core.colour.file_colour import gamut_of
from escala.core.colour.gamuts import GAMUTS
from escala.core.looking.viewer_aids import outside_gamut
from escala.core.planes import Planes
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..looking.look import whole_look
from .chain import Colouring

# Views that put scene-linear values on the screen as they are.
_RAW_VIEW = re.compile(r"\braw\b|un-?tone-?mapped|\blinear\b|\bplain\b", re.IGNORECASE)
_ENCODED = {"encoded", "encoded_twice"}
_LOOKED_AT = 640
# From this share of the lit picture on, colours beyond the gamut are told.
_MANY = 0.005
# Colours that differ by this share of their brightest channel look different.
_VISIBLE = 0.02


@dataclass(frozen=True)
class ColourWarning:
    """A mistake that the chain makes. `share`: of the picture that shows it, 0..1; None where none can be counted."""

    code: str
    message: str
    share: float | None = None


def colour_warnings(engine: Evaluator, variant: Variant) -> list[ColourWarning]:
    """What is wrong with the chain of this variant; nothing when it is sound."""
    colouring = engine.colouring(variant)
    look = whole_look(engine.render, _LOOKED_AT)
    reference = engine.terms.reference(engine.make_request(variant, look))
    found = [_shown_wrongly(engine, colouring, reference), _clamped(engine, colouring, reference)]
    found += [_other_primaries(engine, colouring, reference), _outside(colouring, reference)]
    return [warning for warning in found if warning is not None]


def _codes(engine: Evaluator) -> set[str]:
    found = engine.render.find_pass(engine.render.reference) if engine.render.reference else None
    return {finding.code for finding in found.diagnostics} if found else set()


def _shown_wrongly(engine: Evaluator, colouring: Colouring, reference: Planes | None) -> ColourWarning | None:
    view = colouring.view.view
    if _RAW_VIEW.search(view):
        share = None if reference is None else float((reference.max(axis=0) > 1).mean())
        return ColourWarning(
            "raw_view",
            f"The view {view} shows scene-linear values without a transform: the image looks dark and clips above 1. "
            "Choose a display transform.",
            share,
        )
    if _codes(engine) & _ENCODED:
        return ColourWarning(
            "encoded_again",
            "The beauty is already display-referred, and the view is applied again: it looks washed out. Decode it at "
            "Source.",
        )
    return None


def _clamped(engine: Evaluator, colouring: Colouring, reference: Planes | None) -> ColourWarning | None:
    if "clamped" not in _codes(engine) or reference is None:
        return None
    stored = colouring.config.convert(reference, colouring.working.name, colouring.input_space)
    text = "The beauty is clipped at 1: its highlights stay grey when darkened."
    return ColourWarning("clamped", text, float((stored.max(axis=0) > 0.998).mean()))


def _other_primaries(engine: Evaluator, colouring: Colouring, reference: Planes | None) -> ColourWarning | None:
    """The header names primaries, and the space set manually has others."""
    for p in engine.render.passes:
        corners = p.colour.chromaticities
        declared = gamut_of(corners) if corners and p.is_colour else None
        read = colouring.config.gamut_of_space(colouring.space_of(p.name))
        if declared and read and read != GAMUTS[declared]:
            space = colouring.space_of(p.name)
            return ColourWarning(
                "wrong_gamut",
                f"The header of {p.colour.name} names the primaries of {declared}, but the input space is {space}: hue and "
                "saturation are wrong everywhere. Use the space of the header, unless the header is wrong.",
                _share_off(colouring, reference, space, declared),
            )
    return None


def _share_off(colouring: Colouring, reference: Planes | None, space: str, declared: str) -> float | None:
    """The share of the picture whose colours differ visibly between two readings of the same values."""
    meant = colouring.config.space_of_gamut(declared)
    if reference is None or meant is None:
        return None
    stored = colouring.config.convert(reference, colouring.working.name, space)
    other = colouring.config.convert(stored, meant, colouring.working.name)
    off = np.abs(other - reference).max(axis=0) > _VISIBLE * np.abs(reference).max(axis=0)
    return float(off.mean())


def _outside(colouring: Colouring, reference: Planes | None) -> ColourWarning | None:
    if reference is None:
        return None
    lit = np.abs(reference).max(axis=0) > 1e-4
    share = float((outside_gamut(reference) & lit).sum() / max(int(lit.sum()), 1))
    if share < _MANY:
        return None
    return ColourWarning(
        "outside_gamut",
        f"Colours lie outside {colouring.working.name}: with input space {colouring.input_space} the beauty is more "
        "saturated than light can be. The input space is probably too wide; use the renderer's working space.",
        share,
    )
