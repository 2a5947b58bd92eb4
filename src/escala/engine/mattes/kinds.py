"""The registry of mattes: one row for each kind, from its part of the model to its function in the core."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from escala.core.errors import choose
from escala.core.mattes.drawn import Outline, ellipse_outline, outline_matte, smooth_outline
from escala.core.mattes.from_data import (
    box_matte,
    channel_matte,
    depth_matte,
    hue_matte,
    id_matte,
    luminance_matte,
    normal_matte,
    sphere_matte,
)
from escala.core.planes import Matte, Planes
from escala.core.roles import EXACT_ROLES, Role
from escala.media.store import StoredFrame
from escala.model.mattes import (
    ChannelMatte,
    DepthMatte,
    EllipseMatte,
    HueMatte,
    IdMatte,
    LuminanceMatte,
    NormalMatte,
    ObjectMatte,
    PositionMatte,
    ShapeMatte,
)
from escala.model.render import Render

from ..beauty.terms import Terms
from ..request import EvaluationRequest
from ..viewer.viewport import sample_ids, sample_pass
from .manifests import crypto_layers
from .objects import absent_objects, coverage_at, ids_by_layer

Absent = list[tuple[str, str]]


@dataclass(frozen=True)
class MatteContext:
    """What a matte is made of, at one look: passes as stored, light in the working space, and places."""

    terms: Terms
    request: EvaluationRequest

    @property
    def frame(self) -> StoredFrame:
        """The frame."""
        return self.terms.frame

    def data(self, name: str) -> Planes:
        """A pass as stored; one whose pixels must not be mixed by its nearest ones."""
        found = self.terms.render.find_pass(name)
        exact = found is not None and found.role in EXACT_ROLES
        return sample_pass(self.frame, name, self.request.viewport, exact)

    def of_role(self, role: Role) -> Planes:
        """The pass of a role."""
        return self.data(str(pass_of_role(self.terms.render, role)))

    def light(self, name: str | None) -> Planes:
        """A pass as working-space light, else the plain beauty."""
        return self.terms.plain(self.request) if name is None else self.terms.light_of(name, self.request)

    def outlined(self, outline: Outline, feather_px: float) -> Matte:
        """What a drawn outline in the displayed picture covers."""
        viewport, (across, down) = self.request.viewport, self.terms.render.offset
        step, height, width = viewport.width / viewport.out_width, viewport.out_height, viewport.out_width
        return outline_matte(outline, viewport.x - across, viewport.y - down, width, height, step, feather_px)


def pass_of_role(render: Render, role: Role) -> str | None:
    """The first pass of a role; None where there is none."""
    return next((p.name for p in render.passes if p.role == role), None)


def _object(matte: ObjectMatte, context: MatteContext) -> Matte:
    def find() -> object:
        return ids_by_layer(context.frame, matte.names, matte.layer)

    key = context.terms.keys.for_pixels("object ids", matte.names, matte.layer)
    return coverage_at(context.frame, context.terms.cache.get(key, find), context.request.viewport)  # type: ignore[arg-type]


def _id(matte: IdMatte, context: MatteContext) -> Matte:
    return id_matte(sample_ids(context.frame, matte.pass_, context.request.viewport), matte.values, matte.tolerance)


def _channel(matte: ChannelMatte, context: MatteContext) -> Matte:
    return channel_matte(context.data(matte.pass_)[matte.channel], matte.low, matte.high)


def _depth(matte: DepthMatte, context: MatteContext) -> Matte:
    return depth_matte(context.of_role(Role.DEPTH)[0], matte.near, matte.far, matte.soft)


def _position(matte: PositionMatte, context: MatteContext) -> Matte:
    places = context.of_role(Role.POSITION)[:3]
    if isinstance(matte.size, tuple):
        return box_matte(places, matte.centre, matte.size, matte.soft)
    return sphere_matte(places, matte.centre, matte.size, matte.soft)


def _normal(matte: NormalMatte, context: MatteContext) -> Matte:
    return normal_matte(context.of_role(Role.NORMAL)[:3], matte.direction, matte.angle, matte.soft)


def _luminance(matte: LuminanceMatte, context: MatteContext) -> Matte:
    weights = context.request.colour_pipeline.working.luminance_weights
    return luminance_matte(context.light(matte.of), weights, matte.low, matte.high, matte.soft)


def _hue(matte: HueMatte, context: MatteContext) -> Matte:
    return hue_matte(context.light(matte.of), matte.centre, matte.width, matte.soft, matte.least_saturation)


def _shape(matte: ShapeMatte, context: MatteContext) -> Matte:
    points = np.array(matte.points, np.float64)
    return context.outlined(smooth_outline(points) if matte.smooth else points, matte.feather_px)


def _ellipse(matte: EllipseMatte, context: MatteContext) -> Matte:
    return context.outlined(ellipse_outline(matte.centre, matte.radii, matte.turn), matte.feather_px)


def _no_objects(matte: ObjectMatte, render: Render, frame: StoredFrame) -> Absent:
    if matte.layer is not None and matte.layer not in {layer.name for layer in crypto_layers(frame)}:
        return [("/layer", matte.layer)]
    return [("/names", name) for name in absent_objects(frame, matte.names, matte.layer)]


def _no_pass(matte: IdMatte, render: Render, frame: StoredFrame) -> Absent:
    return [] if matte.pass_ in frame.passes else [("/pass", matte.pass_)]


def _no_channel(matte: ChannelMatte, render: Render, frame: StoredFrame) -> Absent:
    if matte.pass_ not in frame.passes:
        return [("/pass", matte.pass_)]
    there = len(frame.passes[matte.pass_].channels)
    return [] if matte.channel < there else [("/channel", f"{matte.pass_}, channel {matte.channel}")]


def _no_role(role: Role) -> Callable[[Any, Render, StoredFrame], Absent]:
    return lambda matte, render, frame: [] if pass_of_role(render, role) else [("", f"{role.value} pass")]


def _no_light(matte: LuminanceMatte | HueMatte, render: Render, frame: StoredFrame) -> Absent:
    known = matte.of is None or (matte.of in frame.passes and len(frame.passes[matte.of].channels) != 2)
    return [] if known else [("/of", str(matte.of))]


def _nothing(matte: Any, render: Render, frame: StoredFrame) -> Absent:
    return []


@dataclass(frozen=True)
class MatteKind:
    """How a matte is had, each pixel by itself, and what of it a render does not have: by field, and its name."""

    value: Callable[[Any, MatteContext], Matte]
    absent: Callable[[Any, Render, StoredFrame], Absent] = _nothing


KINDS: dict[str, MatteKind] = {
    "object": MatteKind(_object, _no_objects),
    "id": MatteKind(_id, _no_pass),
    "channel": MatteKind(_channel, _no_channel),
    "depth": MatteKind(_depth, _no_role(Role.DEPTH)),
    "position": MatteKind(_position, _no_role(Role.POSITION)),
    "normal": MatteKind(_normal, _no_role(Role.NORMAL)),
    "luminance": MatteKind(_luminance, _no_light),
    "hue": MatteKind(_hue, _no_light),
    "shape": MatteKind(_shape),
    "ellipse": MatteKind(_ellipse),
}


def absent_of(matte: Any, render: Render, frame: StoredFrame) -> Absent:
    """What of a matte a render does not have: the end of a pointer, and the name. None for a joined one."""
    return KINDS[matte.kind].absent(matte, render, frame) if matte.kind in KINDS else []


def is_there(matte: Any, render: Render, frame: StoredFrame) -> bool:
    """Whether a matte has anything to be made of; absent names among objects leave the others."""
    return matte.kind == "object" or not absent_of(matte, render, frame)


def value_of(matte: Any, context: MatteContext) -> Matte:
    """A matte before it is grown, softened, or combined; 0 where its pass is absent."""
    if not is_there(matte, context.terms.render, context.frame):
        viewport = context.request.viewport
        return np.zeros((viewport.out_height, viewport.out_width), np.float32)
    return choose("matte", matte.kind, KINDS).value(matte, context)
