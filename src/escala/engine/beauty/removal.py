"""Things taken out of the picture: what mattes cover goes from all passes, and from the alpha."""

import numpy as np

from escala.core.planes import Matte

from ..mattes.mattes import Mattes
from ..request import EvaluationRequest


def left_by_removals(request: EvaluationRequest, mattes: Mattes) -> Matte | None:
    """What is left of each pixel, (H, W), 0..1; None where nothing is removed."""
    removals = request.variant.beauty.removals
    if not removals:
        return None
    left = np.ones((request.viewport.out_height, request.viewport.out_width), np.float32)
    for removal in removals:
        covered = mattes.at(removal.matte, request) if removal.matte is not None else np.float32(1.0)
        left *= np.float32(1.0) - np.float32(removal.opacity) * covered
    return left
