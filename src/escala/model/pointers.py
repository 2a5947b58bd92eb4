"""Typed look-up of the numbers of a variant by JSON Pointer: limits and neutral values, as the models declare them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin

from annotated_types import Ge, Gt, Le, Lt
from pydantic import AfterValidator, BaseModel
from pydantic.fields import FieldInfo

from escala.core.errors import UnknownChoice

from .numbers import LARGEST, Positive

_NOT_NEGATIVE = next(each for each in reversed(get_args(Positive)) if isinstance(each, AfterValidator)).func


@dataclass(frozen=True)
class NumberField:
    """A number of the document, or a triple of numbers.

    `low`, `high`: its limits, inclusive unless `is_low_open`. `default`: its neutral value, None where it is required.
    `is_whole`: it is a whole number.
    """

    low: float
    high: float
    is_low_open: bool
    channels: int
    default: Any
    is_whole: bool = False

    def clip(self, value: float) -> float:
        """The value within the limits."""
        return min(max(value, self.low), self.high)


def steps_of(pointer: str) -> list[str]:
    """The steps of a pointer, with or without a slash before the first."""
    return [step.replace("~1", "/").replace("~0", "~") for step in pointer.strip("/").split("/")]


def number_field(variant: BaseModel, pointer: str) -> NumberField:
    """The field at a pointer, as "balance/lights/key/stops"; entries of lists go by their id or index.

    A light or component that the document does not name has a neutral level. Raises `UnknownChoice` for a pointer to
    nothing, or to what is not a number.
    """
    _, field = _found(variant, pointer)
    if field is None:
        raise UnknownChoice("number", pointer, ())
    return _number(field, pointer)


def value_at(document: BaseModel, pointer: str) -> Any:
    """What stands at a pointer. Raises as `number_field`."""
    return _found(document, pointer)[0]


def with_values(document: BaseModel, values: Mapping[tuple[str, ...], Any]) -> Any:
    """A document with other values at the steps of pointers, which are not validated again. Raises as `number_field`.

    Each part that holds some of them is copied once.
    """
    tree: dict[str, Any] = {}
    for steps, value in values.items():
        branch = tree
        for step in steps[:-1]:
            branch = branch.setdefault(step, _Branch())
        branch[steps[-1]] = value
    return _replaced(document, None, tree)


def _found(document: BaseModel, pointer: str) -> tuple[Any, FieldInfo | None]:
    value: Any = document
    field: FieldInfo | None = None
    for step in steps_of(pointer):
        value, field = _below(value, field, step, pointer)
    return value, field


class _Branch(dict[str, Any]):
    """Changes below a step, as opposed to a value."""


def _replaced(part: Any, field: FieldInfo | None, changes: Mapping[str, Any]) -> Any:
    made: dict[str, Any] = {}
    places: dict[int, Any] = {}
    is_list = not isinstance(part, BaseModel | Mapping)
    for step, change in changes.items():
        if is_list or isinstance(change, _Branch):
            below, below_field = _below(part, field, step, step)
            change = _replaced(below, below_field, change) if isinstance(change, _Branch) else change
            places[id(below)] = change
        made[step] = change
    if isinstance(part, BaseModel):
        known = _fields_of(type(part))
        return part.model_copy(update={known[step]: value for step, value in made.items()})
    return tuple(places.get(id(entry), entry) for entry in part) if is_list else {**part, **made}


@cache
def _fields_of(kind: type[BaseModel]) -> dict[str, str]:
    """The names of fields by what they are called in documents."""
    return {each.alias or name: name for name, each in kind.model_fields.items()}


def _below(value: Any, field: FieldInfo | None, step: str, pointer: str) -> tuple[Any, FieldInfo | None]:
    """What lies one step below a value of the document, and its field where it is one."""
    if isinstance(value, BaseModel):
        known = _fields_of(type(value))
        if step not in known:
            raise UnknownChoice("field", pointer, known)
        return getattr(value, known[step]), type(value).model_fields[known[step]]
    if isinstance(value, Mapping):
        return value[step] if step in value else _neutral(field, pointer), None
    if isinstance(value, Sequence) and not isinstance(value, str):
        ids = {str(getattr(entry, "id", "")): entry for entry in value}
        if step in ids:
            return ids[step], None
        if step.isdecimal() and int(step) < len(value):
            return value[int(step)], None
    raise UnknownChoice("field", pointer, ())


def _neutral(field: FieldInfo | None, pointer: str) -> Any:
    """The neutral entry of a table of levels."""
    kinds = get_args(field.annotation) if field is not None else ()
    if len(kinds) == 2 and isinstance(kinds[1], type) and issubclass(kinds[1], BaseModel):
        return kinds[1]()
    raise UnknownChoice("entry", pointer, ())


def _number(field: FieldInfo, pointer: str) -> NumberField:
    kind, metadata = field.annotation, list(field.metadata)
    if get_origin(kind) in (Union, UnionType):
        # A number that may be absent, or stand for several: the number.
        kind = next(each for each in get_args(kind) if each is not type(None))
    if get_origin(kind) is Annotated:
        kind, *more = get_args(kind)
        metadata += more
    channels = 1
    if get_origin(kind) is tuple:
        items = get_args(kind)
        channels, metadata = len(items), metadata + list(get_args(items[0])[1:])
        kind = get_args(items[0])[0] if get_args(items[0]) else items[0]
    if kind not in (float, int):
        raise UnknownChoice("number", pointer, ())
    metadata = [each for one in metadata for each in (one.metadata if isinstance(one, FieldInfo) else (one,))]
    limits = {type(each): each for each in metadata}
    opened = limits.get(Gt)
    low = opened.gt if opened else limits[Ge].ge if Ge in limits else -LARGEST
    high = limits[Le].le if Le in limits else limits[Lt].lt if Lt in limits else LARGEST
    if any(isinstance(each, AfterValidator) and each.func is _NOT_NEGATIVE for each in metadata):
        low = max(low, 0.0)
    default = None if field.is_required() else field.get_default(call_default_factory=True)
    return NumberField(float(low), float(high), opened is not None, channels, default, kind is int)
