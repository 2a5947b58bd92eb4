"""The break-down of an image: its terms one after another, then the stations that change something."""

from dataclasses import dataclass, replace

from escala.core.beauty.recipes import fold_recipe
from escala.core.errors import BadSource
from escala.core.planes import Planes
from escala.model.render import Render
from escala.model.time import Time
from escala.model.variant import Variant

from .evaluator import Evaluator
from .request import EvaluationRequest
from .stations import STATIONS

_RESIDUAL = "residual"
# The source is what terms build up; the display is applied to every step.
_NO_STEPS = ("source", "display")


@dataclass(frozen=True)
class Step:
    """A step of a break-down: its place from 1, the name of its term or station, and a title to be read."""

    place: int
    name: str
    title: str
    is_station: bool = False

    @property
    def label(self) -> str:
        """Its place and name, as in file names."""
        return f"{self.place:02d}_{self.name.replace(' ', '_')}"


def breakdown_steps(render: Render, variant: Variant, time: Time) -> list[Step]:
    """The steps of a variant at a time: all terms of the recipe, the residual where passes do not match, stations.

    `render`: as the variant reads it. Raises `BadSource` where the render has no recipe.
    """
    if not render.recipes:
        raise BadSource(f"{render.name}: no recipe, the render has no components or lights")
    found = render.recipes[0]
    names = [(term.name, term.name.replace("_", " "), False) for term in found.recipe.terms]
    if render.reference is not None and not found.exact:
        names.append((_RESIDUAL, _RESIDUAL, False))
    settled = variant.settled(time)
    for station in STATIONS:
        if station.name not in _NO_STEPS and station.words(render, settled, None)[1]:
            names.append((station.name, station.name.capitalize(), True))
    return [Step(place, *facts) for place, facts in enumerate(names, 1)]


def step_image(evaluator: Evaluator, request: EvaluationRequest, step: Step) -> Planes:
    """The image up to a step, (3, H, W) in the working space; the last step is the result."""
    light_sum = evaluator.light_sum
    if step.is_station:
        if step.name == "balance":  # with the residual, as all stations after it
            return light_sum.sum(request, with_residual=True)
        return evaluator.at(step.name, request)
    recipe = evaluator.render.recipes[0].recipe
    if step.place > len(recipe.terms):
        return evaluator.terms.plain(request)
    begun = replace(recipe, terms=recipe.terms[: step.place])
    terms = [evaluator.terms.term(term, request) for term in begun.terms]
    return fold_recipe(begun, terms, alpha=evaluator.terms.cover(begun, request))
