"""Balance presets: levels and their curves by name, to be applied to other shots."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from pydantic import Field, ValidationError

from escala.core.errors import BadSource

from .balance import Level
from .curves import Curve
from .entries import pointer_step
from .render import Document
from .variant import Variant

_TABLES = ("lights", "components", "cells")


class BalancePreset(Document):
    """Levels by light, component and cell, and the curves of their numbers."""

    escala: Literal["balance"]
    lights: dict[str, Level] = Field(default_factory=dict)
    components: dict[str, Level] = Field(default_factory=dict)
    cells: dict[str, Level] = Field(default_factory=dict)
    curves: dict[str, Curve] = Field(default_factory=dict)


@dataclass(frozen=True)
class Report:
    """What became of a preset: names that were found, those that wait, and names of the render it does not give."""

    matched: tuple[str, ...]
    waiting: tuple[str, ...]
    untouched: tuple[str, ...]


def preset_of(variant: Variant) -> BalancePreset:
    """The levels of a variant as a preset."""
    balance = variant.balance
    curves = {pointer: curve for pointer, curve in variant.curves.items() if _is_level(pointer)}
    tables = {name: getattr(balance, name) for name in _TABLES}
    return BalancePreset(escala="balance", curves=curves, **tables)


def _is_level(pointer: str) -> bool:
    return pointer.strip("/").startswith(tuple(f"balance/{table}/" for table in _TABLES))


def apply_preset(variant: Variant, preset: BalancePreset, names: dict[str, Sequence[str]]) -> tuple[Variant, Report]:
    """A variant with the levels of a preset, and what became of each.

    The whole level and its curves of each name are replaced, all else is kept. `names`: those of the render, by table.
    Raises `BadSource` for a curve that the document has no number for.
    """
    tables, curves = {}, dict(variant.curves)
    matched: list[str] = []
    waiting: list[str] = []
    untouched: list[str] = []
    for table in _TABLES:
        given = getattr(preset, table)
        tables[table] = {**getattr(variant.balance, table), **given}
        for name in given:
            start = f"balance/{table}/{pointer_step(name)}/"
            curves = {pointer: c for pointer, c in curves.items() if not pointer.strip("/").startswith(start)}
            (matched if name in names[table] else waiting).append(name)
        untouched += [name for name in names[table] if name not in given]
    balance = variant.balance.model_copy(update=tables)
    made = variant.model_copy(update={"balance": balance, "curves": {**curves, **preset.curves}})
    try:
        checked = Variant.model_validate(made.model_dump())
    except ValidationError as error:
        raise BadSource(f"balance preset: {error.errors()[0]['msg'].removeprefix('Value error, ')}") from error
    return checked, Report(tuple(matched), tuple(waiting), tuple(untouched))
