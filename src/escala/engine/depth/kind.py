"""What the depth pass of a frame measures, detected from some of its pixels."""

from typing import Literal, cast

import numpy as np

from escala.core.depth.guess import detect_depth_type
from escala.core.planes import Planes, as_planes
from escala.media.store import StoredFrame

Kind = Literal["planar", "ray", "inverse", "unit"]

_GUESSED_FROM = 320
WORDS = {
    "planar": "planar (along camera axis)",
    "ray": "radial (from camera)",
    "inverse": "inverse (1/z)",
    "unit": "normalised 0–1 (near to far)",
}


def kind_of_depth(frame: StoredFrame, name: str, position: str | None) -> tuple[Kind, str]:
    """The kind of a depth pass, and why; `position`: the pass of places in the scene, where there is one."""
    places = None if position is None else _some_pixels(frame, position)[:3]
    kind, reason = detect_depth_type(name, _some_pixels(frame, name)[0], places)
    return cast(Kind, kind), reason


def _some_pixels(frame: StoredFrame, name: str) -> Planes:
    """Every so many-th pixel of a pass as stored, mixed with no other."""
    stored = frame.planes(name)
    step = max(1, max(stored.shape[1:]) // _GUESSED_FROM)
    some = stored[:, ::step, ::step]
    return some.astype(np.float32) if some.dtype == np.uint32 else as_planes(some)
