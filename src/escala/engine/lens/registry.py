"""The effects of Lens, in order; each a row from its part of the document to its function in the core."""

from typing import Any

import numpy as np

from escala.core.lens.glare import glare, reach_of_rays
from escala.core.lens.glow import glow, reach_of_sizes
from escala.core.lens.grain import grain_noise, lay_grain
from escala.core.lens.highlights import add_light, light_over
from escala.core.lens.vignette import vignette
from escala.core.lens.warping import distort, reach_of_distortion, spread_colours
from escala.core.planes import Planes
from escala.model.lens import Aberration, Distortion, Glare, Glow, Grain, LensEffect, Vignette
from escala.model.variant import Variant

from ..effects import Effect, EffectContext
from ..frame_context import FrameContext, first_pixel
from ..pipeline import Picture
from ..viewer.viewport import Viewport, bands_of, filtered
from .dirt import dirt_gain, dirt_image

# Lanczos looks so many pixels around a place.
_LOBES_PX = 4


def _distort(picture: Picture, lens: Distortion, context: EffectContext) -> Picture:
    part = context.frame_context.part_of_frame(context.request.viewport)
    alpha = picture.alpha
    planes = picture.colour if alpha is None else np.concatenate([picture.colour, alpha[None]])
    moved = distort(np.ascontiguousarray(planes), part, lens.k1, lens.k2, lens.centre, lens.fill)
    return Picture(np.ascontiguousarray(moved[:3]), lambda: None if alpha is None else moved[3])


def _distortion_reach(lens: Distortion, context: EffectContext) -> float:
    part = context.frame_context.part_of_frame(context.request.viewport)
    corner = part.farthest_corner(part.middle if lens.centre is None else lens.centre)
    return reach_of_distortion(lens.k1, lens.k2, corner) + _LOBES_PX / context.request.viewport.scale


def _aberration(picture: Picture, lens: Aberration, context: EffectContext) -> Picture:
    part = context.frame_context.part_of_frame(context.request.viewport)
    return picture.with_colour(spread_colours(picture.colour, part, lens.shift_px))


def _aberration_reach(lens: Aberration, context: EffectContext) -> float:
    return abs(lens.shift_px) + _LOBES_PX / context.request.viewport.scale


def _flared(picture: Picture, light: Planes, lens: Glow | Glare, context: EffectContext) -> Picture:
    """A picture with light added, more where the glass is dirty."""
    return picture.with_colour(add_light(picture.colour, light, lens.amount, dirt_gain(context)))


def _glow(picture: Picture, lens: Glow, context: EffectContext) -> Picture:
    request = context.request
    tint = np.array(lens.tint) / float(request.colour_pipeline.working.luminance_weights @ np.array(lens.tint))
    light = light_over(picture.colour, lens.threshold, tint.tolist(), context.frame_context.matte(lens.matte, request))
    spread = glow(light, lens.size_px * request.viewport.scale, first_pixel(request.viewport))
    return _flared(picture, spread, lens, context)


def _glow_reach(lens: Glow, context: EffectContext) -> float:
    scale = context.request.viewport.scale
    return reach_of_sizes(lens.size_px * scale) / scale


def _glare(picture: Picture, lens: Glare, context: EffectContext) -> Picture:
    request, scale = context.request, context.request.viewport.scale
    light = light_over(
        picture.colour, lens.threshold, (1.0, 1.0, 1.0), context.frame_context.matte(lens.matte, request)
    )
    rays = glare(
        light, lens.streaks, lens.length_px * scale, lens.turn, lens.soft_px * scale, first_pixel(request.viewport)
    )
    return _flared(picture, rays, lens, context)


def _glare_reach(lens: Glare, context: EffectContext) -> float:
    scale = context.request.viewport.scale
    return reach_of_rays(lens.length_px * scale, lens.soft_px * scale) / scale


def _vignette(picture: Picture, lens: Vignette, context: EffectContext) -> Picture:
    part, matte = (
        context.frame_context.part_of_frame(context.request.viewport),
        context.frame_context.matte(lens.matte, context.request),
    )
    shape = lens.stops, lens.centre, lens.size, lens.roundness, lens.soft
    return picture.with_colour(vignette(picture.colour, part, *shape, matte))


def _grain(picture: Picture, lens: Grain, context: EffectContext) -> Picture:
    request, terms = context.request, context.frame_context.terms
    key = terms.keys.for_interpretation("grain", lens.seed, request.number, lens.size_px, request.viewport)
    noise = terms.kept(key, lambda: _noise_at(lens, context, request.viewport), request)
    matte = context.frame_context.matte(lens.matte, request)
    if matte is not None:
        noise = noise * matte
    return picture.with_colour(lay_grain(picture.colour, noise, lens.amount, lens.response))


def _noise_at(lens: Grain, context: EffectContext, viewport: Viewport) -> Planes:
    """Noise at a viewport: made at full size, where it has its deviation, then filtered as the picture is."""
    left, top = context.frame_context.render.offset

    def at(place: Viewport) -> Planes:
        return grain_noise(
            lens.seed, context.request.number, lens.size_px, place.x - left, place.y - top, place.width, place.height
        )

    if viewport.is_full:
        return at(viewport)
    return filtered(np.concatenate([at(band) for band in bands_of(viewport)], axis=1), viewport)


def _on_level(part: LensEffect, context: EffectContext) -> float:
    """Its noise looks no farther than its pixel, which must be one of a pyramid level."""
    return 1.0 / context.request.viewport.scale


def _dirty(variant: Variant) -> Any:
    return variant.lens.dirt


def _dirt_files(variant: Variant, frame_context: FrameContext) -> Any:
    """The fingerprint of the image of dirt."""
    found = dirt_image(variant, frame_context)
    return found.fingerprint if found else None


LENS_EFFECTS = (
    Effect("distortion", _distort, _distortion_reach),
    Effect("aberration", _aberration, _aberration_reach),
    Effect("glow", _glow, _glow_reach, _dirty, _dirt_files),
    Effect("glare", _glare, _glare_reach, _dirty, _dirt_files),
    Effect("vignette", _vignette),
    Effect("grain", _grain, _on_level),
)
