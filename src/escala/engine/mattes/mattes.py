"""Mattes of a variant at any viewport: exact at full size, then filtered down; in a preview, made at the look."""

from dataclasses import dataclass, replace

import numpy as np

from escala.core.errors import TooLarge, UnknownChoice, choose
from escala.core.mattes.shaping import grow, join_mattes, level_matte, reach_of, soften
from escala.core.planes import Matte
from escala.core.progress import ProgressCallback
from escala.media.store import StoredFrame
from escala.model.mattes import JoinMatte, MatteBase, ObjectMatte, members_of, with_members
from escala.model.render import Render
from escala.model.variant import Variant

from ..beauty.terms import Terms
from ..keys import Key
from ..request import EvaluationRequest, Quality
from ..viewer.viewport import Viewport, bands_of, filtered, full_viewport, resize_planes
from .kinds import MatteContext, absent_of, value_of
from .manifests import crypto_layers
from .objects import absent_objects

# Pixels of mattes that are made for one image at most: some tens of seconds.
_MAX_MADE_PIXELS = 4e9


@dataclass(frozen=True)
class Mattes:
    """The mattes of one frame as it is read."""

    terms: Terms

    def at(self, name: str, request: EvaluationRequest) -> Matte:
        """A matte of the variant at a viewport, (H, W). Raises `UnknownChoice` for an unknown one."""
        choose("matte", name, request.variant.mattes)
        key = self._key("matte", name, request, request.viewport, request.is_preview)
        make = self._moving if request.is_preview else self._resting
        return self.terms.kept(key, lambda: make(name, request), request)

    def product(self, names: tuple[str, ...], request: EvaluationRequest) -> Matte:
        """Several mattes, each limiting what the others leave; (H, W)."""
        return join_mattes([self.at(name, request) for name in names], "product")

    def of_objects(self, names: tuple[str, ...], request: EvaluationRequest, layer: str | None = None) -> Matte:
        """The coverage of named objects at a viewport, (H, W). Raises `UnknownChoice` for one that no layer knows."""
        absent = absent_objects(self.terms.frame, names, layer)
        if absent:
            known = {name for layer in crypto_layers(self.terms.frame) for name in layer.manifest}
            raise UnknownChoice("object", absent[0], known)
        made = Variant(colour=request.variant.colour, mattes={"objects": ObjectMatte(names=names, layer=layer)})
        return self.at("objects", request.of(made))

    def check_cost(self, variant: Variant) -> None:
        """Raises `TooLarge` before mattes are made that nobody would wait for.

        Members of joins are made once where all of them can be cached, else once for each join.
        """
        raster, mattes = self.terms.render.raster, variant.mattes
        used = with_members(mattes, (name for _, name in variant.matte_uses()))
        pixels, leaves = raster.width * raster.height, [name for name in used if not members_of(mattes[name])]
        if 8 * len(leaves) * pixels <= self.terms.cache.budget:  # 4 bytes each, in half of it
            return
        made = len(leaves) + sum(len(members_of(mattes[name])) for name in used)
        if made * pixels > _MAX_MADE_PIXELS:
            raise TooLarge(
                "the mattes of this variant",
                f"their joins take {made} mattes of {pixels / 1e6:.1f} million pixels; join fewer, or join joins",
            )

    def whole(self, name: str, request: EvaluationRequest) -> Matte:
        """A matte of the whole raster, pixel by pixel, worked out once for a frame."""
        return self.terms.cache.get(self._key("whole matte", name, request), lambda: self._made_whole(name, request))

    def _made_whole(self, name: str, request: EvaluationRequest) -> Matte:
        matte = request.variant.mattes[name]
        if isinstance(matte, JoinMatte):
            value = join_mattes((self.whole(member, request) for member in matte.of), matte.how)
        else:
            value = self._whole_value(name, request)
        return _shaped(matte, value, 1.0, request.reporting(f"matte {name}"))

    def _whole_value(self, name: str, request: EvaluationRequest) -> Matte:
        """What a matte that is not joined is before it is shaped; band by band, so that memory stays small."""
        matte, raster = request.variant.mattes[name], self.terms.render.raster
        value = np.empty((raster.height, raster.width), np.float32)
        there = replace(request, quality=Quality.EXPORT)
        for band in bands_of(
            full_viewport(0, 0, raster.width, raster.height), report_progress=request.reporting(f"matte {name}")
        ):
            value[band.y : band.y + band.height] = value_of(matte, MatteContext(self.terms, there.at(band)))
        return value

    def _resting(self, name: str, request: EvaluationRequest) -> Matte:
        return _part_of(self.whole(name, request), request.viewport)

    def _moving(self, name: str, request: EvaluationRequest) -> Matte:
        """From filtered passes, lengths in proportion: what looks around itself is made a little larger, then cut."""
        viewport, raster, matte = request.viewport, self.terms.render.raster, request.variant.mattes[name]
        place = viewport.on_level().grown(reach_of(matte.grow_px, matte.soften_px), raster.width, raster.height)
        there = request.at(place)
        if isinstance(matte, JoinMatte):
            value = join_mattes([self.at(member, there) for member in matte.of], matte.how)
        elif isinstance(matte, ObjectMatte):
            value = _part_of(self._covered(name, request), place)
        else:
            value = value_of(matte, MatteContext(self.terms, there))
        shaped = _shaped(matte, value, 1.0 / (1 << viewport.level), request.reporting(f"matte {name}"))
        step = 1 << viewport.level
        left, top, level = (viewport.x - place.x) // step, (viewport.y - place.y) // step, viewport.on_level()
        cut = shaped[top : top + level.out_height, left : left + level.out_width]
        return np.asarray(resize_planes(cut[None], viewport.out_width, viewport.out_height)[0])

    def _covered(self, name: str, request: EvaluationRequest) -> Matte:
        """Coverage of objects at full size, which is never filtered before it is summed."""
        bare = request.variant.mattes[name].model_copy(
            update={"grow_px": 0.0, "soften_px": 0.0, "gain": 1.0, "invert": False}
        )
        key = self.terms.keys.for_pixels("covered", bare)
        return self.terms.cache.get(key, lambda: self._whole_value(name, request))

    def _key(self, kind: str, name: str, request: EvaluationRequest, *facts: object) -> Key:
        """What makes a matte: all that it is joined from, how the render is read, and the colour pipeline."""
        made_of = tuple(request.variant.joined_from(name).items())
        return self.terms.keys.for_interpretation(kind, name, made_of, request.colour_pipeline.key, *facts)


def _part_of(whole: Matte, viewport: Viewport) -> Matte:
    part = whole[None, viewport.y : viewport.y + viewport.height, viewport.x : viewport.x + viewport.width]
    return np.asarray(filtered(part, viewport)[0], np.float32)


def _shaped(matte: MatteBase, value: Matte, scale: float, report_progress: ProgressCallback) -> Matte:
    """Grown, softened, times its gain, inverted; `scale`: pixels there for each of the full-resolution render."""
    shaped = soften(grow(value, matte.grow_px * scale, report_progress), matte.soften_px * scale, report_progress)
    return level_matte(shaped, matte.gain, matte.invert)


def absent_in(render: Render, frame: StoredFrame, variant: Variant) -> list[tuple[str, str, str]]:
    """What mattes of a variant wait for on a render: the matte, the end of the pointer in it, and the name."""
    return [
        (name, field, absent)
        for name, matte in variant.mattes.items()
        for field, absent in absent_of(matte, render, frame)
    ]
