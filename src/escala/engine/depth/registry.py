"""The effects of Depth: haze, defocus, motion; each a row from its part of the document to its function in the core."""

from typing import Any

import numpy as np

from escala.core.depth.defocus import blur_radius, defocus
from escala.core.depth.footprints import Opening
from escala.core.depth.haze import height_share, lay_haze, transmittance
from escala.core.depth.motion import FARTHEST, motion_blur, shutter_times
from escala.core.depth.preview import defocus_coarsely, motion_blur_coarsely
from escala.core.errors import TooLarge
from escala.core.planes import Matte, Planes
from escala.model.depth import Defocus, Haze, Motion
from escala.model.variant import Variant

from ..effects import Effect, EffectContext
from ..frame_context import first_pixel
from ..pipeline import Picture
from ..request import Quality
from ..viewer.viewport import whole_viewport

# Blocks of pixels that are spread as one are chosen by what lies around them: so many pixels, and so many radii.
_AROUND_PX, _AROUND_RADII = 16, 4
# Lengths of the ways of all pixels of an image, in px: about a microsecond each.
_MAX_WAYS = 1e9


def _haze(picture: Picture, haze: Haze, context: EffectContext) -> Picture:
    through = _through(picture, haze, context)
    if through is None:
        return picture
    whole = haze.background or picture.alpha is None
    cover = np.ones_like(through) if whole else np.asarray(picture.alpha)
    tint = np.array(haze.colour) * 2.0**haze.level
    matte = context.frame_context.matte(haze.matte, context.request)
    return picture.with_colour(lay_haze(picture.colour, through, cover, tint, matte))


def _through(picture: Picture, haze: Haze, context: EffectContext) -> Matte | None:
    """What the air lets through; None where distances, or places for its height, are not known.

    Where nothing is, and no air is wanted in the background, all of it.
    """
    depth, request = context.frame_context.depth, context.request
    distance = depth.distance(request, picture.alpha)
    if distance is None:
        return None
    share = None
    if haze.height is not None:
        position, height = depth.position(request), haze.height
        if position is None:
            return None
        share = height_share(position, height.base, height.thickness, height.up)
    through = transmittance(distance, haze.density, haze.start, share)
    if haze.background or picture.alpha is None:
        return through
    return np.where(picture.alpha > 0, through, np.float32(1.0))


def _opening(lens: Defocus) -> Opening:
    return Opening(lens.blades, lens.turn, lens.round)


def _defocus(picture: Picture, lens: Defocus, context: EffectContext) -> Picture:
    distance = context.frame_context.depth.axial_distance(context.request, picture.alpha)
    if distance is None:
        return picture
    scale = context.request.viewport.scale
    radius = blur_radius(distance, lens.focus, lens.aperture * scale, lens.limit_px * scale)
    facts = picture.colour, picture.alpha, radius, _opening(lens), first_pixel(context.request.viewport)
    colour, alpha = (
        defocus_coarsely(*facts)
        if context.request.is_preview
        else defocus(*facts, report_progress=context.report_progress)
    )
    return Picture(colour, lambda: alpha)


def _defocus_reach(lens: Defocus, context: EffectContext) -> float:
    return _AROUND_RADII * lens.limit_px + _AROUND_PX / context.request.viewport.scale


def _motion(picture: Picture, motion: Motion, context: EffectContext) -> Picture:
    depth, request = context.frame_context.depth, context.request
    stored = depth.motion(request)
    if stored is None:
        return picture
    _check_motion_cost(motion, context)
    vectors = _scaled(stored, motion, request.viewport.scale)
    times = shutter_times(motion.shutter, motion.centre)
    distance = depth.distance(request, picture.alpha)
    facts = picture.colour, picture.alpha, vectors, distance, times, first_pixel(request.viewport)
    colour, alpha = (
        motion_blur_coarsely(*facts)
        if request.is_preview
        else motion_blur(*facts, report_progress=context.report_progress)
    )
    return Picture(colour, lambda: alpha)


def _check_motion_cost(motion: Motion, context: EffectContext) -> None:
    """Raises `TooLarge` before an exact image is blurred that nobody would wait for.

    The work of a pixel grows with the length of its way; their mean is that of a small image of the vectors. Bands of
    an export are one image.
    """
    viewport, raster = context.request.viewport, context.frame_context.render.raster
    if context.request.quality is Quality.PREVIEW:
        return
    is_band = context.request.quality is Quality.EXPORT
    pixels = raster.width * raster.height if is_band else viewport.out_width * viewport.out_height
    small = context.request.at(whole_viewport(context.frame_context.render))
    stored = context.frame_context.depth.motion(small)
    if stored is None:
        return
    length = np.hypot(*_scaled(stored, motion, viewport.scale * motion.shutter))
    mean = float(np.minimum(np.nan_to_num(length, posinf=0.0), FARTHEST).mean())
    if mean * pixels > _MAX_WAYS:
        raise TooLarge(
            "motion blur",
            f"{pixels / 1e6:.1f} million pixels move {mean:.0f} px on average, which would take many minutes; "
            "shorten the shutter",
        )


def _scaled(vectors: Planes, motion: Motion, scale: float) -> Planes:
    return vectors * np.array(motion.scale, np.float32)[:, None, None] * np.float32(scale)


def _motion_reach(motion: Motion, context: EffectContext) -> float:
    """Twice as far as the longest vector goes, for what lies behind is looked for as far again."""
    longest = context.frame_context.depth.longest_motion(context.request.variant)
    if longest is None:
        return 0.0
    most = max(size * abs(scale) for size, scale in zip(longest, motion.scale, strict=True))
    opened, closed = shutter_times(motion.shutter, motion.centre)
    way = min(most * max(abs(opened), abs(closed), closed - opened), FARTHEST / context.request.viewport.scale)
    return float(2 * way + _AROUND_PX / context.request.viewport.scale)


def _read_by(variant: Variant) -> Any:
    """How depth is read, and what is taken out of it."""
    return variant.depth.reading, variant.beauty.removed


DEPTH_EFFECTS = (
    Effect("haze", _haze, beside=_read_by),
    Effect("defocus", _defocus, _defocus_reach, _read_by),
    Effect("motion", _motion, _motion_reach, _read_by),
)
