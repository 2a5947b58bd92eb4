"""The work of `escala sheet`, `escala preset` and `escala solve`."""

import argparse
import sys
from dataclasses import asdict
from functools import partial
from pathlib import Path

from escala.core.errors import BadSource
from escala.delivery.adjustments import Adjustments, adjusted
from escala.delivery.documents import read_preset, read_text, read_variant
from escala.delivery.opening import SHOT, opened_render
from escala.engine.balance.light_sheet import LightRow, light_rows, sheet_as_csv, sheet_as_json
from escala.engine.balance.plan import level_names
from escala.engine.balance.solving import Solution, rows_of, solve_levels
from escala.engine.balance.usd_sheet import read_map, usd_sheet
from escala.engine.colour.pipeline import ColourPipeline, resolve_colour
from escala.engine.images import ImageSource
from escala.engine.source.intake import time_of
from escala.engine.worker import LONG
from escala.media.atomic_write import write_bytes
from escala.media.usd_lights import WRITTEN_SUFFIXES, read_lights, write_overs
from escala.model.balance_preset import apply_preset
from escala.model.render import Render
from escala.model.strict_json import to_json
from escala.model.time import Time
from escala.model.variant import Variant

from .guard import decoder
from .rendering import frames_of


def _variant(options: argparse.Namespace, render: Render) -> Variant:
    """The variant of a command with its colour options applied."""
    base = read_variant(options.variant) if options.variant else Variant()
    colour = {name: getattr(options, name, None) for name in ("ocio", "input_space", "working_space")}
    return adjusted(render, base, Adjustments(**colour))


def _write(path: Path, text: str) -> None:
    write_bytes(path, iter((text.encode(),)))


def write_sheet(options: argparse.Namespace) -> None:
    """Write the light sheet. Raises `BadSource` for another extension than .csv, .json and those of USD."""
    suffix = options.out.suffix.lower()
    is_usd = suffix in WRITTEN_SUFFIXES
    if suffix not in (".csv", ".json") and not is_usd:
        raise BadSource(f"{options.out}: a light sheet is a .csv, .json, .usda, .usdc or .usd file")
    if is_usd != (options.scene is not None):
        raise BadSource("a sheet as USD needs --scene, the scene whose lights it changes; other sheets have none")
    if options.map is not None and not is_usd:
        raise BadSource("--map names prims of a scene: use it with --scene")
    if is_usd and options.out.exists() and options.out.samefile(options.scene):
        raise BadSource(f"{options.out} is the scene itself: it is never written")
    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        variant = _variant(options, render)
        read = evaluator_pool.interpretation_of(SHOT, render, variant)
        colour_pipeline = resolve_colour(read, variant)
        space = _sheet_space(options, colour_pipeline)
        rate = variant.source.frame_rate or render.frame_rate
        frames = [(number, Time(time_of(render, number), rate)) for number in frames_of(render, options.frames)]
        rows = light_rows(read, variant, colour_pipeline, space, frames)
    if is_usd:
        return _write_usd_sheet(options, rows)
    _write(options.out, sheet_as_csv(rows, space) if suffix == ".csv" else sheet_as_json(rows, space))


def _sheet_space(options: argparse.Namespace, colour_pipeline: ColourPipeline) -> str:
    """The space of effective gains: that of USD is linear Rec.709."""
    config = colour_pipeline.config
    if options.scene is None:
        return config.space(options.space or colour_pipeline.working.name)
    if options.space:
        raise BadSource("a sheet as USD is in linear Rec.709: leave --space out")
    space = config.space_of_gamut("Rec.709")
    if space is None:
        raise BadSource("the colour config has no linear Rec.709 space, in which lights of USD are")
    return space


def _write_usd_sheet(options: argparse.Namespace, rows: list[LightRow]) -> None:
    """Overs for the lights of a scene; what has no prim, or a channel below 0, is named on standard error."""
    frames = sorted({float(row.frame) for row in rows if row.frame is not None})
    scene = read_lights(options.scene, frames)
    prims = {} if options.map is None else read_map(read_text(options.map), str(options.map))
    unknown = [name for name in prims if name not in {row.light for row in rows}]
    if unknown:
        raise BadSource(f"{options.map}: the render has no light {unknown[0]!r}")
    sheet = usd_sheet(rows, scene, prims)
    write_overs(options.out, sheet.values, scene.rate)
    for name in sheet.unplaced:
        print(f"{name}: no prim of the scene has this name, it is excluded", file=sys.stderr)
    for name in sheet.clipped:
        print(f"{name}: a channel below 0 in linear Rec.709 is written as 0", file=sys.stderr)


def write_preset(options: argparse.Namespace) -> None:
    """Write a variant with a balance preset applied, and print what became of each name."""
    preset = read_preset(options.apply)
    base = read_variant(options.variant) if options.variant else Variant()
    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        read = evaluator_pool.interpretation_of(SHOT, render, base)
        made, report = apply_preset(base, preset, level_names(read))
    _write(options.out, to_json(made.model_dump(mode="json"), indent=2))
    print(to_json(asdict(report), indent=2))


def solve_reference(options: argparse.Namespace) -> None:
    """Solve levels for the first frame, print them, and write a variant where one is wanted."""
    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        variant = _variant(options, render)
        number = frames_of(render, options.frames)[0]
        evaluator = evaluator_pool.engine_of_variant(SHOT, render, variant, number)
        is_png = options.reference.suffix.lower() == ".png"
        alpha = "unassociated" if is_png else "associated"
        image = evaluator_pool.images.load(ImageSource(str(options.reference), options.reference_space, alpha))
        rows = rows_of(evaluator, variant, image)
        work = partial(solve_levels, evaluator, variant, rows, options.lock, options.tints, options.cells)
        solution = evaluator_pool.evaluate(work, LONG)
    if options.out:
        _write(options.out, to_json(solution.applied(variant).model_dump(mode="json"), indent=2))
    print(to_json(solution.facts, indent=2) if options.json else _words(solution))


def _words(solution: Solution) -> str:
    lines = [
        f"{name}: {level.stops:+.3f} stops" + ("" if level.tint == (1, 1, 1) else f", tint {_triple(level.tint)}")
        for name, level in solution.levels.items()
    ]
    lines.append(f"rms {solution.before:.6g} before, {solution.after:.6g} after, over {solution.pixels} pixels")
    return "\n".join(lines)


def _triple(values: tuple[float, float, float]) -> str:
    return ", ".join(f"{value:.4g}" for value in values)
