"""The registry of corrections: one row for each kind, from its part of the model to its function in the core."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.balance.levels import white_gain
from escala.core.colour.config import apply_lut
from escala.core.corrections.corrections import apply_cdl, correct, expose
from escala.core.corrections.tone import apply_curves, roll_off, set_contrast, set_range, tint
from escala.core.errors import choose
from escala.core.planes import Planes
from escala.core.surface.recolour import recolour
from escala.media.configs import read_lut
from escala.model.corrections import (
    CdlCorrection,
    ConfigCorrection,
    ContrastCorrection,
    Corrected,
    Correction,
    CurvesCorrection,
    ExposureCorrection,
    HueSaturationCorrection,
    LutCorrection,
    RangeCorrection,
    RollOffCorrection,
    TintCorrection,
    WhiteBalanceCorrection,
)

from ..chain import Picture
from ..colour.chain import Colouring


def _expose(planes: Planes, correction: ExposureCorrection, colouring: Colouring) -> Planes:
    return expose(planes, correction.stops)


def _cdl(planes: Planes, correction: CdlCorrection, colouring: Colouring) -> Planes:
    c = correction
    return apply_cdl(planes, c.slope, c.offset, c.power, c.saturation, c.clamp)


def _lut(planes: Planes, correction: LutCorrection, colouring: Colouring) -> Planes:
    return apply_lut(planes, read_lut(Path(correction.path)))


def _config(planes: Planes, correction: ConfigCorrection, colouring: Colouring) -> Planes:
    return colouring.config.transform(planes, correction.name, colouring.working.name, correction.inverse)


def _white_balance(planes: Planes, correction: WhiteBalanceCorrection, colouring: Colouring) -> Planes:
    gain = white_gain(colouring.working, correction.kelvin, correction.duv)
    return planes * gain.astype(np.float32)[:, None, None]


def _hue_saturation(planes: Planes, correction: HueSaturationCorrection, colouring: Colouring) -> Planes:
    return recolour(planes, correction.hue, correction.saturation, correction.value)


def _range(planes: Planes, correction: RangeCorrection, colouring: Colouring) -> Planes:
    c = correction
    return set_range(planes, c.black, c.white, c.out_black, c.out_white, c.gamma)


def _contrast(planes: Planes, correction: ContrastCorrection, colouring: Colouring) -> Planes:
    return set_contrast(planes, correction.amount, correction.pivot)


def _curves(planes: Planes, correction: CurvesCorrection, colouring: Colouring) -> Planes:
    return apply_curves(planes, correction.master, correction.red, correction.green, correction.blue)


def _tint(planes: Planes, correction: TintCorrection, colouring: Colouring) -> Planes:
    return tint(planes, correction.colour, correction.amount, colouring.working.luminance_weights)


def _roll_off(planes: Planes, correction: RollOffCorrection, colouring: Colouring) -> Planes:
    return roll_off(planes, correction.start, correction.limit)


# Kind: the function, and whether it is linear (then associated alpha needs no care).
CORRECTIONS: dict[str, tuple[Callable[[Planes, Any, Colouring], Planes], bool]] = {
    "exposure": (_expose, True),
    "cdl": (_cdl, False),
    "white_balance": (_white_balance, True),
    "hue_saturation": (_hue_saturation, False),
    "range": (_range, False),
    "contrast": (_contrast, False),
    "curves": (_curves, False),
    "tint": (_tint, True),
    "roll_off": (_roll_off, False),
    "lut": (_lut, False),
    "config": (_config, False),
}


def apply_correction(picture: Picture, correction: Correction, colouring: Colouring) -> Picture:
    """A correction on a picture, limited by its opacity; on unassociated colour unless it is linear."""
    function, linear = choose("correction", correction.kind, CORRECTIONS)
    if not correction.changes:
        return picture
    alpha = None if linear else picture.alpha
    changed = correct(picture.colour, lambda p: function(p, correction, colouring), correction.opacity, alpha)
    return picture.with_colour(changed)


def with_files(part: Corrected) -> tuple[Any, ...]:
    """Corrections, and the contents of the files that they name."""
    return part, *(read_lut(Path(c.path)) for c in part.corrections if c.kind == "lut" and c.changes)
