"""The registry of corrections: one row for each kind, from its part of the model to its function in the core."""

from collections.abc import Callable
from typing import Any

from escala.core.colour import apply_lut_file
from escala.core.corrections import apply_cdl, correct, expose
from escala.core.errors import choose
from escala.core.planes import Planes
from escala.model.variant import CdlCorrection, Correction, ExposureCorrection, LutCorrection


def _expose(planes: Planes, correction: ExposureCorrection) -> Planes:
    return expose(planes, correction.stops)


def _cdl(planes: Planes, correction: CdlCorrection) -> Planes:
    c = correction
    return apply_cdl(planes, c.slope, c.offset, c.power, c.saturation, c.clamp)


def _lut(planes: Planes, correction: LutCorrection) -> Planes:
    return apply_lut_file(planes, correction.path)


# Kind: the function, and whether it is linear (then associated alpha needs no care).
CORRECTIONS: dict[str, tuple[Callable[[Planes, Any], Planes], bool]] = {
    "exposure": (_expose, True),
    "cdl": (_cdl, False),
    "lut": (_lut, False),
}


def apply_correction(planes: Planes, correction: Correction, alpha: Planes | None) -> Planes:
    """A correction on planes, limited by its opacity; `alpha` (H, W) where colour is associated with it."""
    function, linear = choose("correction", correction.kind, CORRECTIONS)
    if not correction.on or correction.opacity == 0:
        return planes
    return correct(planes, lambda p: function(p, correction), correction.opacity, None if linear else alpha)
