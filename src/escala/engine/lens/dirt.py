"""Dirt on the glass: a picture laid over the frame, that says how much more glow and glare it catches."""

import numpy as np

from escala.core.planes import Planes, as_planes
from escala.model.variant import Variant

from ..effects import Ground
from ..looking.look import Look, resize_planes
from ..pictures import OutsidePicture, picture_at
from ..surroundings import Surroundings


def dirt_picture(variant: Variant, around: Surroundings) -> OutsidePicture | None:
    """The picture of a variant's dirt; None where it has none, or that is not there and waits."""
    dirt = variant.lens.dirt
    return picture_at(dirt.picture, around.pictures) if dirt.changes else None


def dirt_gain(ground: Ground) -> Planes | None:
    """`1 + amount · picture`, (3, H, W), at the look that is asked for; None where there is no dirt."""
    found, asked, terms = dirt_picture(ground.asked.variant, ground.around), ground.asked, ground.around.terms
    if found is None:
        return None
    key = terms.keys.of_reading("dirt", found.folder, asked.look)
    laid = terms.kept(key, lambda: _laid_over(found, asked.look, ground.around), asked)
    return np.asarray(np.float32(1.0) + np.float32(asked.variant.lens.dirt.amount) * laid)


def _laid_over(picture: OutsidePicture, look: Look, around: Surroundings) -> Planes:
    """The picture as data, filling the frame, its middle on that of the frame; beyond it edge pixels are carried on."""
    stored, _, _ = picture.stored()
    part = around.part_of_frame(look)
    rows, columns = stored.shape[1:]
    scale = max(part.width / columns, part.height / rows)
    shown = resize_planes(
        as_planes(stored), max(1, round(columns * scale / part.step)), max(1, round(rows * scale / part.step))
    )
    x, y = part.from_place(np.empty((look.out_height, look.out_width)), part.middle)
    column = np.clip(np.floor(x / part.step + shown.shape[2] / 2), 0, shown.shape[2] - 1).astype(np.int64)
    row = np.clip(np.floor(y / part.step + shown.shape[1] / 2), 0, shown.shape[1] - 1).astype(np.int64)
    return np.ascontiguousarray(shown[:, row][:, :, column])
