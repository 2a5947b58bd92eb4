"""Adjustments that a command or script applies to a variant: levels, tints, colour choices, corrections from files."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from escala.core.errors import BadSource, ColourError, UnknownChoice, UnreadableFile
from escala.engine.balance.plan import render_components, render_lights
from escala.media.cdl import read_cdl
from escala.media.configs import is_builtin
from escala.model.balance import NEUTRAL_LEVEL, Level
from escala.model.colour import ColourChoice
from escala.model.corrections import CdlCorrection, LutCorrection
from escala.model.display import DisplayChoice
from escala.model.finish import Finish
from escala.model.render import Render
from escala.model.variant import Variant


@dataclass(frozen=True)
class Adjustments:
    """Changes to a variant, by names of lights and components in any case, or by the names of their passes.

    `light`, `component`: (name, stops). `tint`: (name, (R, G, B)). `ocio`: a config file or a built-in name, with its
    `context` variables. `look`: "" for none, None for the view's own. `cdl`, `lut`: files to add at Finish.
    """

    light: Sequence[tuple[str, float]] = ()
    component: Sequence[tuple[str, float]] = ()
    tint: Sequence[tuple[str, tuple[float, float, float]]] = ()
    mute: Sequence[str] = ()
    solo: Sequence[str] = ()
    ocio: str | None = None
    context: Sequence[tuple[str, str]] = ()
    input_space: str | None = None
    working_space: str | None = None
    display: str | None = None
    view: str | None = None
    look: str | None = None
    cdl: Path | None = None
    lut: Path | None = None


def adjusted(render: Render, variant: Variant, adjustments: Adjustments) -> Variant:
    """A variant with adjustments applied; `render` as the variant interprets it.

    Raises `UnknownChoice` for an unknown light or component, `BadSource`, `ColourError` or `UnreadableFile` for
    values and files that cannot be used.
    """
    levels = {"lights": dict(variant.balance.lights), "components": dict(variant.balance.components)}
    known = {"lights": render_lights(render), "components": render_components(render)}
    for axis, pairs in (("lights", adjustments.light), ("components", adjustments.component)):
        for name, stops in pairs:
            _set(levels[axis], _known_name(render, name, axis[:-1], known[axis]), stops=stops)
    changes: list[tuple[str, dict[str, Any]]] = [(name, {"tint": tint}) for name, tint in adjustments.tint]
    changes += [(name, {"mute": True}) for name in adjustments.mute] + [
        (name, {"solo": True}) for name in adjustments.solo
    ]
    for name, change in changes:
        axis, own = _either_axis(render, name, known)
        _set(levels[axis], own, **change)
    return variant.model_copy(
        update={
            "balance": variant.balance.model_copy(update=levels),
            "colour": _colour(variant, adjustments),
            "display": _display(variant, adjustments),
            "finish": Finish(corrections=(*variant.finish.corrections, *_corrections(adjustments))),
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


def _colour(variant: Variant, options: Adjustments) -> ColourChoice:
    given = {
        "config": options.ocio,
        "context": dict(options.context),
        "input_space": options.input_space,
        "working_space": options.working_space,
    }
    if options.ocio and not is_builtin(options.ocio) and not Path(options.ocio).is_file():
        raise ColourError(f"{options.ocio}: no such config file; a built-in name begins with ocio://")
    return variant.colour.model_copy(update={key: value for key, value in given.items() if value})


def _display(variant: Variant, options: Adjustments) -> DisplayChoice:
    chosen = variant.display
    if options.display or options.view:
        chosen = DisplayChoice(display=options.display or chosen.display, view=options.view, look=chosen.look)
    return chosen if options.look is None else chosen.model_copy(update={"look": options.look})


def _corrections(options: Adjustments) -> list[CdlCorrection | LutCorrection]:
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
