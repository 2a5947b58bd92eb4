"""Dirt on the glass: a picture laid over the frame, that says how much more glow and glare it catches."""

import numpy as np

from escala.core.planes import Planes, as_planes
from escala.model.variant import Variant

from ..effects import EffectContext
from ..frame_context import FrameContext
from ..images import ImageSource, OutsideImage
from ..viewer.viewport import Viewport, resize_planes


def dirt_image(variant: Variant, frame_context: FrameContext) -> OutsideImage | None:
    """The image of a variant's dirt; None where it has none, or its file is missing."""
    dirt = variant.lens.dirt
    return frame_context.images.find(ImageSource(dirt.picture)) if dirt.changes and dirt.picture else None


def dirt_gain(context: EffectContext) -> Planes | None:
    """`1 + amount · picture`, (3, H, W), at a viewport; None where there is no dirt."""
    found, request, terms = (
        dirt_image(context.request.variant, context.frame_context),
        context.request,
        context.frame_context.terms,
    )
    if found is None:
        return None
    key = terms.keys.for_interpretation("dirt", found.fingerprint, request.viewport)
    laid = terms.kept(key, lambda: _laid_over(found, request.viewport, context.frame_context), request)
    return np.asarray(np.float32(1.0) + np.float32(request.variant.lens.dirt.amount) * laid)


def _laid_over(image: OutsideImage, viewport: Viewport, frame_context: FrameContext) -> Planes:
    """The image as data, filling the frame, its middle on that of the frame; beyond it edge pixels are carried on.

    Where it is enlarged, its pixels are looked up one by one: the whole of a thin image would be huge.
    """
    stored, part = as_planes(image.stored()[0]), frame_context.part_of_frame(viewport)
    rows, columns = stored.shape[1:]
    scale = max(part.width / columns, part.height / rows)
    width, height = max(1, round(columns * scale / part.step)), max(1, round(rows * scale / part.step))
    if width <= columns and height <= rows:
        stored = resize_planes(stored, width, height)
    x, y = part.from_place(np.empty((viewport.out_height, viewport.out_width)), part.middle)
    column = np.clip(np.floor(x / part.step + width / 2), 0, width - 1).astype(np.int64)
    row = np.clip(np.floor(y / part.step + height / 2), 0, height - 1).astype(np.int64)
    return np.ascontiguousarray(stored[:, row * stored.shape[1] // height][:, :, column * stored.shape[2] // width])
