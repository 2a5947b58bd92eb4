"""Roles from names: words in any order, case and separator, with the other passes as context.

The words come as a table (a data file); this module only splits names, matches words and weighs what is left over.
"""

import itertools
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ..mattes.cryptomatte import rank_of_pass
from ..roles import PassRole, Portion, Role

_PIECES = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")
_LONGEST_PHRASE = 3
_SHORTEST_FUSED = 3


@dataclass(frozen=True)
class NamedPass:
    """A pass as its file names it. `channels` are the last parts of the channel names (R, G, B, Z ...)."""

    name: str
    channels: tuple[str, ...]


@dataclass(frozen=True)
class NamingTable:
    """Words to meanings: `words[word] = (kind, meaning)`, kind one of role, component, portion, light, twin, noise."""

    words: Mapping[str, tuple[str, str]]
    whole: Mapping[str, tuple[str, ...]]
    lights: frozenset[str]
    depth_channels: frozenset[str]
    fused: tuple[str, ...] = field(default=())

    @classmethod
    def from_sections(cls, sections: Mapping[str, Mapping[str, Sequence[str]]]) -> "NamingTable":
        """Build from the sections of the data file: each maps a meaning to its words, the first one canonical."""
        words = {
            word: (kind, meaning)
            for kind in ("role", "component", "portion", "light", "twin", "noise")
            for meaning, listed in sections[kind].items()
            for word in listed
        }
        fused = tuple(sorted((w for w in words if len(w) >= _SHORTEST_FUSED), key=len, reverse=True))
        return cls(
            words=words,
            whole={word: tuple(meaning) for word, meaning in sections["whole"].items()},
            lights=frozenset(sections["usual"]["lights"]),
            depth_channels=frozenset(sections["usual"]["depth_channels"]),
            fused=fused,
        )


@dataclass
class _Reading:
    """One name taken apart: what each matched word means, and what no word matched."""

    named: NamedPass
    found: dict[str, list[tuple[str, str]]] = field(default_factory=dict)
    left: list[tuple[int, int]] = field(default_factory=list)
    digits: list[tuple[int, int]] = field(default_factory=list)
    dropped: int = 0

    def meanings(self, kind: str) -> list[str]:
        return [meaning for meaning, _ in self.found.get(kind, [])]

    def first(self, kind: str) -> str | None:
        return next(iter(self.meanings(kind)), None)

    @property
    def rest(self) -> str:
        """The part of the name that no word explains, in its own spelling; a numbered light keeps its word."""
        spans = self.left
        if spans and "light" in self.found and not set(spans) - set(self.digits):
            return self.named.name
        if not spans:
            return ""
        joined = self.named.name[spans[0][0] : spans[-1][1]]
        contiguous = all(b[0] - a[1] <= 1 for a, b in itertools.pairwise(spans))
        return joined if contiguous else "_".join(self.named.name[a:b] for a, b in spans)


def split_words(name: str) -> list[tuple[str, int, int]]:
    """The words of a name in lower case with where they stand: camel case, digits and separators split."""
    return [(match.group().lower(), match.start(), match.end()) for match in _PIECES.finditer(name)]


def recognise_passes(
    passes: Sequence[NamedPass], table: NamingTable, cryptomattes: Sequence[str] = ()
) -> list[PassRole]:
    """The role of every pass of one render, in order. A first word that all names share is left out.

    `cryptomattes`: names of layers that the file's header declares; their rank passes need no guess.
    """
    declared = {p.name: layer for p in passes for layer in cryptomattes if rank_of_pass(p.name, layer) is not None}
    guessed = iter(_recognise([p for p in passes if p.name not in declared], table))
    return [
        PassRole(Role.CRYPTOMATTE, reason=f"the header declares {declared[p.name]}")
        if p.name in declared
        else next(guessed)
        for p in passes
    ]


def _recognise(passes: Sequence[NamedPass], table: NamingTable) -> list[PassRole]:
    readings = [_read(named, table) for named in passes]
    _drop_shared_words(readings, table)
    lights = _known_lights(readings, table)
    roles = [_decide(reading, lights, table) for reading in readings]
    return _part_doubles(readings, roles)


def _read(named: NamedPass, table: NamingTable) -> _Reading:
    reading = _Reading(named)
    whole = re.sub(r"[^a-z0-9]", "", named.name.lower())
    if whole in table.whole:
        for word in table.whole[whole]:
            kind, meaning = table.words[word]
            reading.found.setdefault(kind, []).append((meaning, word))
        return reading
    pieces = split_words(named.name)
    at = 0
    while at < len(pieces):
        size, matches = _match_at(pieces, at, table)
        for kind, meaning, word in matches:
            reading.found.setdefault(kind, []).append((meaning, word))
        if not matches:
            text, start, end = pieces[at]
            (reading.digits if text.isdigit() else reading.left).append((start, end))
        at += size
    _join_numbers(reading)
    return reading


def _match_at(
    pieces: list[tuple[str, int, int]], at: int, table: NamingTable
) -> tuple[int, list[tuple[str, str, str]]]:
    for size in range(min(_LONGEST_PHRASE, len(pieces) - at), 0, -1):
        phrase = "".join(text for text, _, _ in pieces[at : at + size])
        if phrase in table.words:
            return size, [(*table.words[phrase], phrase)]
    parts = _break_fused(pieces[at][0], table)
    return 1, [(*table.words[word], word) for word in parts]


def _break_fused(text: str, table: NamingTable) -> list[str]:
    """Words run together ("diffdir"), only when they cover the whole text; otherwise nothing."""
    if not text:
        return []
    for word in table.fused:
        if text.startswith(word):
            rest = text[len(word) :]
            if not rest:
                return [word]
            tail = _break_fused(rest, table)
            if tail:
                return [word, *tail]
    return []


def _join_numbers(reading: _Reading) -> None:
    """A number belongs to the unknown word it stands beside ("lamp2"), or names a numbered light ("light_03")."""
    for start, end in reading.digits:
        beside = any(start - right <= 1 and start >= right for _, right in reading.left)
        if beside or ("light" in reading.found and not reading.left):
            reading.left.append((start, end))
    reading.left.sort()


def _drop_shared_words(readings: list[_Reading], table: NamingTable) -> None:
    """Forget an unknown word with which all names begin: it names the shot, not the pass."""
    longer = [reading for reading in readings if len(split_words(reading.named.name)) > 1]
    while len(longer) > 1 and all(reading.left for reading in longer):
        words = {_text(reading, reading.left[0]) for reading in longer}
        leading = all(reading.left[0][0] == _start(reading) for reading in longer)
        if len(words) > 1 or not leading or words & table.lights:
            return
        for reading in longer:
            reading.dropped = reading.left.pop(0)[1]


def _start(reading: _Reading) -> int:
    """Where the first word begins that is not dropped yet."""
    return next(start for _, start, _ in split_words(reading.named.name) if start >= reading.dropped)


def _text(reading: _Reading, span: tuple[int, int]) -> str:
    return reading.named.name[span[0] : span[1]].lower()


def _is_colour(reading: _Reading) -> bool:
    return {"R", "G", "B"} <= {channel.upper()[:1] for channel in reading.named.channels}


def _known_lights(readings: Iterable[_Reading], table: NamingTable) -> dict[str, tuple[float, str]]:
    """Lights by lower-case name, with how sure and why."""
    lights: dict[str, tuple[float, str]] = {}
    with_component = Counter(r.rest.lower() for r in readings if r.rest and "component" in r.found)
    for reading in readings:
        rest = reading.rest.lower()
        if not rest or not _is_colour(reading) or ("role" in reading.found and reading.first("role") != "beauty"):
            continue
        if "light" in reading.found:
            lights[rest] = (0.95, "the name says that it is a light")
        elif "component" not in reading.found and with_component[rest]:
            lights[rest] = (0.9, f"other passes hold components of {reading.rest}")
        elif with_component[rest] > 1 and rest not in lights:
            lights[rest] = (0.8, f"several components carry the word {reading.rest}")
        elif reading.first("role") == "beauty" and rest not in lights:
            lights[rest] = (0.7, f"the whole picture of {reading.rest}")
        elif {text for text, _, _ in split_words(rest)} & table.lights and rest not in lights:
            lights[rest] = (0.7, f"{reading.rest} is a usual name of a light")
    return lights


def _decide(reading: _Reading, lights: Mapping[str, tuple[float, str]], table: NamingTable) -> PassRole:
    channels = reading.named.channels
    if len(channels) == 1 and channels[0].upper() in table.depth_channels and "role" not in reading.found:
        return PassRole(Role.DEPTH, sure=0.9, reason=f"a single channel named {channels[0]} holds depth")
    role = next((r for r in reading.meanings("role") if r != "beauty"), None)
    light = reading.rest if reading.rest.lower() in lights else None
    if role:
        return _data_role(reading, Role(role), light)
    if not _is_colour(reading):
        return _role_by_channels(channels)
    component, portion = _component_of(reading)
    twin = reading.first("twin")
    if light is not None:
        sure, reason = lights[light.lower()]
        if component:
            return PassRole(Role.LIGHT_COMPONENT, light, component, portion, twin, sure, reason)
        return PassRole(Role.LIGHT, light, twin=twin, sure=sure, reason=reason)
    if component:
        sure = 0.6 if reading.rest else 0.95
        words = ", ".join(word for kind in ("component", "portion") for _, word in reading.found.get(kind, []))
        return PassRole(Role.COMPONENT, None, component, portion, twin, sure, f"the name holds {words}")
    if reading.rest:
        return PassRole(Role.OTHER, twin=twin, sure=0.2, reason=f"no word of the table explains {reading.rest}")
    return PassRole(Role.BEAUTY, twin=twin, sure=0.9 if reading.found else 0.7, reason="colour with no other meaning")


def _data_role(reading: _Reading, role: Role, light: str | None) -> PassRole:
    word = next(word for meaning, word in reading.found["role"] if meaning == role.value)
    component = reading.first("component")
    return PassRole(role, light, component, None, reading.first("twin"), 0.9, f"the name holds {word}")


def _role_by_channels(channels: tuple[str, ...]) -> PassRole:
    letters = {channel.upper() for channel in channels}
    if letters == {"A"}:
        return PassRole(Role.ALPHA, sure=0.9, reason="a single channel named A holds alpha")
    if letters in ({"U", "V"}, {"U", "V", "W"}):
        return PassRole(Role.UV, sure=0.7, reason="its channels are U and V")
    return PassRole(Role.OTHER, sure=0.2, reason=f"channels {', '.join(channels)} and no word that explains them")


def _component_of(reading: _Reading) -> tuple[str | None, Portion | None]:
    component, portion = reading.first("component"), reading.first("portion")
    if component is None and portion is None:
        return None, None
    if component is None:
        if portion == "colour":
            surface = any(word in ("albedo", "reflectance") for _, word in reading.found["portion"])
            return ("diffuse", Portion.COLOUR) if surface else (None, None)
        return portion, Portion.TOTAL
    return component, Portion(portion) if portion else Portion.TOTAL


def _part_doubles(readings: list[_Reading], roles: list[PassRole]) -> list[PassRole]:
    """Two passes of one meaning: the one that uses a less usual word becomes a component under that word."""
    seen: dict[tuple[str | None, str | None, Portion | None, str | None], int] = {}
    out = list(roles)
    for index, role in enumerate(roles):
        if role.role not in (Role.COMPONENT, Role.LIGHT_COMPONENT):
            continue
        key = (role.light, role.component, role.portion, role.twin)
        if key not in seen:
            seen[key] = index
            continue
        words = {other: _component_word(readings[other]) for other in (seen[key], index)}
        other = next((o for o, word in words.items() if word and word != role.component), index)
        own = words[other] if words[other] not in (None, role.component) else readings[other].named.name
        out[other] = replace(roles[other], component=own, sure=0.5, reason=f"a second {role.component} pass")
    return out


def _component_word(reading: _Reading) -> str | None:
    return next((word for _, word in reading.found.get("component", [])), None)
