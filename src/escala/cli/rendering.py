"""The work of `escala render`: a variant with the options applied, its frames exported."""

import argparse
import sys
from collections.abc import Collection, Sequence
from dataclasses import fields
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource, UnreadableFile
from escala.delivery.adjustments import Adjustments, adjusted
from escala.delivery.checking import check_order
from escala.delivery.documents import read_delivery_preset, read_preset, read_text, read_variant
from escala.delivery.naming import NumberedName
from escala.delivery.opening import SHOT, opened_render
from escala.delivery.order import FileOrder, Order, files_of_preset
from escala.delivery.queue import Workforce, deliver
from escala.engine.balance.light_sheet import with_sheet
from escala.engine.balance.plan import level_names, what_is_approximate
from escala.engine.checking import missing_files, waiting_names
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.plate.further import check_further
from escala.engine.worker import LONG
from escala.model.balance_preset import apply_preset
from escala.model.delivery_preset import FORMATS, DeliveryFile, DeliveryPreset
from escala.model.finish import Finish
from escala.model.render import Render
from escala.model.variant import Variant

from .guard import decoder


def render_frames(options: argparse.Namespace) -> None:
    """Write every requested frame; exits with 2 where some of them could not be written."""
    check_options(options)
    preset = read_delivery_preset(options.preset) if options.preset is not None else None
    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        order = order_of(evaluator_pool, render, options, preset)
        check_order(evaluator_pool, order)
        workforce = Workforce(options.workers, options.scheduler)
        failed = [report.error for report in deliver(evaluator_pool, order, workforce=workforce) if report.error]
    for sentence in failed:
        print(f"escala: {sentence}", file=sys.stderr)
    if failed:
        sys.exit(2)


def check_options(options: argparse.Namespace) -> None:
    """Raises `BadSource` for options that exclude each other, before anything is read."""
    is_shown = bool(options.display or options.view)
    if options.space and is_shown:
        raise BadSource("--output-space and --display/--view exclude each other: choose scene-linear or display output")
    if options.preset is not None and (options.space or options.bits or options.float or options.station != "display"):
        raise BadSource("--preset says what files hold: remove --output-space, --bits, --float and --station")


def order_of(
    evaluator_pool: EvaluatorPool, render: Render, options: argparse.Namespace, preset: DeliveryPreset | None
) -> Order:
    """The order that options describe; what of it is unresolved or approximate is told on stderr."""
    further = further_renders(evaluator_pool, render, options.renders)
    variant = variant_of(evaluator_pool, render, options)
    report_unresolved(evaluator_pool, render, variant, {name for name, _ in options.renders})
    read = evaluator_pool.interpretation_of(SHOT, render, variant)
    for sentence in what_is_approximate(read, variant, resolve_colour(read, variant).working):
        print(f"escala: {sentence}", file=sys.stderr)
    frames = tuple(frames_of(render, options.frames))
    if preset is not None:
        name = options.variant.stem if options.variant else "variant"
        files = files_of_preset(options.out, preset.files, render, name)
    else:
        file = file_of_name(options.out, options.space, bool(options.display or options.view), options)
        files = (FileOrder(file, NumberedName(options.out, len(render.frames) > 1), options.station),)
        if not options.out.parent.is_dir():
            raise UnreadableFile(options.out, "the folder does not exist")
    return Order(SHOT, render, variant, frames, files, evaluator_pool.place, further, options.resume)


def variant_of(evaluator_pool: EvaluatorPool, render: Render, options: argparse.Namespace) -> Variant:
    """The variant of a document, a preset, a sheet and single options, in that order."""
    base = read_variant(options.variant) if options.variant else Variant()
    base = with_levels(evaluator_pool, render, base, options.balance, options.sheet)
    given = Adjustments(**{field.name: getattr(options, field.name) for field in fields(Adjustments)})
    return adjusted(evaluator_pool.interpretation_of(SHOT, render, base), base, given)


def file_of_name(out: Path, space: str | None, is_shown: bool, options: argparse.Namespace) -> DeliveryFile:
    """What a single file holds, by its extension. Raises `BadSource` for one that is not written."""
    kind = FORMATS.get(out.suffix.lower())
    if kind is None:
        raise BadSource(f"{out}: files of kind {out.suffix or 'without extension'} are not written")
    facts: dict[str, Any] = {"space": space}
    if kind == "exr":
        facts["pixel_type"] = "float" if options.float else "half"
        facts |= {"display": options.display, "view": options.view} if is_shown else {}
    elif kind in ("png", "tiff"):
        facts["bits"] = options.bits or 16
    return DeliveryFile(what="result", format=kind, **facts)


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
    inside = range(wanted[0], wanted[1] + 1) if wanted else range(min(render.frames), max(render.frames) + 1)
    chosen = [number for number in sorted(render.frames) if number in inside]
    if not chosen:
        raise BadSource(f"{render.name} has no frame from {inside[0]} to {inside[-1]}")
    for number in render.missing_frames:
        if number in inside:
            print(f"escala: frame {number} of {render.name} is missing and was skipped", file=sys.stderr)
    return chosen
