"""The registry of corrections: one row for each kind, from its part of the model to its function in the core."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from escala.core.balance.levels import stops_to_gain, white_gain
from escala.core.colour.config import apply_lut
from escala.core.corrections.blur import blur, sharpen
from escala.core.corrections.program import Laid, lay_picture, run_steps
from escala.core.corrections.steps import (
    Step,
    cdl_step,
    contrast_step,
    curves_step,
    gain_step,
    hue_step,
    range_step,
    roll_off_step,
    tint_step,
)
from escala.core.errors import choose
from escala.core.gaussian import reach_of_gaussian
from escala.core.planes import Matte, Planes
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

from ..mattes.mattes import Mattes
from ..pipeline import Picture
from ..request import EvaluationRequest


def _expose(correction: ExposureCorrection, request: EvaluationRequest) -> Step:
    return gain_step(stops_to_gain(correction.stops))


def _cdl(correction: CdlCorrection, request: EvaluationRequest) -> Step:
    c = correction
    return cdl_step(c.slope, c.offset, c.power, c.saturation, c.clamp)


def _white_balance(correction: WhiteBalanceCorrection, request: EvaluationRequest) -> Step:
    return gain_step(white_gain(request.colour_pipeline.working, correction.kelvin, correction.duv))


def _hue_saturation(correction: HueSaturationCorrection, request: EvaluationRequest) -> Step:
    return hue_step(correction.hue, correction.saturation, correction.value)


def _range(correction: RangeCorrection, request: EvaluationRequest) -> Step:
    c = correction
    return range_step(c.black, c.white, c.out_black, c.out_white, c.gamma)


def _contrast(correction: ContrastCorrection, request: EvaluationRequest) -> Step:
    return contrast_step(correction.amount, correction.pivot)


def _curves(correction: CurvesCorrection, request: EvaluationRequest) -> Step:
    return curves_step(correction.master, correction.red, correction.green, correction.blue)


def _tint(correction: TintCorrection, request: EvaluationRequest) -> Step:
    return tint_step(correction.colour, correction.amount, request.colour_pipeline.working.luminance_weights)


def _roll_off(correction: RollOffCorrection, request: EvaluationRequest) -> Step:
    return roll_off_step(correction.start, correction.limit)


def _lut(planes: Planes, correction: LutCorrection, request: EvaluationRequest) -> Planes:
    return apply_lut(planes, read_lut(Path(correction.path)))


def _config(planes: Planes, correction: ConfigCorrection, request: EvaluationRequest) -> Planes:
    colour_pipeline = request.colour_pipeline
    return colour_pipeline.config.transform(planes, correction.name, colour_pipeline.working.name, correction.inverse)


def _blur(planes: Planes, correction: BlurCorrection, request: EvaluationRequest) -> Planes:
    scale = request.viewport.scale
    return blur(planes, [radius * scale for radius in correction.radius_px], correction.turn, request.reporting("blur"))


def _sharpen(planes: Planes, correction: SharpenCorrection, request: EvaluationRequest) -> Planes:
    return sharpen(
        planes, correction.radius_px * request.viewport.scale, correction.amount, request.reporting("sharpen")
    )


# What changes each pixel by itself, as a step: neighbours in a list are run together.
STEPS: dict[str, Callable[[Any, EvaluationRequest], Step]] = {
    "exposure": _expose,
    "cdl": _cdl,
    "white_balance": _white_balance,
    "hue_saturation": _hue_saturation,
    "range": _range,
    "contrast": _contrast,
    "curves": _curves,
    "tint": _tint,
    "roll_off": _roll_off,
}
# What looks around, or goes through the colour library: the function, and whether it is linear.
PICTURES: dict[str, tuple[Callable[[Planes, Any, EvaluationRequest], Planes], bool]] = {
    "lut": (_lut, False),
    "config": (_config, False),
    "blur": (_blur, True),
    "sharpen": (_sharpen, True),
}


def apply_corrections(
    picture: Picture, corrections: Sequence[Correction], request: EvaluationRequest, mattes: Mattes
) -> Picture:
    """Corrections on a picture in order, each limited by opacity and matte; on unassociated colour unless linear."""
    run: list[Laid] = []
    for correction in corrections:
        if not correction.is_seen:
            continue
        matte = None if correction.matte is None else mattes.at(correction.matte, request)
        if correction.kind in STEPS:
            run.append(Laid(STEPS[correction.kind](correction, request), correction.opacity, matte))
            continue
        picture, run = _lay(_run(picture, run), correction, matte, request), []
    return _run(picture, run)


def _lay(picture: Picture, correction: Correction, matte: Matte | None, request: EvaluationRequest) -> Picture:
    """A correction of the whole picture."""
    function, linear = choose("correction", correction.kind, PICTURES)
    alpha = None if linear else picture.alpha

    def changed(planes: Planes) -> Planes:
        return function(planes, correction, request)

    return picture.with_colour(lay_picture(picture.colour, changed, correction.opacity, alpha, matte))


def _run(picture: Picture, steps: list[Laid]) -> Picture:
    if not steps:
        return picture
    alpha = None if all(laid.step.linear for laid in steps) else picture.alpha
    return picture.with_colour(run_steps(picture.colour, steps, alpha))


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
