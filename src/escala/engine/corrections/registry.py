"""The registry of corrections: one row for each kind, from its part of the model to its function in the core."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from escala.core.colour.config import apply_lut
from escala.core.corrections.corrections import apply_cdl, correct, expose
from escala.core.errors import choose
from escala.core.planes import Planes
from escala.media.configs import read_lut
from escala.model.corrections import CdlCorrection, ConfigCorrection, Correction, ExposureCorrection, LutCorrection

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


# Kind: the function, and whether it is linear (then associated alpha needs no care).
CORRECTIONS: dict[str, tuple[Callable[[Planes, Any, Colouring], Planes], bool]] = {
    "exposure": (_expose, True),
    "cdl": (_cdl, False),
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
