"""The tint that makes a light a chosen colour."""

import numpy as np

from escala.core.balance.levels import level_gain
from escala.core.balance.mixing import channel_means
from escala.core.errors import BadSource
from escala.model.balance import level_of
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..request import Quality
from ..viewer.viewport import whole_viewport
from .board import board_recipes

Triple = tuple[float, float, float]
# The least share of the mean that a channel of a light has for a tint, and the largest tint.
_LEAST, _LARGEST = 1e-3, 1000.0


def tint_towards(evaluator: Evaluator, variant: Variant, axis: str, name: str, colour: Triple) -> Triple:
    """The tint with which the mean of a light or component has a colour of the working space, of luminance 1.

    The temperature of its level stays. Raises `BadSource` for what is black, or has no pass.
    """
    request = evaluator.make_request(variant, whole_viewport(evaluator.render), Quality.PREVIEW)
    kind = {"lights": "light", "components": "component"}[axis]
    found = [(recipe, [i for i, term in enumerate(recipe.terms) if getattr(term, kind) == name])
             for recipe in board_recipes(evaluator)]  # fmt: skip
    recipe, places = next(((recipe, places) for recipe, places in found if places), (None, []))
    if recipe is None:
        raise BadSource(f"{evaluator.render.name} has no passes of {name}")
    terms = evaluator.light_sum.changed_terms(recipe, request, places)
    mean = np.sum([channel_means(planes) for planes in terms], axis=0)
    working = request.colour_pipeline.working
    level = level_of(getattr(request.variant.balance, axis), name)
    own = np.maximum(mean, 0.0) * level_gain(working, kelvin=level.kelvin, duv=level.duv)
    if own.max() <= 0:
        raise BadSource(f"{name} is black: no tint gives it a colour")
    ratio = np.array(colour, np.float64) / np.maximum(own / own.max(), _LEAST)
    luminance = float(working.luminance_weights @ ratio)
    if luminance <= 0:
        raise BadSource("black is no colour of a light: lower its level instead")
    red, green, blue = np.clip(ratio / luminance, 0.0, _LARGEST).tolist()
    return red, green, blue
