"""What one variant has otherwise than another: in words, and as patches that take it over."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from .balance import NEUTRAL_LEVEL, Level
from .entries import pointer_step
from .mattes import with_members
from .pointers import steps_of
from .variant import Variant

# Parts that are compared whole, with what they are called.
_WHOLE = {
    "balance/residual": "residual", "depth/reading": "depth reading", "depth/haze": "haze", "depth/defocus": "defocus",
    "depth/motion": "motion blur", "lens/distortion": "distortion", "lens/aberration": "aberration",
    "lens/glow": "glow", "lens/glare": "glare", "lens/dirt": "dirt", "lens/vignette": "vignette", "lens/grain": "grain",
    "source": "source", "colour": "colour", "display": "display", "recipe": "recipe", "tally": "tally",
    "residual": "residual in the sum",
}  # fmt: skip
_TABLES = {"balance/lights": "", "balance/components": "", "balance/cells": "", "mattes": "matte ", "curves": ""}
_LISTS = {
    "balance/added": "", "balance/corrections": "", "surface/changes": "", "beauty/removed": "",
    "beauty/corrections": "", "plate/layers": "layer ", "finish/corrections": "",
}  # fmt: skip
_ABSENT: Any = object()
_LEVELS = ("balance/lights", "balance/components", "balance/cells")


@dataclass(frozen=True)
class Difference:
    """A part that a variant has otherwise: where it stands, in words, and the steps that give it to another variant."""

    place: str
    words: str
    patch: list[dict[str, Any]] = field(compare=False)


def differences(base: Variant, other: Variant) -> list[Difference]:
    """What `other` has otherwise than `base`, in the order of the path."""
    one, two = base.model_dump(mode="json", by_alias=True), other.model_dump(mode="json", by_alias=True)
    found = [*_levels(base, other), *_parts(one, two)]
    return [Difference(place, words, [*_needed(base, other, steps), *steps]) for place, words, steps in found]


def _levels(base: Variant, other: Variant) -> Iterator[tuple[str, str, list[dict[str, Any]]]]:
    """Levels by name: one that is not named is neutral."""
    for place in _LEVELS:
        ours, theirs = (getattr(variant.balance, place.rpartition("/")[2]) for variant in (base, other))
        for name in dict.fromkeys((*theirs, *ours)):
            level = theirs.get(name, NEUTRAL_LEVEL)
            if level != ours.get(name, NEUTRAL_LEVEL):
                path = f"{place}/{pointer_step(name)}"
                value = level.model_dump(mode="json")
                yield path, f"{_name(name)} {_level_words(level)}", [{"op": "add", "path": f"/{path}", "value": value}]


def _parts(one: Mapping[str, Any], two: Mapping[str, Any]) -> Iterator[tuple[str, str, list[dict[str, Any]]]]:
    for place, before in (*_LISTS.items(), *((p, b) for p, b in _TABLES.items() if p not in _LEVELS)):
        ours, theirs = _entries(_at(one, place)), _entries(_at(two, place))
        for name in dict.fromkeys((*theirs, *ours)):
            mine, value = ours.get(name, _ABSENT), theirs.get(name, _ABSENT)
            if mine == value:
                continue
            path = f"/{place}/{pointer_step(name)}"
            if value is _ABSENT:
                words = f"no {before}{name if place == 'mattes' else _entry_words(name, mine)}"
                yield f"{place}/{name}", words, [{"op": "remove", "path": path}]
            else:
                end = f"/{place}/-" if place in _LISTS and mine is _ABSENT else path
                words = f"{before}{name if place == 'mattes' else _entry_words(name, value)}"
                yield f"{place}/{name}", words, [{"op": "add", "path": end, "value": value}]
    for place, before in _LISTS.items():
        order, others = list(_entries(_at(one, place))), list(_entries(_at(two, place)))
        if order != others and sorted(order) == sorted(others):
            words = f"order of {before.strip() or place.rpartition('/')[2]}{'s' if before else ''}"
            yield f"{place}/order", words, [{"op": "add", "path": f"/{place}", "value": _at(two, place)}]
    for place, words in _WHOLE.items():
        mine, value = _at(one, place), _at(two, place)
        if mine != value:
            yield place, _whole_words(words, value), [{"op": "add", "path": f"/{place}", "value": value}]


def _at(document: Mapping[str, Any], place: str) -> Any:
    part: Any = document
    for step in place.split("/"):
        part = part.get(step) if isinstance(part, Mapping) else None
    return part


def _entries(part: Any) -> dict[str, Any]:
    """A table, or a list by the ids of its entries."""
    return {entry["id"]: entry for entry in part} if isinstance(part, list) else dict(part or {})


def _needed(base: Variant, other: Variant, steps: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The mattes that a part is limited by, where the variant that takes it over lacks them."""
    names = {name for step in steps for name in _mattes_in(step.get("value")) if name in other.mattes}
    absent = [name for name in sorted(with_members(other.mattes, iter(names))) if name not in base.mattes]
    return [
        {
            "op": "add",
            "path": f"/mattes/{pointer_step(name)}",
            "value": other.mattes[name].model_dump(mode="json", by_alias=True),
        }
        for name in absent
    ]


def _mattes_in(value: Any) -> Iterator[str]:
    if isinstance(value, Mapping):
        for name, below in value.items():
            if name == "matte" and isinstance(below, str):
                yield below
            else:
                yield from _mattes_in(below)
    elif isinstance(value, list):
        for below in value:
            yield from _mattes_in(below)


def _name(name: str) -> str:
    words = name.replace("_", " ").replace("/", ", ")
    return words[:1].upper() + words[1:]


def _level_words(level: Level) -> str:
    """A level as it is read: what of it is not neutral."""
    if level.mute:
        return "muted"
    said = ["solo"] if level.solo else []
    if level.stops:
        said.append(f"{_signed(level.stops)} stops")
    if level.multiplier != 1:
        said.append(f"× {level.multiplier:g}")
    if level.kelvin != NEUTRAL_LEVEL.kelvin:
        said.append(f"{level.kelvin:.0f} K")
    if level.duv:
        said.append(f"{_signed(level.duv, 3)} Duv")
    if level.tint != NEUTRAL_LEVEL.tint:
        said.append("tinted")
    if level.matte is not None:
        said.append(f"in {level.matte}")
    return ", ".join(said) or "neutral"


def _signed(value: float, digits: int = 2) -> str:
    text = f"{abs(value):.{digits}f}".rstrip("0").rstrip(".")
    return f"{'−' if value < 0 else '+'}{text}"


# The number of a part that says most.
_TELLING = (
    "stops", "amount", "density", "focus", "kelvin", "hue", "saturation", "radius", "shutter", "shift_px", "k1",
    "opacity", "strength",
)  # fmt: skip


def _entry_words(name: str, value: Any) -> str:
    if not isinstance(value, Mapping):
        return _name(name)
    kind = str(value.get("kind", "")).replace("_", " ")
    if "/" in name:  # a curve, by its pointer
        return f"{_name(steps_of(name)[-2])} {steps_of(name)[-1].replace('_', ' ')} over time ({kind})"
    off = " off" if value.get("on") is False else ""
    if value.get("name") or value.get("render"):  # an added light, or a layer
        return f"{_name(str(value.get('name') or value['render']))}{off}"
    return f"{kind or name}{_number(value)}{off}"


def _whole_words(words: str, value: Any) -> str:
    if isinstance(value, Mapping) and "on" in value:
        return f"{words}{_number(value)}" if value["on"] else f"no {words}"
    return words


def _number(value: Mapping[str, Any]) -> str:
    found = next((value[name] for name in _TELLING if isinstance(value.get(name), float | int)), None)
    return "" if found is None or isinstance(found, bool) else f" {found:.3g}"
