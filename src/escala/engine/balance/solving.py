"""Levels solved from a reference picture."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from escala.core.balance.solve import NormalEquations, level_of_gain, solve_gains
from escala.core.errors import BadSource, UnknownChoice
from escala.core.planes import Planes
from escala.model.balance import Balance, Level, level_of
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..images import OutsideImage
from ..plate.pictures import PlatePicture
from ..progress import Progress, no_progress
from ..request import Quality
from ..viewer.viewport import Viewport, bands_of, full_viewport
from .plan import render_cells, render_lights


@dataclass(frozen=True)
class Solution:
    """Levels by light, or by cell, and how near they come: root mean squares over pixels and channels."""

    levels: dict[str, Level]
    of_cells: bool
    before: float
    after: float
    locked: tuple[str, ...]
    pixels: int

    @property
    def facts(self) -> dict[str, Any]:
        """As plain values."""
        levels = {n: {"stops": level.stops, "tint": list(level.tint)} for n, level in self.levels.items()}
        return {
            "cells" if self.of_cells else "lights": levels,
            "before": {"rms": self.before},
            "after": {"rms": self.after},
            "locked": list(self.locked),
            "pixels": self.pixels,
        }

    def applied(self, variant: Variant) -> Variant:
        """A variant with the levels in place of its own."""
        table = variant.balance.cells if self.of_cells else variant.balance.lights
        merged = {**table, **self.levels}
        change = {"cells": merged} if self.of_cells else {"lights": merged}
        return variant.model_copy(update={"balance": variant.balance.model_copy(update=change)})


def solve_levels(
    evaluator: Evaluator,
    variant: Variant,
    reference: OutsideImage,
    locked: Sequence[str] = (),
    with_tints: bool = False,
    of_cells: bool = False,
    progress: Progress = no_progress,
) -> Solution:
    """The non-negative levels that bring the sum nearest to a reference, in the working space, at full size.

    Locked lights keep their level of the variant; all others are solved anew, whatever their level is. Raises
    `UnknownChoice` for a locked light that is not there, `BadSource` for a reference of another size, or where the
    render has no such passes.
    """
    names = render_cells(evaluator.render) if of_cells else render_lights(evaluator.render)
    lights = render_lights(evaluator.render)
    for name in locked:
        if name not in lights:
            raise UnknownChoice("light", name, lights)
    if not names:
        raise BadSource(f"{evaluator.render.name} has no passes by {'light and component' if of_cells else 'light'}")
    _check_size(evaluator, reference)
    free = [name for name in names if (name.split("/")[0] if of_cells else name) not in locked]
    display, (left, top) = evaluator.render.display, evaluator.render.offset
    whole = full_viewport(left, top, display.width, display.height)
    picture = PlatePicture(reference, evaluator.colour_pipeline(variant), evaluator.cache)
    equations, squares, count = NormalEquations(len(free)), 0.0, 0
    for band in bands_of(whole):
        progress((band.y - top) / display.height, "solving")
        wanted = picture.rows(slice(band.y - top, band.y - top + band.height))[:3]
        held = [name for name in names if name not in free]
        base = _sum(evaluator, _only(variant, names, held, of_cells), band, True)
        alone = [_sum(evaluator, _neutral_only(variant, names, name, of_cells), band, False) for name in free]
        equations.add(alone, np.asarray(wanted - base))
        difference = np.asarray(_sum(evaluator, variant, band, True) - wanted, np.float64)
        finite = difference[:, np.isfinite(difference).all(axis=0)]
        squares, count = squares + float((finite**2).sum()), count + finite.size
    gains = solve_gains(equations, with_tints)
    weights = evaluator.colour_pipeline(variant).working.luminance_weights
    levels = {}
    for index, name in enumerate(free):
        stops, tint = level_of_gain(gains[:, index], weights)
        levels[name] = Level(stops=min(max(stops, -16.0), 16.0), tint=tint)
    before = float(np.sqrt(squares / max(count, 1)))
    return Solution(levels, of_cells, before, equations.rms(gains), tuple(locked), equations.pixels)


def _check_size(evaluator: Evaluator, reference: OutsideImage) -> None:
    display, found = evaluator.render.display, reference.frame.header.display
    if (display.width, display.height) != (found.width, found.height):
        raise BadSource(
            f"{reference.source.path} is {found.width} × {found.height} and {evaluator.render.name} {display.width} × "
            f"{display.height} pixels: a reference has the size of the render"
        )


def _sum(evaluator: Evaluator, variant: Variant, band: Viewport, with_residual: bool) -> Planes:
    request = evaluator.make_request(variant, band, Quality.EXPORT)
    return evaluator.light_sum.sum(request, with_residual)


def _only(variant: Variant, names: Sequence[str], kept: Sequence[str], of_cells: bool) -> Variant:
    """The variant with all lights or cells muted but some, which keep their levels."""
    table = variant.balance.cells if of_cells else variant.balance.lights
    levels = {name: level_of(table, name) if name in kept else Level(mute=True) for name in names}
    levels = {name: level.model_copy(update={"solo": False}) for name, level in levels.items()}
    return _with(variant, levels, of_cells)


def _neutral_only(variant: Variant, names: Sequence[str], name: str, of_cells: bool) -> Variant:
    """One light or cell at its neutral level, all others muted; other levels of the variant stay."""
    return _with(variant, {each: Level(mute=each != name) for each in names}, of_cells)


def _with(variant: Variant, levels: dict[str, Level], of_cells: bool) -> Variant:
    balance = variant.balance
    if of_cells:
        return variant.model_copy(update={"balance": balance.model_copy(update={"cells": levels})})
    changed = Balance.model_construct(**{**dict(balance), "lights": {**balance.lights, **levels}, "corrections": ()})
    return variant.model_copy(update={"balance": changed})
