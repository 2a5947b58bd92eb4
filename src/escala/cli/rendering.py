"""The work of `escala render`: a variant with the options applied, its frames exported."""

import argparse
import sys
from collections.abc import Collection, Sequence
from dataclasses import fields
from pathlib import Path

from escala.core.errors import BadSource
from escala.delivery.adjustments import Adjustments, adjusted
from escala.delivery.deliver import Delivery
from escala.delivery.documents import read_preset, read_text, read_variant
from escala.delivery.frames import Order, deliver_frames
from escala.delivery.opening import SHOT, opened_render
from escala.engine.balance.light_sheet import with_sheet
from escala.engine.balance.plan import level_names, what_is_approximate
from escala.engine.checking import missing_files, waiting_names
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.plate.further import check_further
from escala.engine.worker import LONG
from escala.model.balance_preset import apply_preset
from escala.model.finish import Finish
from escala.model.render import Render
from escala.model.variant import Variant

from .guard import decoder


def render_frames(options: argparse.Namespace) -> None:
    """Render every requested frame."""
    as_view = bool(options.display or options.view) or (options.out.suffix.lower() != ".exr" and not options.space)
    if options.space and (options.display or options.view):
        raise BadSource("--output-space and --display/--view exclude each other: choose scene-linear or display output")
    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        further = further_renders(evaluator_pool, render, options.renders)
        base = read_variant(options.variant) if options.variant else Variant()
        base = with_levels(evaluator_pool, render, base, options.balance, options.sheet)
        given = Adjustments(**{field.name: getattr(options, field.name) for field in fields(Adjustments)})
        variant = adjusted(evaluator_pool.interpretation_of(SHOT, render, base), base, given)
        report_unresolved(evaluator_pool, render, variant, {name for name, _ in options.renders})
        read = evaluator_pool.interpretation_of(SHOT, render, variant)
        for sentence in what_is_approximate(read, variant, resolve_colour(read, variant).working):
            print(f"escala: {sentence}", file=sys.stderr)
        pixel_type = "float" if options.float else "half"
        file = Delivery(options.out, options.space, as_view, pixel_type, options.bits, options.station)
        frames = tuple(frames_of(render, options.frames))
        order = Order(SHOT, render, variant, frames, file, evaluator_pool.place, further)
        for _ in deliver_frames(evaluator_pool, order):
            evaluator_pool.trim()


def further_renders(
    evaluator_pool: EvaluatorPool, render: Render, wanted: Sequence[tuple[str, str]]
) -> dict[str, Render]:
    """Further renders by name; sources of one name are one render. Raises `BadSource` for one of another size."""
    sources: dict[str, list[str]] = {}
    for name, source in wanted:
        sources.setdefault(name, []).append(source)
    found: dict[str, Render] = {}
    for name, files in sources.items():
        found[name], _ = evaluator_pool.read(files)
        check_further(render, found[name])
    return found


def with_levels(
    evaluator_pool: EvaluatorPool, render: Render, variant: Variant, balance: Path | None, sheet: Path | None
) -> Variant:
    """A variant with the levels of a balance preset, then of a light sheet. Raises `UnreadableFile`, `BadSource`."""
    if balance is not None:
        preset = read_preset(balance)
        read = evaluator_pool.interpretation_of(SHOT, render, variant)
        variant, _ = apply_preset(variant, preset, level_names(read))
    if sheet is not None:
        variant = with_sheet(variant, read_text(sheet), str(sheet))
    return variant


def report_unresolved(
    evaluator_pool: EvaluatorPool, render: Render, variant: Variant, renders: Collection[str] = ()
) -> None:
    """A line on stderr for all that a variant names and a render, or the disk, does not have.

    `renders`: the names of further renders.
    """
    read, evaluator = evaluator_pool.interpretation_of(SHOT, render, variant), evaluator_pool.engine_for(SHOT, render)
    waiting = evaluator_pool.evaluate(lambda: waiting_names(read, variant, evaluator, renders), LONG)
    for found in waiting:
        print(f"escala: {found.place} is unresolved: {render.name} has no {found.name}", file=sys.stderr)
    for path in missing_files(variant.model_copy(update={"finish": Finish()})):
        print(f"escala: {path} is missing: what uses it is unresolved", file=sys.stderr)


def frames_of(render: Render, wanted: tuple[int, int] | None) -> list[int]:
    """The frames in a range that are there; missing ones are reported. Raises `BadSource` where there is none."""
    if wanted is None:
        return sorted(render.frames)
    inside = range(wanted[0], wanted[1] + 1)
    chosen = [number for number in sorted(render.frames) if number in inside]
    if not chosen:
        raise BadSource(f"{render.name} has no frame from {wanted[0]} to {wanted[1]}")
    absent = [number for number in inside if number in render.missing_frames]
    for number in absent:
        print(f"escala: frame {number} of {render.name} is missing and was skipped", file=sys.stderr)
    return chosen
