"""Curves as lanes: their values over the frames of a shot, in words, and as keys; and what else could move."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from escala.core.errors import UnknownChoice

from .curves import Curve, FlickerCurve, FollowCurve, KeyFrame, KeysCurve, PulseCurve, RampCurve, SweepCurve
from .entries import pointer_step
from .pointers import number_field, steps_of
from .settling import ONCE, settled_value
from .time import Time
from .variant import Variant

# What fields are called, where that is not their name.
_WORDS = {
    "stops": "level", "kelvin": "temperature", "duv": "green–magenta", "lights": "", "components": "", "cells": "",
    "corrections": "", "layers": "", "changes": "", "added": "",
}  # fmt: skip
_UNITS = {"px": "px", "frames": "frames"}
# Nobody needs these over time, or they are no measures.
_NOT_OFFERED = ("id", "seed", "multiplier", "chosen", "blades", "channel")
_STRAIGHT = 1e-9


@dataclass(frozen=True)
class Lane:
    """A curve of a document. `values`: by channel, at the frames asked for; `now`: at the present one, by channel.

    `low`, `high`: the limits of the field; `words`: what moves; `sentence`: how.
    """

    pointer: str
    words: str
    kind: str
    sentence: str
    low: float
    high: float
    values: tuple[tuple[float, ...], ...]
    now: tuple[float, ...]


def lanes_of(variant: Variant, frames: Sequence[float], now: float, rate: float) -> list[Lane]:
    """The curves of a document in their order, with their values at some frames and at `now`."""
    made = []
    for pointer, curve in variant.curves.items():
        field = number_field(variant, pointer)
        rows = [_values(variant, pointer, Time(frame, rate)) for frame in frames]
        made.append(
            Lane(
                pointer.strip("/"),
                words_of(pointer),
                curve.kind,
                sentence_of(curve),
                field.low,
                field.high,
                tuple(zip(*rows, strict=True)),
                _values(variant, pointer, Time(now, rate)),
            )
        )
    return made


def _values(variant: Variant, pointer: str, time: Time) -> tuple[float, ...]:
    value = settled_value(variant, variant.curves, pointer, time)
    return tuple(map(float, value)) if isinstance(value, tuple) else (float(value),)


def words_of(pointer: str) -> str:
    """What a pointer names, as a person would say it: "Beacon, level"."""
    _, *steps = steps_of(pointer) if len(steps_of(pointer)) > 2 else ("", *steps_of(pointer))
    said = [_said(step) for step in steps]
    words = ", ".join(word for word in said if word)
    return words[:1].upper() + words[1:]


def _said(step: str) -> str:
    if step in _WORDS:
        return _WORDS[step]
    words = step.rstrip("_").split("_")
    unit = _UNITS.get(words[-1]) if len(words) > 1 else None
    return f"{' '.join(words[:-1])} ({unit})" if unit else " ".join(words)


def sentence_of(curve: Curve) -> str:
    """How a curve moves, in a few words."""
    if isinstance(curve, KeysCurve):
        beyond = "" if curve.outside == "hold" else f", then {curve.outside}"
        return f"{len(curve.keys)} key{'' if len(curve.keys) == 1 else 's'}{beyond}"
    if isinstance(curve, FlickerCurve):
        return f"flicker ±{curve.amount:g}, {curve.rate:g} a second, seed {curve.seed}"
    if isinstance(curve, PulseCurve):
        return f"pulse: {curve.duty:.0%} of {curve.period:g} frames"
    if isinstance(curve, SweepCurve):
        return f"sweep ±{curve.amount:g} in {curve.period:g} frames"
    if isinstance(curve, RampCurve):
        return f"ramp, frames {curve.start:g} to {curve.end:g}"
    return _followed(curve)


def _followed(curve: FollowCurve) -> str:
    scale = "" if curve.scale == 1 else f" × {curve.scale:g}"
    offset = "" if curve.offset == 0 else f" {'+' if curve.offset > 0 else '−'} {abs(curve.offset):g}"
    delay = "" if curve.delay == 0 else f", {curve.delay:g} frames later"
    return f"follows {words_of(curve.pointer)}{scale}{offset}{delay}"


def as_keys(variant: Variant, pointer: str, frames: Iterable[float], rate: float) -> KeysCurve:
    """A curve as keys that give the same values at some frames; keys on a straight line between others are dropped.

    Raises `UnknownChoice` for a field without a curve.
    """
    plain = pointer.strip("/")
    if plain not in {known.strip("/") for known in variant.curves}:
        raise UnknownChoice("curve", pointer, variant.curves)
    rows = [(frame, _values(variant, plain, Time(frame, rate))) for frame in frames]
    kept = rows[:1]
    for index in range(1, len(rows)):
        if index + 1 == len(rows) or not _is_between(kept[-1], rows[index], rows[index + 1]):
            kept.append(rows[index])
    keys = tuple(KeyFrame(frame=frame, value=row if len(row) > 1 else row[0], ease="straight") for frame, row in kept)
    return KeysCurve(keys=keys)


def _is_between(before: tuple[float, Any], at: tuple[float, Any], after: tuple[float, Any]) -> bool:
    share = (at[0] - before[0]) / (after[0] - before[0])
    return all(
        abs(a + share * (c - a) - b) <= _STRAIGHT * max(1.0, abs(b))
        for a, b, c in zip(before[1], at[1], after[1], strict=True)
    )


@dataclass(frozen=True)
class MovableField:
    """A field of a document that could move: its pointer, what it is in words, and its own values by channel."""

    pointer: str
    words: str
    values: tuple[float, ...]


def movable_fields(variant: Variant, lights: Iterable[str], components: Iterable[str]) -> list[MovableField]:
    """The fields of a document that could move and do not yet; levels of all lights first."""
    levels = ("stops", "kelvin", "duv", "tint")
    named = [f"balance/lights/{pointer_step(name)}/{field}" for name in lights for field in levels]
    named += [f"balance/components/{pointer_step(name)}/{field}" for name in components for field in levels]
    found = dict.fromkeys((*named, *_numbers_in(variant, "")))
    moving = {pointer.strip("/") for pointer in variant.curves}
    return [
        MovableField(pointer, words_of(pointer), _values(variant, pointer, Time(0)))
        for pointer in found
        if pointer not in moving and _can_move(variant, pointer)
    ]


def _can_move(variant: Variant, pointer: str) -> bool:
    if pointer.startswith(ONCE) or steps_of(pointer)[-1] in _NOT_OFFERED:
        return False
    try:
        number_field(variant, pointer)
    except UnknownChoice:
        return False
    return True


def _numbers_in(part: Any, place: str) -> Iterator[str]:
    """Pointers to all fields of a part that may be numbers."""
    if isinstance(part, BaseModel):
        for name, field in type(part).model_fields.items():
            value, below = getattr(part, name), f"{place}/{field.alias or name}".lstrip("/")
            if isinstance(value, BaseModel | Mapping) or _is_list(value):
                yield from _numbers_in(value, below)
            elif isinstance(value, float | int | tuple) and not isinstance(value, bool):
                yield below
    elif isinstance(part, Mapping):
        for name, value in part.items():
            yield from _numbers_in(value, f"{place}/{pointer_step(str(name))}")
    elif _is_list(part):
        for entry in part:
            yield from _numbers_in(entry, f"{place}/{pointer_step(str(getattr(entry, 'id', '')))}")


def _is_list(value: Any) -> bool:
    return isinstance(value, tuple) and bool(value) and isinstance(value[0], BaseModel)
