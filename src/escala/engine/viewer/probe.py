"""The probe: the values at a place, and which lights and components make it."""

from dataclasses import dataclass

import numpy as np

from escala.core.balance.levels import MIDDLE_GREY
from escala.core.beauty.recipes import Recipe
from escala.core.planes import Planes
from escala.model.variant import Variant

from ..balance.board import board_recipes
from ..evaluator import Evaluator
from ..request import EvaluationRequest, Quality
from .viewport import full_viewport

MOST_PIXELS = 65

Triple = tuple[float, float, float]
# Values as they are sent: None for what is not a number.
OptionalTriple = tuple[float | None, float | None, float | None]


@dataclass(frozen=True)
class Part:
    """A light or component and its share of the light at the place, 0..1."""

    name: str
    share: float


@dataclass(frozen=True)
class Probe:
    """Means over a square of pixels. `linear`: finished working space; `source`: the beauty in the space of the file.

    `stops`: luminance over middle grey 0.18, None in the dark; `display`: 0..255 on screen, may lie beyond; `hue`:
    degrees of the linear colour's hexagon, None for a grey; `saturation`: 0..1, beyond 1 out of gamut. None also
    stands for every value that a pixel without a number makes one.
    """

    x: int
    y: int
    size: int
    linear: OptionalTriple
    source: OptionalTriple
    stops: float | None
    display: OptionalTriple
    hue: float | None
    saturation: float | None
    alpha: float | None
    lights: tuple[Part, ...]
    components: tuple[Part, ...]
    passes: tuple[Part, ...]


def probe_at(evaluator: Evaluator, variant: Variant, x: int, y: int, size: int = 1) -> Probe:
    """Look at column x and row y of the displayed picture; places outside are moved to its edge."""
    display, raster = evaluator.render.display, evaluator.render.raster
    x, y = min(max(x, 0), display.width - 1), min(max(y, 0), display.height - 1)
    size = min(max(size, 1), MOST_PIXELS)
    across, down = evaluator.render.offset
    left, top = x + across - size // 2, y + down - size // 2
    left, top = max(0, min(left, raster.width - size)), max(0, min(top, raster.height - size))
    viewport = full_viewport(left, top, min(size, raster.width), min(size, raster.height))
    request = evaluator.make_request(variant, viewport, Quality.EXPORT)
    colour_pipeline = request.colour_pipeline
    picture = evaluator.picture(request)
    finished = picture.colour
    linear = _mean(finished)
    reference = evaluator.terms.reference(request)
    source = (
        _mean(colour_pipeline.config.convert(reference, colour_pipeline.working.name, colour_pipeline.input_space))
        if reference is not None
        else linear
    )
    shown = _mean(
        colour_pipeline.config.display(finished, colour_pipeline.working.name, colour_pipeline.view) * np.float32(255)
    )
    luminance = float(np.dot(linear, colour_pipeline.working.luminance_weights))
    alpha = picture.alpha
    hue, saturation = hue_of(linear)
    return Probe(
        x=x,
        y=y,
        size=size,
        linear=_finite_or_none(linear),
        source=_finite_or_none(source),
        stops=float(np.log2(luminance / MIDDLE_GREY)) if 0 < luminance < np.inf else None,
        display=_finite_or_none(shown),
        hue=hue,
        saturation=saturation,
        alpha=None if alpha is None else _number(float(alpha.mean())),
        lights=_parts(evaluator, request, "light"),
        components=_parts(evaluator, request, "component"),
        passes=_parts(evaluator, request, "name"),
    )


def hue_of(linear: Triple) -> tuple[float | None, float | None]:
    """Hue in degrees (red 0, green 120, blue 240; None for a grey) and saturation, (largest - least) / largest.

    Both are None for a colour of which a channel is no number.
    """
    if not np.isfinite(linear).all():
        return None, None
    red, green, blue = linear
    largest, least = max(linear), min(linear)
    span = largest - least
    if largest <= 0 or span <= 1e-6 * largest:
        return None, 0.0
    if largest == red:
        turn = ((green - blue) / span) % 6
    elif largest == green:
        turn = (blue - red) / span + 2
    else:
        turn = (red - green) / span + 4
    return 60.0 * turn, span / largest


def _finite_or_none(values: Triple) -> OptionalTriple:
    red, green, blue = map(_number, values)
    return red, green, blue


def _number(value: float) -> float | None:
    return value if np.isfinite(value) else None


def _mean(planes: Planes) -> Triple:
    red, green, blue = (float(plane.mean(dtype=np.float64)) for plane in planes)
    return red, green, blue


def _parts(evaluator: Evaluator, request: EvaluationRequest, axis: str) -> tuple[Part, ...]:
    """Shares along an axis (light, component, or the name of each term) after the levels, the largest first."""
    recipe = next((r for r in board_recipes(evaluator) if any(getattr(term, axis) for term in r.terms)), None)
    if recipe is None:
        return ()
    energy = _energies(evaluator, recipe, request, axis)
    if axis == "light":
        energy |= _added_energies(evaluator, request)
    total = sum(energy.values())
    if not 0 < total < np.inf:
        return tuple(Part(name, 0.0) for name in energy)
    return tuple(Part(name, value / total) for name, value in sorted(energy.items(), key=lambda item: -item[1]))


def _added_energies(evaluator: Evaluator, request: EvaluationRequest) -> dict[str, float]:
    """The energies of added lights at their levels."""
    weights, added = request.colour_pipeline.working.luminance_weights, evaluator.light_sum.added
    lights = [light for light in request.variant.balance.added if light.on]
    return {light.name: float(np.array(_mean(added.levelled(light, request))) @ weights) for light in lights}


def _energies(evaluator: Evaluator, recipe: Recipe, request: EvaluationRequest, axis: str) -> dict[str, float]:
    energy: dict[str, float] = {}
    weights = request.colour_pipeline.working.luminance_weights
    for term, planes in zip(recipe.terms, evaluator.light_sum.levelled_terms(recipe, request), strict=True):
        name = getattr(term, axis) or "other"
        energy[name] = energy.get(name, 0.0) + max(0.0, float(np.array(_mean(planes)) @ weights))
    return energy
