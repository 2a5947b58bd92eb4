"""A document at a time: curves become plain numbers."""

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from escala.core.errors import UnknownChoice

from .curves import Curve, FollowCurve, settled_values
from .pointers import NumberField, number_field, steps_of, value_at, with_values
from .time import Time

# What is decided once for a whole sequence.
ONCE = ("schema_version", "colour", "source", "recipe", "tally/factor", "tally/order", "display", "curves")


def check_curves(document: BaseModel, curves: Mapping[str, Curve]) -> None:
    """Raises `ValueError` for a curve of what cannot move, of other channels, or that follows itself."""
    fields = {_plain(pointer): _field(document, pointer) for pointer in curves}
    if len(fields) != len(curves):
        raise ValueError("curves: two curves are of one field")
    for pointer, curve in curves.items():
        field = fields[_plain(pointer)]
        wrong = next((width for width in curve.widths if width not in (1, field.channels)), None)
        if wrong is not None:
            raise ValueError(f"curves: {pointer} has {field.channels} values, not {wrong}")
        if curve.followed is not None:
            width = _field(document, curve.followed).channels
            if width not in (1, field.channels):
                raise ValueError(f"curves: {pointer} has {field.channels} values, {curve.followed} has {width}")
            _check_end(pointer, curves)


def settled(document: Any, curves: Mapping[str, Curve], time: Time) -> Any:
    """The document at a time, with plain numbers in place of curves."""
    values = {}
    for pointer, curve in curves.items():
        found = _field_of(document, pointer)
        values[found.steps] = _value(document, curves, curve, found, time)
    return with_values(document, values).model_copy(update={"curves": {}})


def settled_value(document: BaseModel, curves: Mapping[str, Curve], pointer: str, time: Time) -> Any:
    """The value of a field at a time, within the field's limits; the field's own where it has no curve."""
    found = _field_of(document, pointer)
    curve = curves.get(_plain(pointer)) or curves.get(pointer)
    return found.own if curve is None else _value(document, curves, curve, found, time)


@dataclass(frozen=True)
class _OwnField:
    """A field of a document, and its own value there; by channel in `base`."""

    steps: tuple[str, ...]
    field: NumberField
    own: Any
    base: list[float]


# Fields of documents that were settled before: the same document is settled for every frame of a shot.
_MOST_KNOWN = 16
_KNOWN: OrderedDict[int, tuple[BaseModel, dict[str, _OwnField]]] = OrderedDict()


def _field_of(document: BaseModel, pointer: str) -> _OwnField:
    known = _KNOWN.get(id(document))
    if known is None or known[0] is not document:
        known = _KNOWN[id(document)] = document, {}
        while len(_KNOWN) > _MOST_KNOWN:
            _KNOWN.popitem(last=False)
    found = known[1].get(pointer)
    if found is None:
        field, own = number_field(document, pointer), value_at(document, pointer)
        own = field.default if own is None else own
        base = list(own) if isinstance(own, tuple) else [0.0 if own is None else own] * field.channels
        found = known[1][pointer] = _OwnField(tuple(steps_of(pointer)), field, own, base)
    return found


def _value(document: BaseModel, curves: Mapping[str, Curve], curve: Curve, found: _OwnField, time: Time) -> Any:
    if isinstance(curve, FollowCurve):
        other = settled_value(document, curves, curve.pointer, Time(time.frame - curve.delay, time.rate))
        values = list(other) if isinstance(other, tuple) else [other] * found.field.channels
        moved = [value * curve.scale + curve.offset for value in values]
    else:
        moved = settled_values(curve, found.base, time)
    if len(moved) == 1 and not isinstance(found.own, tuple):
        return _within(found.field, moved[0])
    clipped = [_within(found.field, value) for value in moved]
    return tuple(clipped) if isinstance(found.own, tuple) else clipped[0]


def _within(field: NumberField, value: float) -> float | int:
    """A value within a field's limits, which it may not reach where they are open; whole where the field is."""
    clipped = field.clip(value)
    if field.is_low_open and clipped <= field.low:
        clipped = field.low + 1e-6 * max(1.0, abs(field.low))
    return round(clipped) if field.is_whole else clipped


def _field(document: BaseModel, pointer: str) -> NumberField:
    plain = _plain(pointer)
    if plain.startswith(ONCE):
        raise ValueError(f"curves: {pointer} is decided once for all frames: it cannot move")
    try:
        return number_field(document, plain)
    except UnknownChoice:
        raise ValueError(f"curves: {pointer} names neither a number nor a triple of this document") from None


def _check_end(pointer: str, curves: Mapping[str, Curve]) -> None:
    """Raises `ValueError` where fields follow one another in a circle."""
    by_name = {_plain(name): curve for name, curve in curves.items()}
    seen, at = [_plain(pointer)], by_name[_plain(pointer)].followed
    while at is not None and at in by_name:
        if at in seen:
            raise ValueError(f"curves: {pointer} follows itself, by way of {' and '.join(seen[1:]) or at}")
        seen.append(at)
        at = by_name[at].followed


def _plain(pointer: str) -> str:
    return pointer.strip("/")
