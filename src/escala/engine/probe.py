"""The probe: the values at a place, and which lights and components make it."""

from dataclasses import dataclass

import numpy as np

from escala.core.levels import MIDDLE_GREY
from escala.core.planes import Planes
from escala.core.recipes import Recipe
from escala.model.variant import Variant

from .balance import term_gains
from .board import board_recipes
from .colouring import Colouring
from .look import Look, full_look
from .picture import FrameEngine

MOST_PIXELS = 65

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class Part:
    """A light or component and its share of the light at the place, 0..1."""

    name: str
    share: float


@dataclass(frozen=True)
class Probe:
    """Means over a square of pixels. `linear`: finished working space; `source`: the beauty in the space of the file.

    `stops`: luminance over middle grey 0.18, None in the dark; `display`: 0..255 on screen, may lie beyond; `hue`:
    degrees of the linear colour's hexagon, None for a grey; `saturation`: 0..1, beyond 1 out of gamut.
    """

    x: int
    y: int
    size: int
    linear: Triple
    source: Triple
    stops: float | None
    display: Triple
    hue: float | None
    saturation: float
    alpha: float | None
    lights: tuple[Part, ...]
    components: tuple[Part, ...]
    passes: tuple[Part, ...]


def probe_at(engine: FrameEngine, variant: Variant, x: int, y: int, size: int = 1) -> Probe:
    """Look at column x and row y of the displayed picture; places outside are moved to its edge."""
    display, raster = engine.render.display, engine.render.raster
    x, y = min(max(x, 0), display.width - 1), min(max(y, 0), display.height - 1)
    size = min(max(size, 1), MOST_PIXELS)
    left, top = x + display.x - raster.x - size // 2, y + display.y - raster.y - size // 2
    left, top = max(0, min(left, raster.width - size)), max(0, min(top, raster.height - size))
    look = full_look(left, top, min(size, raster.width), min(size, raster.height))
    colouring = engine.colouring(variant)
    finished = engine.finish(variant, look, keep=False)
    linear = _mean(finished)
    reference = engine.reference(look, colouring, keep=False)
    source = (
        _mean(colouring.config.convert(reference, colouring.working.name, colouring.input_space))
        if reference is not None
        else linear
    )
    shown = _mean(colouring.config.display(finished, colouring.working.name, colouring.view) * np.float32(255))
    luminance = float(np.dot(linear, colouring.working.luminance_weights))
    alpha = engine.alpha(look)
    hue, saturation = hue_of(linear)
    return Probe(
        x=x,
        y=y,
        size=size,
        linear=linear,
        source=source,
        stops=float(np.log2(luminance / MIDDLE_GREY)) if luminance > 0 else None,
        display=shown,
        hue=hue,
        saturation=saturation,
        alpha=None if alpha is None else float(alpha.mean()),
        lights=_parts(engine, variant, look, colouring, "light"),
        components=_parts(engine, variant, look, colouring, "component"),
        passes=_parts(engine, variant, look, colouring, "name"),
    )


def hue_of(linear: Triple) -> tuple[float | None, float]:
    """Hue in degrees (red 0, green 120, blue 240; None for a grey) and saturation, (largest - least) / largest."""
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


def _mean(planes: Planes) -> Triple:
    red, green, blue = (float(plane.mean(dtype=np.float64)) for plane in planes)
    return red, green, blue


def _parts(engine: FrameEngine, variant: Variant, look: Look, colouring: Colouring, axis: str) -> tuple[Part, ...]:
    """Shares along an axis (light, component, or the name of each term) after the levels, the largest first."""
    recipe = next((r for r in board_recipes(engine) if any(getattr(term, axis) for term in r.terms)), None)
    if recipe is None:
        return ()
    energy = _energies(engine, recipe, variant, look, colouring, axis)
    total = sum(energy.values())
    if total <= 0:
        return tuple(Part(name, 0.0) for name in energy)
    return tuple(Part(name, value / total) for name, value in sorted(energy.items(), key=lambda item: -item[1]))


def _energies(
    engine: FrameEngine, recipe: Recipe, variant: Variant, look: Look, colouring: Colouring, axis: str
) -> dict[str, float]:
    gains, _ = term_gains(recipe, variant, colouring.working)
    energy: dict[str, float] = {}
    terms = engine.terms(recipe, variant, look, keep=False)
    for term, planes, gain in zip(recipe.terms, terms, gains, strict=True):
        name = getattr(term, axis) or "other"
        mean = np.array(_mean(planes)) * gain
        energy[name] = energy.get(name, 0.0) + max(0.0, float(mean @ colouring.working.luminance_weights))
    return energy
