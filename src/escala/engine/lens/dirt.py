"""Dirt on the glass: a picture laid over the frame, that says how much more glow and glare it catches."""

import numpy as np

from escala.core.planes import Planes, as_planes
from escala.model.variant import Variant

from ..effects import Ground
from ..images import ImageSource, OutsideImage
from ..looking.look import Look, resize_planes
from ..surroundings import Surroundings


def dirt_image(variant: Variant, around: Surroundings) -> OutsideImage | None:
    """The image of a variant's dirt; None where it has none, or its file is missing."""
    dirt = variant.lens.dirt
    return around.find_image(ImageSource(dirt.picture)) if dirt.changes and dirt.picture else None


def dirt_gain(ground: Ground) -> Planes | None:
    """`1 + amount · picture`, (3, H, W), at the look that is asked for; None where there is no dirt."""
    found, request, terms = dirt_image(ground.request.variant, ground.around), ground.request, ground.around.terms
    if found is None:
        return None
    key = terms.keys.of_reading("dirt", found.fingerprint, request.look)
    laid = terms.kept(key, lambda: _laid_over(found, request.look, ground.around), request)
    return np.asarray(np.float32(1.0) + np.float32(request.variant.lens.dirt.amount) * laid)


def _laid_over(image: OutsideImage, look: Look, around: Surroundings) -> Planes:
    """The image as data, filling the frame, its middle on that of the frame; beyond it edge pixels are carried on.

    Where it is enlarged, its pixels are looked up one by one: the whole of a thin image would be huge.
    """
    stored, part = as_planes(image.stored()[0]), around.part_of_frame(look)
    rows, columns = stored.shape[1:]
    scale = max(part.width / columns, part.height / rows)
    width, height = max(1, round(columns * scale / part.step)), max(1, round(rows * scale / part.step))
    if width <= columns and height <= rows:
        stored = resize_planes(stored, width, height)
    x, y = part.from_place(np.empty((look.out_height, look.out_width)), part.middle)
    column = np.clip(np.floor(x / part.step + width / 2), 0, width - 1).astype(np.int64)
    row = np.clip(np.floor(y / part.step + height / 2), 0, height - 1).astype(np.int64)
    return np.ascontiguousarray(stored[:, row * stored.shape[1] // height][:, :, column * stored.shape[2] // width])
