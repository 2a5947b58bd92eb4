"""The work of `escala render`: a variant from the options, its frames written."""

import argparse
import re
import sys
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from escala.core.errors import BadSource, ColourError, UnknownChoice, UnreadableFile
from escala.delivery.deliver import Delivery
from escala.delivery.frames import Order, deliver_frames
from escala.engine.balance.plan import render_components, render_lights, what_is_approximate
from escala.engine.checking import missing_files, waiting_names
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.worker import LONG
from escala.media.cdl import read_cdl
from escala.media.configs import is_builtin
from escala.model.balance import NEUTRAL_LEVEL, Level
from escala.model.colour import ColourChoice
from escala.model.corrections import CdlCorrection, LutCorrection
from escala.model.display import DisplayChoice
from escala.model.finish import Finish
from escala.model.render import Render
from escala.model.variant import Variant

from .opened import SHOT, opened_render


def render_frames(options: argparse.Namespace) -> None:
    """Render every frame asked for."""
    as_view = bool(options.display or options.view) or (options.out.suffix.lower() != ".exr" and not options.space)
    if options.space and (options.display or options.view):
        raise BadSource("--output-space and --display/--view exclude each other: choose scene-linear or display output")
    with opened_render(options.source, options.fit) as (evaluator_pool, render):
        base = read_variant(options.variant) if options.variant else Variant()
        variant = variant_from_options(evaluator_pool.interpretation_of(SHOT, render, base), base, options)
        tell_what_waits(evaluator_pool, render, variant)
        read = evaluator_pool.interpretation_of(SHOT, render, variant)
        for sentence in what_is_approximate(read, variant, resolve_colour(read, variant).working):
            print(f"escala: {sentence}", file=sys.stderr)
        pixel_type = "float" if options.float else "half"
        file = Delivery(options.out, options.space, as_view, pixel_type, options.bits, options.station)
        order = Order(SHOT, render, variant, tuple(frames_of(render, options.frames)), file)
        for _ in deliver_frames(evaluator_pool, order):
            evaluator_pool.trim()


def variant_from_options(render: Render, variant: Variant, options: argparse.Namespace) -> Variant:
    """A variant with the options laid over it; `render` as the variant reads it."""
    levels = {"lights": dict(variant.balance.lights), "components": dict(variant.balance.components)}
    known = {"lights": render_lights(render), "components": render_components(render)}
    for axis, pairs in (("lights", options.light), ("components", options.component)):
        for name, stops in pairs:
            _set(levels[axis], _known_name(render, name, axis[:-1], known[axis]), stops=stops)
    changes = [(name, {"tint": tint}) for name, tint in options.tint]
    changes += [(name, {"mute": True}) for name in options.mute] + [(name, {"solo": True}) for name in options.solo]
    for name, change in changes:
        axis, own = _either_axis(render, name, known)
        _set(levels[axis], own, **change)
    return variant.model_copy(
        update={
            "balance": variant.balance.model_copy(update=levels),
            "colour": _colour(variant, options),
            "display": _display(variant, options),
            "finish": Finish(corrections=(*variant.finish.corrections, *_corrections(options))),
        }
    )


def _set(table: dict[str, Level], name: str, **change: Any) -> None:
    try:
        table[name] = Level(**{**table.get(name, NEUTRAL_LEVEL).model_dump(), **change})
    except ValidationError as error:
        raise BadSource(f"level of {name}: {error.errors()[0]['msg']}") from error


def _either_axis(render: Render, name: str, known: dict[str, list[str]]) -> tuple[str, str]:
    try:
        return "lights", _known_name(render, name, "light", known["lights"])
    except UnknownChoice:
        every = [*known["lights"], *known["components"]]
        return "components", _known_name(render, name, "component", known["components"], every)


def _known_name(render: Render, given: str, what: str, known: list[str], all_known: list[str] | None = None) -> str:
    """A light or component by its name, in any case, or by the name of its pass."""
    plain = _plain(given)
    for name in known:
        if _plain(name) == plain:
            return name
    for p in render.passes:
        own = p.light if what == "light" else p.component
        if own in known and _plain(p.name) == plain:
            return str(own)
    kind = what if all_known is None else "light or component"
    raise UnknownChoice(kind, given, all_known or known)


def _plain(name: str) -> str:
    """A name without case and separators, in any script."""
    return re.sub(r"[\W_]", "", name.casefold())


def _colour(variant: Variant, options: argparse.Namespace) -> ColourChoice:
    given = {
        "config": options.ocio,
        "context": dict(options.context),
        "input_space": options.input_space,
        "working_space": options.working_space,
    }
    if options.ocio and not is_builtin(options.ocio) and not Path(options.ocio).is_file():
        raise ColourError(f"{options.ocio}: no such config file; a built-in name begins with ocio://")
    return variant.colour.model_copy(update={key: value for key, value in given.items() if value})


def _display(variant: Variant, options: argparse.Namespace) -> DisplayChoice:
    chosen = variant.display
    if options.display or options.view:
        chosen = DisplayChoice(display=options.display or chosen.display, view=options.view, look=chosen.look)
    return chosen if options.look is None else chosen.model_copy(update={"look": options.look})


def _corrections(options: argparse.Namespace) -> list[CdlCorrection | LutCorrection]:
    found: list[CdlCorrection | LutCorrection] = []
    if options.cdl:
        values = read_cdl(options.cdl)
        cdl = {"slope": values.slope, "offset": values.offset, "power": values.power, "saturation": values.saturation}
        found.append(CdlCorrection(**cdl))
    if options.lut:
        if not options.lut.is_file():
            raise UnreadableFile(options.lut, "no such file")
        found.append(LutCorrection(path=str(options.lut)))
    return found


def read_variant(path: Path) -> Variant:
    """A variant from its file. Raises `UnreadableFile` with the place of what is wrong in it."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    try:
        return _with_own_paths(Variant.model_validate_json(path.read_bytes()), path.parent)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(step) for step in first["loc"])
        raise UnreadableFile(path, f"not a variant: {place + ': ' if place else ''}{first['msg']}") from error


def tell_what_waits(evaluator_pool: EvaluatorPool, render: Render, variant: Variant) -> None:
    """A line on stderr for all that a variant names and a render, or the disk, does not have."""
    read, evaluator = evaluator_pool.interpretation_of(SHOT, render, variant), evaluator_pool.engine_for(SHOT, render)
    waiting = evaluator_pool.evaluate(lambda: waiting_names(read, variant, evaluator), LONG)
    for found in waiting:
        print(f"escala: {found.place} is unresolved: {render.name} has no {found.name}", file=sys.stderr)
    for path in missing_files(variant.model_copy(update={"finish": Finish()})):
        print(f"escala: {path} is missing: what uses it is unresolved", file=sys.stderr)


def _with_own_paths(variant: Variant, folder: Path) -> Variant:
    """The variant with the pictures that it names beside its own file, where they have no whole path."""
    return variant.with_pictures(lambda picture: str(folder / picture))


def frames_of(render: Render, wanted: tuple[int, int] | None) -> list[int]:
    """The frames in a range that are there; missing ones are told. Raises `BadSource` where there is none."""
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
