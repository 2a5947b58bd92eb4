"""Sums of more terms than the cache can hold: straight from the passes as they are stored, nothing of them cached."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from escala.core.balance.mixing import mix_stored
from escala.core.beauty.recipes import Recipe
from escala.core.colour.matrix import apply_matrix
from escala.core.planes import Planes

from ..balance.plan import Gains, Part
from ..request import EvaluationRequest
from ..viewer.viewport import crop_pass, resize_planes
from .terms import Terms


def stream_name(part: Part, recipe: Recipe, terms: Terms, request: EvaluationRequest) -> str | None:
    """The pass that a part is, if its sum can be streamed; None for products, mattes, floats, what is not
    finite, and encoded spaces."""
    term = recipe.terms[part.term]
    if part.mattes or not term.is_linear or len(term.passes) != 1:
        return None
    name, colour_pipeline = term.passes[0], request.colour_pipeline
    planes = terms.frame.planes(name)
    is_half = planes.dtype == np.float16 and planes.shape[0] >= 3 and not terms.frame.passes[name].statistics.not_finite
    space = colour_pipeline.space_of(name)
    return (
        name
        if is_half and colour_pipeline.config.plain_matrix(space, colour_pipeline.working.name) is not None
        else None
    )


def stream_sum(names: Sequence[str], gains: Gains, terms: Terms, request: EvaluationRequest) -> Planes:
    """The sum of passes in the working space, each times its gain per channel, (n, 3), at a viewport; (3, H, W)."""
    colour_pipeline, viewport = request.colour_pipeline, request.viewport
    spaces = [colour_pipeline.space_of(name) for name in names]
    total: Planes | None = None
    for space in dict.fromkeys(spaces):
        chosen = [i for i, found in enumerate(spaces) if found == space]
        matrix = colour_pipeline.config.plain_matrix(space, colour_pipeline.working.name)
        assert matrix is not None
        stored = [np.asarray(crop_pass(terms.frame, names[i], viewport)[:3], np.float16) for i in chosen]
        part = _sum_of_one_space(stored, gains[chosen], matrix)
        total = part if total is None else total + part
    assert total is not None
    return resize_planes(total, viewport.out_width, viewport.out_height)


def _sum_of_one_space(stored: Sequence[NDArray[np.float16]], gains: Gains, matrix: Planes) -> Planes:
    """Gains that tint nothing are applied to in the space of the passes, and the sum is converted once."""
    if (gains == gains[:, :1]).all():
        return apply_matrix(mix_stored(stored, gains[:, :, None] * np.eye(3, dtype=np.float32)), matrix)
    return mix_stored(stored, gains[:, :, None] * matrix)
