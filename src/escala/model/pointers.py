"""Typed look-up of the numbers of a variant by JSON Pointer: limits and neutral values, as the models declare them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache, cached_property
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

    @cached_property
    def lowest(self) -> float:
        """The least value that it takes: next to its lower limit where that is open."""
        return self.low + 1e-6 * max(1.0, abs(self.low)) if self.is_low_open else self.low

    def within(self, value: float) -> float | int:
        """The value within the limits; whole where the field is."""
        if value <= self.low:
            value = self.lowest
        elif value > self.high:
            value = self.high
        return round(value) if self.is_whole else value


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


class Places:
    """Numbers of a document that are replaced together, for one frame after another.

    Each part that holds some of them is copied once. Raises as `number_field`.
    """

    def __init__(self, document: BaseModel, pointers: Sequence[str]) -> None:
        self._root = _Part(document, None)
        for number, pointer in enumerate(pointers):
            *steps, last = steps_of(pointer)
            part = self._root
            for step in steps:
                part = part.below(step)
            part.numbers.append((part.key(last), number))

    def filled(self, values: Sequence[Any]) -> Any:
        """The document with other values in these places, which are not validated again."""
        return self._root.filled(values)


class _Part:
    """A model, table or list of a document; `numbers`: its places with the numbers of their values."""

    def __init__(self, value: Any, field: FieldInfo | None) -> None:
        self.value, self.field = value, field
        self.numbers: list[tuple[Any, int]] = []
        self._parts: dict[Any, _Part] = {}

    def key(self, step: str) -> Any:
        """The name of a field, the key of a table or the index of an entry."""
        if isinstance(self.value, BaseModel):
            return _fields_of(type(self.value))[step]
        return step if isinstance(self.value, Mapping) else _index(self.value, step)

    def below(self, step: str) -> "_Part":
        key = self.key(step)
        if key not in self._parts:
            self._parts[key] = _Part(*_below(self.value, self.field, step, step))
        return self._parts[key]

    def filled(self, values: Sequence[Any]) -> Any:
        made = {key: values[number] for key, number in self.numbers}
        for key, part in self._parts.items():
            made[key] = part.filled(values)
        if isinstance(self.value, BaseModel):
            return _copy_with(self.value, made)
        if isinstance(self.value, Mapping):
            return {**self.value, **made}
        return tuple(made.get(index, entry) for index, entry in enumerate(self.value))


# What an instance of a model consists of, in the order of `_copy_with`.
_PARTS = ("__dict__", "__pydantic_fields_set__", "__pydantic_extra__", "__pydantic_private__")
_set_values, _set_given, _set_extra, _set_private = (BaseModel.__dict__[part].__set__ for part in _PARTS)


def _copy_with(document: BaseModel, made: dict[str, Any]) -> BaseModel:
    """As its `model_copy`, in a third of the time: a thousand numbers that move may each have a document."""
    copy = object.__new__(document.__class__)
    given = document.__pydantic_fields_set__
    _set_values(copy, {**document.__dict__, **made})
    _set_given(copy, given if given.issuperset(made) else {*given, *made})
    _set_extra(copy, document.__pydantic_extra__)
    _set_private(copy, document.__pydantic_private__)
    return copy


def _found(document: BaseModel, pointer: str) -> tuple[Any, FieldInfo | None]:
    value: Any = document
    field: FieldInfo | None = None
    for step in steps_of(pointer):
        value, field = _below(value, field, step, pointer)
    return value, field


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
        index = _index(value, step)
        if index is not None:
            return value[index], None
    raise UnknownChoice("field", pointer, ())


def _index(entries: Sequence[Any], step: str) -> int | None:
    """The index of an entry by its id, or as a number."""
    ids = {str(getattr(entry, "id", "")): index for index, entry in enumerate(entries)}
    if step in ids:
        return ids[step]
    return int(step) if step.isdecimal() and int(step) < len(entries) else None


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
