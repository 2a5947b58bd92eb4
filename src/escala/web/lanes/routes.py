"""Lanes of a variant: what moves over the frames of its shot."""

from dataclasses import asdict
from typing import Any

from escala.database.shots import find_variant
from escala.engine.balance.plan import render_components, render_lights
from escala.engine.plate.clips import shot_rate
from escala.engine.source.intake import time_of
from escala.model.lanes import as_keys, lanes_of, movable_fields
from escala.model.render import Render
from escala.model.variant import Variant

from ..app_context import app_context
from ..routing import Routes
from ..schemas import Preview, VariantPath
from .schemas import KeysOut, KeysRequest, LanesOut

# Curves are drawn through at most so many points.
_MOST_POINTS = 480
_POINTS_PER_FRAME = 4
# Of all curves together at most so many values are worked out: a document may have thousands of curves.
_MOST_VALUES = 24_000

routes = Routes("lanes", __name__, url_prefix="/api/variants/<int:variant_id>/lanes")


def _variant_of(path: VariantPath, body: Preview) -> tuple[Variant, Render]:
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id, is_deferred=True)
        document, shot_id = context.states.previewed(session, row, body.base, body.patch), row.shot_id
    return document, context.interpretation_of(shot_id, document)


@routes.post("", responses={200: LanesOut})
def post_lanes(path: VariantPath, body: Preview) -> dict[str, Any]:
    """The curves of a variant with their values over the frames of its shot."""
    variant, render = _variant_of(path, body)
    times = sorted(time_of(render, number) for number in render.frames)
    now = time_of(render, render.first_frame if body.frame is None else body.frame)
    first, span = float(times[0]), float(times[-1] - times[0])
    most = min(_MOST_POINTS, max(1, _MOST_VALUES // max(1, len(variant.curves))))
    count = min(most, round(span * _POINTS_PER_FRAME))
    frames = [first + span * index / count for index in range(count + 1)] if count else [first]
    lanes = lanes_of(variant, frames, now, shot_rate(render, variant))
    movable = movable_fields(variant, render_lights(render), render_components(render))
    return {
        "lanes": [asdict(lane) for lane in lanes],
        "frames": frames,
        "movable": [asdict(field) for field in movable],
    }


@routes.post("/keys", responses={200: KeysOut})
def post_keys(path: VariantPath, body: KeysRequest) -> dict[str, Any]:
    """A curve as keys that give the same values at every frame of the shot."""
    variant, render = _variant_of(path, body)
    frames = sorted(time_of(render, number) for number in render.frames)
    curve = as_keys(variant, body.pointer, frames, shot_rate(render, variant))
    return {"curve": curve.model_dump(mode="json", by_alias=True)}
