"""What the bench of Depth shows: how the pass is read, how often each distance occurs, and what is at a place."""

from dataclasses import dataclass

import numpy as np

from escala.core.depth.defocus import blur_radius
from escala.core.depth.distance import NOTHING
from escala.core.planes import Planes
from escala.model.numbers import Triple
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..request import Quality
from ..viewer.viewport import full_viewport, whole_viewport
from .reading import DetectedDepth, detected_depth, field_of_view, waiting_passes

_BINS = 96
_COUNTED_ON = 640


@dataclass(frozen=True)
class Survey:
    """The depth of a frame. `found`: what intake took the pass for; `kind`: how it is read; None without a pass.

    `edges`: distances between which `counts` tell the share of pixels, evenly spaced in their logarithms; `nothing`:
    the share of pixels where nothing is; `has_sky`: whether light is seen there; `air`: the
    mean light of the farthest quarter of the picture. `takes_ray_as_axial`: the header is
    silent on the field of view. `moves`: whether a pass of vectors is there. `waiting`: passes that are needed and
    not there.
    """

    found: DetectedDepth | None
    kind: str | None
    edges: tuple[float, ...]
    counts: tuple[float, ...]
    nothing: float
    has_sky: bool
    air: Triple
    takes_ray_as_axial: bool
    moves: bool
    waiting: tuple[str, ...]


@dataclass(frozen=True)
class DepthPlace:
    """What is at a place: its distance, None for nothing, and the radius of its disc in pixels; below 0: nearer."""

    distance: float | None
    radius_px: float | None


def survey_depth(evaluator: Evaluator, variant: Variant) -> Survey:
    """The depth of a frame as a variant reads it."""
    request = evaluator.make_request(variant, whole_viewport(evaluator.render, _COUNTED_ON))
    waits = waiting_passes(evaluator.render, _with_all(variant), evaluator.frame.passes)
    distance, kind = evaluator.depth.distance(request, evaluator.alpha(request)), evaluator.depth.kind(request.variant)
    found = detected_depth(evaluator.terms, variant.depth.reading.pass_)
    edges, counts, nothing = _counted(distance)
    sky, air = _far_light(distance, evaluator.terms.plain(request))
    is_known = kind != "ray" or field_of_view(evaluator.render) is not None
    moves = not any(place.startswith("depth/motion") for place, _ in waits)
    return Survey(found, kind, edges, counts, nothing, sky, air, not is_known, moves, tuple(name for _, name in waits))


def _with_all(variant: Variant) -> Variant:
    """With every effect on, so that everything they would need is listed."""
    depth = variant.depth
    on = {name: getattr(depth, name).model_copy(update={"on": True}) for name in ("haze", "defocus", "motion")}
    return variant.model_copy(update={"depth": depth.model_copy(update=on)})


def _counted(distance: Planes | None) -> tuple[tuple[float, ...], tuple[float, ...], float]:
    there = np.array([]) if distance is None else distance[np.isfinite(distance)]
    if distance is None or not there.size:
        return (), (), 1.0
    low, high = float(there.min()), float(there.max())
    edges = np.geomspace(low, max(high, low * 1.001), _BINS + 1)
    counts = np.histogram(there, edges)[0] / distance.size
    return tuple(edges.tolist()), tuple(counts.tolist()), 1.0 - there.size / distance.size


def _far_light(distance: Planes | None, light: Planes) -> tuple[bool, Triple]:
    if distance is None:
        return False, (0.18, 0.18, 0.18)
    far = distance >= np.quantile(np.where(np.isfinite(distance), distance, np.float32(NOTHING)), 0.75)
    red, green, blue = np.nan_to_num(light[:, far]).clip(0.0, 1e4).mean(axis=1).tolist()
    return bool((light[:, ~np.isfinite(distance)] > 0).any()), (red, green, blue)


def depth_at(evaluator: Evaluator, variant: Variant, x: int, y: int) -> DepthPlace:
    """What is at column x and row y of the displayed picture; places outside are moved to its edge."""
    render = evaluator.render
    x, y = min(max(x, 0), render.width - 1), min(max(y, 0), render.height - 1)
    across, down = render.offset
    raster = render.raster
    column, row = min(max(x + across, 0), raster.width - 1), min(max(y + down, 0), raster.height - 1)
    request = evaluator.make_request(variant, full_viewport(column, row, 1, 1), Quality.EXPORT)
    distance = evaluator.depth.axial_distance(request, evaluator.alpha(request))
    if distance is None:
        return DepthPlace(None, None)
    lens = variant.depth.defocus
    radius = float(blur_radius(distance, lens.focus, lens.aperture, lens.limit_px)[0, 0])
    there = float(distance[0, 0])
    return DepthPlace(there if np.isfinite(there) else None, radius)
