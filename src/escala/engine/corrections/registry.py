"""The registry of corrections: one row for each kind, from its part of the model to its function in the core."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.balance.levels import white_gain
from escala.core.colour.config import apply_lut
from escala.core.corrections.blur import blur, sharpen
from escala.core.corrections.corrections import apply_cdl, correct, expose
from escala.core.corrections.tone import apply_curves, roll_off, set_contrast, set_range, tint
from escala.core.errors import choose
from escala.core.gaussian import reach_of_gaussian
from escala.core.planes import Planes
from escala.core.surface.recolour import recolour
from escala.media.configs import read_lut
from escala.model.corrections import (
    BlurCorrection,
    CdlCorrection,
    ConfigCorrection,
    ContrastCorrection,
    Correction,
    CurvesCorrection,
    ExposureCorrection,
    HueSaturationCorrection,
    LutCorrection,
    RangeCorrection,
    RollOffCorrection,
    SharpenCorrection,
    TintCorrection,
    WhiteBalanceCorrection,
)

from ..chain import Picture
from ..evaluation import Evaluation
from ..mattes.mattes import Mattes


def _expose(planes: Planes, correction: ExposureCorrection, asked: Evaluation) -> Planes:
    return expose(planes, correction.stops)


def _cdl(planes: Planes, correction: CdlCorrection, asked: Evaluation) -> Planes:
    c = correction
    return apply_cdl(planes, c.slope, c.offset, c.power, c.saturation, c.clamp)


def _lut(planes: Planes, correction: LutCorrection, asked: Evaluation) -> Planes:
    return apply_lut(planes, read_lut(Path(correction.path)))


def _config(planes: Planes, correction: ConfigCorrection, asked: Evaluation) -> Planes:
    return asked.colouring.config.transform(planes, correction.name, asked.colouring.working.name, correction.inverse)


def _white_balance(planes: Planes, correction: WhiteBalanceCorrection, asked: Evaluation) -> Planes:
    gain = white_gain(asked.colouring.working, correction.kelvin, correction.duv)
    return planes * gain.astype(np.float32)[:, None, None]


def _hue_saturation(planes: Planes, correction: HueSaturationCorrection, asked: Evaluation) -> Planes:
    return recolour(planes, correction.hue, correction.saturation, correction.value)


def _range(planes: Planes, correction: RangeCorrection, asked: Evaluation) -> Planes:
    c = correction
    return set_range(planes, c.black, c.white, c.out_black, c.out_white, c.gamma)


def _contrast(planes: Planes, correction: ContrastCorrection, asked: Evaluation) -> Planes:
    return set_contrast(planes, correction.amount, correction.pivot)


def _curves(planes: Planes, correction: CurvesCorrection, asked: Evaluation) -> Planes:
    return apply_curves(planes, correction.master, correction.red, correction.green, correction.blue)


def _tint(planes: Planes, correction: TintCorrection, asked: Evaluation) -> Planes:
    return tint(planes, correction.colour, correction.amount, asked.colouring.working.luminance_weights)


def _roll_off(planes: Planes, correction: RollOffCorrection, asked: Evaluation) -> Planes:
    return roll_off(planes, correction.start, correction.limit)


def _blur(planes: Planes, correction: BlurCorrection, asked: Evaluation) -> Planes:
    scale = asked.look.scale
    return blur(planes, [radius * scale for radius in correction.radius_px], correction.turn)


def _sharpen(planes: Planes, correction: SharpenCorrection, asked: Evaluation) -> Planes:
    return sharpen(planes, correction.radius_px * asked.look.scale, correction.amount)


# Kind: the function, and whether it is linear (then associated alpha needs no care).
CORRECTIONS: dict[str, tuple[Callable[[Planes, Any, Evaluation], Planes], bool]] = {
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
    "blur": (_blur, True),
    "sharpen": (_sharpen, True),
}


def apply_correction(picture: Picture, correction: Correction, asked: Evaluation, mattes: Mattes) -> Picture:
    """A correction on a picture, limited by its opacity and matte; on unassociated colour unless it is linear."""
    function, linear = choose("correction", correction.kind, CORRECTIONS)
    if not correction.is_seen:
        return picture
    alpha = None if linear else picture.alpha
    matte = None if correction.matte is None else mattes.at(correction.matte, asked)
    changed = correct(picture.colour, lambda p: function(p, correction, asked), correction.opacity, alpha, matte)
    return picture.with_colour(changed)


def reach_of(correction: Correction) -> float:
    """How far a correction looks around each pixel, in pixels of the full-resolution render."""
    if isinstance(correction, BlurCorrection) and correction.is_seen:
        return reach_of_gaussian(max(correction.radius_px))
    if isinstance(correction, SharpenCorrection) and correction.is_seen and correction.amount:
        return reach_of_gaussian(correction.radius_px)
    return 0.0


def files_of(corrections: Sequence[Correction]) -> tuple[Any, ...]:
    """The contents of the files that corrections name."""
    return tuple(read_lut(Path(c.path)) for c in corrections if c.kind == "lut" and c.is_seen)
