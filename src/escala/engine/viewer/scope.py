"""Scopes of what is looked at: the whole picture, a region, or one object of it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from escala.core.balance.temperature import bradford_matrix, xy_to_xyz
from escala.core.errors import choose
from escala.core.planes import Planes, as_planes
from escala.core.viewer.chromaticity import chromaticities, draw_chromaticity
from escala.core.viewer.scopes import COLUMN_SCOPES, count_columns, draw_columns, draw_histogram, draw_overlay
from escala.media.stills import encode_png

from ..colour.pipeline import ColourPipeline
from ..request import Quality
from .screen import moving_bytes
from .subject import Subject, render_subject
from .viewport import Viewport

# The triangles of the chromaticity scope, all of one white.
TRIANGLES = ("Rec.709", "P3-D65", "Rec.2020")
_D65 = (0.3127, 0.3290)
_HISTOGRAMS = {"histogram": draw_histogram, "overlay": draw_overlay}


@dataclass(frozen=True)
class ScopeWish:
    """A scope by its kind, its scale (stops or display), its size in pixels, and the object that it is limited to."""

    kind: str
    scale: str
    columns: int
    rows: int
    object_name: str | None = None


def draw_scope(subject: Subject, viewport: Viewport, wish: ScopeWish, quality: Quality) -> bytes:
    """A scope of the subject at a viewport, as PNG. Raises `UnknownChoice` for what is not there."""
    seen = render_subject(subject, viewport, quality)
    colour_pipeline = subject.evaluator.colour_pipeline(subject.variant)
    within = None
    if wish.object_name:
        request = subject.evaluator.make_request(subject.variant, viewport)
        within = subject.evaluator.mattes.of_objects((wish.object_name,), request)
    if wish.kind == "chromaticity":
        points = chromaticities(seen.planes, _to_d65(colour_pipeline), within)
        return encode_png(draw_chromaticity(points, min(wish.columns, wish.rows), list(TRIANGLES)))
    planes = (
        seen.planes if wish.scale == "stops" or not seen.scene else _displayed(seen.planes, colour_pipeline, quality)
    )
    if wish.kind in _HISTOGRAMS:
        draw = _HISTOGRAMS[wish.kind]
        return encode_png(draw(count_columns(planes, 1, wish.columns, wish.scale, within), wish.rows))
    groups = choose("scope", wish.kind, COLUMN_SCOPES)
    counts = count_columns(planes, wish.columns // len(groups), wish.rows, wish.scale, within)
    return encode_png(draw_columns(counts, wish.kind))


def _displayed(planes: Planes, colour_pipeline: ColourPipeline, quality: Quality) -> Planes:
    """Display values: by the table in a preview, else by the exact processor."""
    if quality is Quality.PREVIEW:
        return as_planes(moving_bytes(planes, colour_pipeline).transpose(2, 0, 1) / np.float32(255))
    return as_planes(colour_pipeline.config.display(planes, colour_pipeline.working.name, colour_pipeline.view))


def _to_d65(colour_pipeline: ColourPipeline) -> NDArray[np.float64]:
    """Working space to CIE XYZ, its white brought to D65."""
    to_xyz = np.array(colour_pipeline.working.to_xyz)
    return np.asarray(bradford_matrix(to_xyz.sum(axis=1), xy_to_xyz(*_D65)) @ to_xyz)
