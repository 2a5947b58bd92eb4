"""Levels solved from a reference picture, or from wishes at places of the picture."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.balance.levels import WorkingSpace, level_gain, normalise_tint, white_gain
from escala.core.balance.solve import DARK_STOPS, NormalEquations, level_of_gain, solve_gains
from escala.core.balance.temperature import NEUTRAL_KELVIN
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

# Rows of a picture in the working space, (3, h, W).
Rows = Callable[[slice], Planes]


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
    reference: Rows,
    locked: Sequence[str] = (),
    with_tints: bool = False,
    of_cells: bool = False,
    progress: Progress = no_progress,
) -> Solution:
    """The non-negative levels that bring the sum nearest to a reference, in the working space, at full size.

    `reference`: gives rows of the displayed picture, (3, h, W), as `rows_of` does.
    Locked lights keep their level of the variant; all others are solved anew, whatever their level is. Raises
    `UnknownChoice` for a locked light that is not there, `BadSource` where the render has no such passes.
    """
    names, free = _unknowns(evaluator, locked, of_cells)
    display, (left, top) = evaluator.render.display, evaluator.render.offset
    whole = full_viewport(left, top, display.width, display.height)
    equations, squares, count = NormalEquations(len(free)), 0.0, 0
    for band in bands_of(whole):
        progress((band.y - top) / display.height, "solving")
        wanted = reference(slice(band.y - top, band.y - top + band.height))
        held = [name for name in names if name not in free]
        base = _sum(evaluator, _only(variant, names, held, of_cells), band, True)
        alone = [_sum(evaluator, _neutral_only(variant, names, name, of_cells), band, False) for name in free]
        equations.add(alone, np.asarray(wanted - base))
        difference = np.asarray(_sum(evaluator, variant, band, True) - wanted, np.float64)
        finite = difference[:, np.isfinite(difference).all(axis=0)]
        squares, count = squares + float((finite**2).sum()), count + finite.size
    gains = solve_gains(equations, with_tints)
    levels = _as_levels(free, gains, evaluator.colour_pipeline(variant).working)
    before = float(np.sqrt(squares / max(count, 1)))
    return Solution(levels, of_cells, before, equations.rms(gains), tuple(locked), equations.pixels)


@dataclass(frozen=True)
class Wish:
    """What the mean of a square of pixels shall become, beside column `x` and row `y` of the displayed picture.

    `stops`: so much brighter than it is; `kelvin`: as white balance does, fewer is warmer; `colour`: this colour of the
    working space, at the brightness that it has; None: the one that it is.
    """

    x: int
    y: int
    size: int = 5
    stops: float = 0.0
    kelvin: float = NEUTRAL_KELVIN
    colour: tuple[float, float, float] | None = None

    def wanted(self, now: NDArray[np.float64], working: WorkingSpace) -> NDArray[np.float64]:
        """The mean that is wished for, (3,), from the present one."""
        base = now
        if self.colour is not None:
            luminance = float(working.luminance_weights @ now)
            base = normalise_tint(self.colour, working) * luminance
        return np.asarray(base * 2.0**self.stops * white_gain(working, self.kelvin))


def solve_wishes(
    evaluator: Evaluator, variant: Variant, wishes: Sequence[Wish], locked: Sequence[str] = (), with_tints: bool = False
) -> Solution:
    """The levels that come nearest to wishes; lights that matter to none stay as they are.

    Raises `UnknownChoice` for a locked light that is not there, `BadSource` without wishes or lights.
    """
    names, free = _unknowns(evaluator, locked, False)
    if not wishes:
        raise BadSource("nothing is wished for: pin a place first")
    working = evaluator.colour_pipeline(variant).working
    present = [level_of(variant.balance.lights, name) for name in free]
    colours = [np.ones(3) if with_tints else _colour_of(level, working) for level in present]
    equations, squares = NormalEquations(len(free)), 0.0
    for wish in wishes:
        at = _square(evaluator, wish)
        now = _mean(evaluator, variant, at, True)
        wanted = wish.wanted(now[:, 0, 0].astype(np.float64), working).reshape(3, 1, 1)
        base = _mean(evaluator, _only(variant, names, [name for name in names if name not in free], False), at, True)
        alone = [_mean(evaluator, _neutral_only(variant, names, name, False), at, False) for name in free]
        lights = [np.asarray(c[:, None, None] * one, np.float32) for c, one in zip(colours, alone, strict=True)]
        equations.add(lights, np.asarray(wanted - base, np.float32))
        squares += float(((now - wanted) ** 2).sum())
    strengths = [0.0 if level.mute else 2.0**level.stops * level.multiplier for level in present]
    kept = np.array([s * (_colour_of(level, working) if with_tints else np.ones(3))
                     for s, level in zip(strengths, present, strict=True)]).reshape(-1, 3).T  # fmt: skip
    gains = solve_gains(equations, with_tints, kept, _TOWARDS_PRESENT)
    found = _as_levels(free, gains, working)
    if not with_tints:
        found = {name: _stronger(level, float(gain)) for name, level, gain in zip(free, present, gains[0], strict=True)}
    moved = np.abs(gains - kept).max(axis=0) > _STAYS * np.maximum(kept.max(axis=0), 1.0)
    levels = {name: found[name] for name, is_moved in zip(free, moved, strict=True) if is_moved}
    before = float(np.sqrt(squares / (3 * len(wishes))))
    return Solution(levels, False, before, equations.rms(gains), tuple(locked), equations.pixels)


def _colour_of(level: Level, working: WorkingSpace) -> NDArray[np.float64]:
    """What a level makes of white light, at its brightness."""
    return np.asarray(level_gain(working, tint=level.tint, kelvin=level.kelvin, duv=level.duv), np.float64)


def _stronger(level: Level, strength: float) -> Level:
    """A level at another strength, its colour kept."""
    stops = float(np.log2(strength)) if strength > 2.0**DARK_STOPS else DARK_STOPS
    return level.model_copy(update={"stops": min(stops, 16.0), "multiplier": 1.0, "mute": False})


def _unknowns(evaluator: Evaluator, locked: Sequence[str], of_cells: bool) -> tuple[list[str], list[str]]:
    """The names of all lights or cells, and of those that are solved for."""
    lights = render_lights(evaluator.render)
    names = render_cells(evaluator.render) if of_cells else lights
    for name in locked:
        if name not in lights:
            raise UnknownChoice("light", name, lights)
    if not names:
        raise BadSource(f"{evaluator.render.name} has no passes by {'light and component' if of_cells else 'light'}")
    return names, [name for name in names if (name.split("/")[0] if of_cells else name) not in locked]


def _as_levels(names: Sequence[str], gains: NDArray[np.float64], working: WorkingSpace) -> dict[str, Level]:
    levels = {}
    for index, name in enumerate(names):
        stops, tint = level_of_gain(gains[:, index], working.luminance_weights)
        levels[name] = Level(stops=min(max(stops, -16.0), 16.0), tint=tint)
    return levels


# Of the mean diagonal: enough that what nobody wishes for stays, too little to hold a wish back.
_TOWARDS_PRESENT = 1e-4
# A level that changes by less is as it was.
_STAYS = 1e-3


def _square(evaluator: Evaluator, wish: Wish) -> Viewport:
    """The pixels of a wish, within the raster."""
    raster, (across, down) = evaluator.render.raster, evaluator.render.offset
    size = min(max(wish.size, 1), raster.width, raster.height)
    left = min(max(wish.x + across - size // 2, 0), raster.width - size)
    top = min(max(wish.y + down - size // 2, 0), raster.height - size)
    return full_viewport(left, top, size, size)


def _mean(evaluator: Evaluator, variant: Variant, at: Viewport, with_residual: bool) -> Planes:
    """The mean of the sum over a few pixels, (3, 1, 1)."""
    return np.asarray(_sum(evaluator, variant, at, with_residual).mean(axis=(1, 2), keepdims=True), np.float32)


def rows_of(evaluator: Evaluator, variant: Variant, reference: OutsideImage) -> Rows:
    """The rows of a reference picture in the working space. Raises `BadSource` for one of another size."""
    display, found = evaluator.render.display, reference.frame.header.display
    if (display.width, display.height) != (found.width, found.height):
        raise BadSource(
            f"{reference.source.path} is {found.width} × {found.height} and {evaluator.render.name} {display.width} × "
            f"{display.height} pixels: a reference has the size of the render"
        )
    picture = PlatePicture(reference, evaluator.colour_pipeline(variant), evaluator.cache)
    return lambda rows: picture.rows(rows)[:3]


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
    alone = _with(variant, {each: Level(mute=each != name) for each in names}, of_cells)
    return alone.model_copy(update={"balance": alone.balance.model_copy(update={"added": ()})})


def _with(variant: Variant, levels: dict[str, Level], of_cells: bool) -> Variant:
    balance = variant.balance
    if of_cells:
        return variant.model_copy(update={"balance": balance.model_copy(update={"cells": levels})})
    changed = Balance.model_construct(**{**dict(balance), "lights": {**balance.lights, **levels}, "corrections": ()})
    return variant.model_copy(update={"balance": changed})
