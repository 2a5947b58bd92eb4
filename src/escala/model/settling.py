"""A document at a time: curves become plain numbers."""

from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from escala.core.errors import UnknownChoice

from .curves import Curve, FollowCurve
from .pointers import NumberField, Places, number_field, value_at
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
    moving = _known(document).moving(curves)
    return moving.places.filled([value_at(time) for value_at in moving.values]).model_copy(update={"curves": {}})


def settled_value(document: BaseModel, curves: Mapping[str, Curve], pointer: str, time: Time) -> Any:
    """The value of a field at a time, within the field's limits; the field's own where it has no curve."""
    found = _known(document).field(pointer)
    curve = curves.get(_plain(pointer)) or curves.get(pointer)
    return found.own if curve is None else _value_at(document, curves, curve, found)(time)


@dataclass(frozen=True)
class _OwnField:
    """A field of a document, and its own value there; by channel in `base`."""

    field: NumberField
    own: Any
    base: list[float]


@dataclass(frozen=True)
class _Moving:
    """The values of fields with curves by time, in the order of their places."""

    values: list[Callable[[Time], Any]]
    places: Places


class _Known:
    """What is found once of a document: its fields by pointers, and the places of its curves."""

    def __init__(self, document: BaseModel) -> None:
        self.document = document
        self._moving: _Moving | None = None
        self._fields: dict[str, _OwnField] = {}

    def moving(self, curves: Mapping[str, Curve]) -> _Moving:
        if self._moving is None:
            values = [_value_at(self.document, curves, curve, self.field(name)) for name, curve in curves.items()]
            self._moving = _Moving(values, Places(self.document, list(curves)))
        return self._moving

    def field(self, pointer: str) -> _OwnField:
        found = self._fields.get(pointer)
        if found is None:
            field, own = number_field(self.document, pointer), value_at(self.document, pointer)
            own = field.default if own is None else own
            base = list(own) if isinstance(own, tuple) else [0.0 if own is None else own] * field.channels
            found = self._fields[pointer] = _OwnField(field, own, base)
        return found


# The same document is settled for every frame of a shot.
_MOST_KNOWN = 16
_KNOWN: OrderedDict[int, _Known] = OrderedDict()


def _known(document: BaseModel) -> _Known:
    known = _KNOWN.get(id(document))
    if known is None or known.document is not document:
        known = _KNOWN[id(document)] = _Known(document)
        while len(_KNOWN) > _MOST_KNOWN:
            _KNOWN.popitem(last=False)
    return known


def _value_at(
    document: BaseModel, curves: Mapping[str, Curve], curve: Curve, found: _OwnField
) -> Callable[[Time], Any]:
    """The value of a field by time; what does not depend on the time is looked up here."""
    field, base = found.field, found.base
    within, low, high, is_whole = field.within, field.low, field.high, field.is_whole

    if isinstance(curve, FollowCurve):

        def follow(time: Time) -> Any:
            other = settled_value(document, curves, curve.pointer, Time(time.frame - curve.delay, time.rate))
            values = list(other) if isinstance(other, tuple) else [other] * field.channels
            moved = tuple(within(value * curve.scale + curve.offset) for value in values)
            return moved if isinstance(found.own, tuple) else moved[0]

        return follow

    at = curve.at
    if isinstance(found.own, tuple):
        return lambda time: tuple(within(at(index, own, time)) for index, own in enumerate(base))
    first = base[0]

    def number(time: Time) -> float:
        value = at(0, first, time)
        return value if low < value <= high and not is_whole else within(value)

    return number


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
