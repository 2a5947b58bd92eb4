"""Added lights: made from passes of the frame, at their levels."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import numpy as np

from escala.core.balance.added import (
    Geometry,
    PointGeometry,
    RimGeometry,
    SideGeometry,
    Viewpoint,
    contribution,
    light_on_surfaces,
)
from escala.core.beauty.recipes import Term, one_pass, three_channels
from escala.core.errors import BadSource
from escala.core.planes import Planes
from escala.core.roles import Role
from escala.model.balance import AnyAddedLight, PointLight, SideLight
from escala.model.entries import pointer_step
from escala.model.render import Render
from escala.model.variant import Variant

from ..beauty.terms import Terms
from ..mattes.kinds import pass_of_role
from ..mattes.mattes import Mattes
from ..request import EvaluationRequest
from ..viewer.viewport import bands_of, filtered, sample_pass
from .plan import added_gains, render_lights

# Towards the camera, where nothing else is known.
_TO_CAMERA = (0.0, 0.0, 1.0)


def check_added(render: Render, variant: Variant) -> None:
    """Raises `BadSource` for an added light with the name of a light that the render has."""
    taken = {light.name for light in variant.balance.added} & set(render_lights(render))
    if taken:
        raise BadSource(f"{render.name} has a light {min(taken)!r}: an added light needs a name of its own")


def waiting_added(render: Render, variant: Variant, there: Collection[str]) -> Iterator[tuple[str, str]]:
    """The passes that added lights need and that are not there: the pointer to the light or its field, and the name."""
    for light in variant.balance.added:
        place = f"balance/added/{pointer_step(light.id)}"
        for name, known in _needed(render, light).items():
            if known is None or known not in there:
                yield place, name
        if light.shadow_pass is not None and light.shadow_pass not in there:
            yield f"{place}/shadow_pass", light.shadow_pass


def _needed(render: Render, light: AnyAddedLight) -> dict[str, str | None]:
    found = {"albedo pass": render.albedo_pass, "normal pass": pass_of_role(render, Role.NORMAL)}
    if isinstance(light, PointLight):
        found["position pass"] = pass_of_role(render, Role.POSITION)
    return found


@dataclass(frozen=True)
class AddedLights:
    """The added lights of a frame. One whose passes are not there is nothing; a missing shadow pass shades nothing."""

    terms: Terms
    mattes: Mattes

    def is_seen(self, variant: Variant) -> bool:
        """Whether any added light brings anything."""
        return any(self._is_ready(light) for light in variant.balance.added if light.on)

    def on(self, planes: Planes, request: EvaluationRequest) -> Planes:
        """The picture with all added lights."""
        for light in request.variant.balance.added:
            planes = self._with(planes, light, request)
        return planes

    def levelled(self, light: AnyAddedLight, request: EvaluationRequest) -> Planes:
        """What a light brings at its level, (3, H, W)."""
        nothing = np.zeros((3, request.viewport.out_height, request.viewport.out_width), np.float32)
        return self._with(nothing, light, request)

    def _with(self, planes: Planes, light: AnyAddedLight, request: EvaluationRequest) -> Planes:
        found = added_gains(request.variant, request.colour_pipeline.working).get(light.name)
        if found is None or not self._is_ready(light):
            return planes
        gain, matte = found
        one, level = np.float32(1.0), gain[:, None, None]
        level = level if matte is None else one + self.mattes.at(matte, request) * (level - one)
        colour = np.array(light.colour, np.float32)[:, None, None]
        return np.asarray(planes + colour * level * self._white(light, request), np.float32)

    def _is_ready(self, light: AnyAddedLight) -> bool:
        there = self.terms.frame.passes
        return all(name is not None and name in there for name in _needed(self.terms.render, light).values())

    def _white(self, light: AnyAddedLight, request: EvaluationRequest) -> Planes:
        """What the light brings when it is white, shadow and all, without a level.

        It is worked out pixel by pixel, then filtered; in a preview from passes that are filtered already.
        """
        facts = light.model_copy(update={"id": "", "name": "", "colour": (1.0, 1.0, 1.0)})
        key = self.terms.keys.for_interpretation(
            "added light", facts, request.viewport, request.is_preview, colour_pipeline=request.colour_pipeline
        )

        def make() -> Planes:
            if request.is_preview or request.viewport.is_full:
                return self._worked_out(light, request)
            bands = [self._worked_out(light, request.at(band)) for band in bands_of(request.viewport)]
            return filtered(np.concatenate(bands, axis=1), request.viewport)

        return self.terms.kept(key, make, request)

    def _worked_out(self, light: AnyAddedLight, request: EvaluationRequest) -> Planes:
        render = self.terms.render
        albedo, normal = render.albedo_pass, pass_of_role(render, Role.NORMAL)
        position = pass_of_role(render, Role.POSITION)
        assert albedo is not None and normal is not None
        normals = self.terms.data(normal, request)[:3]
        places = None
        if position is not None and position in self.terms.frame.passes:
            places = self.terms.data(position, request)[:3]
        falls, lobe = light_on_surfaces(_geometry(light), normals, places, self.seen_from, light.roughness)
        white = contribution(self.terms.term(Term("albedo", one_pass(albedo)), request), falls, lobe, light.specular)
        if light.shadow_pass is None or light.shadow_pass not in self.terms.frame.passes:
            return white
        return white * three_channels(sample_pass(self.terms.frame, light.shadow_pass, request.viewport))

    @property
    def seen_from(self) -> Viewpoint:
        """The camera, by the frame's `worldToCamera` (OpenEXR: row vectors, the camera looks along its own +z)."""
        for name, text in self.terms.frame.header.attributes.items():
            if name.rpartition("/")[2].lower() != "worldtocamera":
                continue
            try:
                to_world = np.linalg.inv(np.array(text.split(), np.float64).reshape(4, 4))
            except (ValueError, np.linalg.LinAlgError):
                continue
            return Viewpoint(tuple(to_world[3, :3].tolist()), tuple((-to_world[2, :3]).tolist()))
        return Viewpoint((0.0, 0.0, 0.0), _TO_CAMERA)


def _geometry(light: AnyAddedLight) -> Geometry:
    if isinstance(light, SideLight):
        return SideGeometry(light.direction)
    return PointGeometry(light.position, light.radius) if isinstance(light, PointLight) else RimGeometry(light.edge)
