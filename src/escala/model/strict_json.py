"""JSON as the standard has it: no NaN, no infinities, no number that a double cannot hold, both ways."""

import json
import math
from typing import Any


def to_json(value: Any, indent: int | None = None, default: Any = None) -> str:
    """A JSON text that every reader takes: Python's own `NaN` and `Infinity` are no JSON."""
    try:
        return json.dumps(value, indent=indent, allow_nan=False, default=default)
    except ValueError:
        return json.dumps(_numbers_only(value, default), indent=indent, allow_nan=False, default=default)


def _numbers_only(value: Any, default: Any) -> Any:
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {key: _numbers_only(entry, default) for key, entry in value.items()}
    if isinstance(value, list | tuple):
        return [_numbers_only(entry, default) for entry in value]
    if value is None or isinstance(value, str | int):
        return value
    return _numbers_only(default(value), default) if default else value


class NotPlain(ValueError):
    """A text that is no JSON, or nested so deeply that nobody means it."""


def from_json(text: str | bytes) -> Any:
    """The values of a JSON text. Raises `NotPlain`; `NaN` and `Infinity` are refused."""
    try:
        return json.loads(text, parse_constant=_refuse)
    except RecursionError as error:
        raise NotPlain("it is nested too deeply") from error
    except ValueError as error:
        raise NotPlain(str(error)) from error


def _refuse(constant: str) -> Any:
    raise ValueError(f"{constant} is not a JSON number")
