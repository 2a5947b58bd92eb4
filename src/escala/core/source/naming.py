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

# Letters of any script, or digits; then where the case turns: "DiffDir", "RGBALight".
_RUNS = re.compile(r"[^\W\d_]+|\d+")
_TURNS = re.compile(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")
# What a name may hold beside its component without being two: "coat specular" is the coat.
_OF_MANY = frozenset({"transmission", "subsurface", "coat", "sheen", "volume", "caustics"})
# Components by which no light is ever called.
_NO_LIGHT = frozenset({"diffuse", "specular", *_OF_MANY})
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

    def meanings(self, kind: str) -> list[str]:
        return [meaning for meaning, _ in self.found.get(kind, [])]

    def first(self, kind: str) -> str | None:
        return next(iter(self.meanings(kind)), None)

    @property
    def is_selected(self) -> bool:
        """Whether the name says that the light was chosen for a pass of its own: `lightSelect_key`."""
        return any("select" in word for _, word in self.found.get("light", ()))

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
    words = []
    for run in _RUNS.finditer(name):
        at = [0, *(turn.start() for turn in _TURNS.finditer(run.group())), len(run.group())]
        words += [
            (run.group()[a:b].lower(), run.start() + a, run.start() + b) for a, b in itertools.pairwise(at) if b > a
        ]
    return words


def recognise_passes(
    passes: Sequence[NamedPass], table: NamingTable, cryptomattes: Sequence[str] = ()
) -> list[PassRole]:
    """The role of every pass of one render, in order. What all names begin with is excluded where it says nothing.

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
    start = _shared_words([named.name for named in passes], table)
    readings = [_read(named, table, start) for named in passes]
    family = light_family([reading.named for reading in readings if _is_colour(reading)], table, start)
    lights = _known_lights(readings, table)
    roles = [_family_role(r, family) or _decide(r, lights, table) for r in readings]
    return _part_doubles(readings, roles)


def _read(named: NamedPass, table: NamingTable, start: int = 0) -> _Reading:
    """A name taken apart. `start`: so many first words of a name of more are excluded."""
    reading = _Reading(named)
    pieces = split_words(named.name)
    skipped = min(start, len(pieces) - 1) if pieces else 0
    pieces = pieces[skipped:]
    telling = [text for text, _, _ in pieces if table.words.get(text, ("",))[0] != "noise"]
    whole = next((name for name in ("".join(t for t, _, _ in pieces), "".join(telling)) if name in table.whole), None)
    if whole is not None:
        for word in table.whole[whole]:
            kind, meaning = table.words[word]
            reading.found.setdefault(kind, []).append((meaning, word))
        return reading
    at = 0
    while at < len(pieces):
        size, matches = _match_at(pieces, at, table)
        for kind, meaning, word in matches:
            reading.found.setdefault(kind, []).append((meaning, word))
        if not matches:
            text, first, end = pieces[at]
            (reading.digits if text.isdigit() else reading.left).append((first, end))
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


def _shared_words(names: Sequence[str], table: NamingTable) -> int:
    """With how many words all names of more begin that say nothing of the single pass: of a shot, scene or layer."""
    longer = [words for words in map(split_words, names) if len(words) > 1]
    if len(longer) < 2:
        return 0
    count = 0
    while all(len(words) > count + 1 for words in longer) and len({words[count][0] for words in longer}) == 1:
        rests = [
            _read(NamedPass(name, ()), table, count + 1)
            for name, words in zip((n for n in names if len(split_words(n)) > 1), longer, strict=True)
        ]
        if not _says_nothing(longer[0][count][0], rests, table):
            break
        count += 1
    return count


def _says_nothing(word: str, rests: list[_Reading], table: NamingTable) -> bool:
    """Whether a word that all names share is no part of what they mean.

    So it is with one that the table does not know; with a known one, where what follows it are things of their own.
    """
    kind, meaning = table.words.get(word, ("", ""))
    if any(_NO_LIGHTS_OWN & set(r.meanings("role")) for r in rests):
        return True  # a light has no depth, and a component no normals
    if word in table.lights or (word in _BEAUTY_MARKS and _may_be_lights(rests, table)):
        return False
    if not kind:
        return not _break_fused(word, table)
    if (kind == "light" or meaning == "beauty") and _may_be_lights(rests, table):
        return False
    meanings = {(r.first("role"), *sorted(set(r.meanings("component")))) for r in rests}
    return len(meanings - {(None,)}) > 1


def _may_be_lights(rests: list[_Reading], table: NamingTable) -> bool:
    """Whether what follows a mark are names of lights: not all are components that no light is called by, or data."""
    return any(
        (r.rest and "component" not in r.found)
        or not r.found
        or ("role" not in r.found and not _NO_LIGHT & set(r.meanings("component")) and "component" in r.found)
        for r in rests
    )


# What belongs to a whole picture, never to one light or component.
_NO_LIGHTS_OWN = frozenset({"depth", "normal", "position", "uv", "motion", "id", "cryptomatte"})
# Words before the name of a light, beside those of the table that mean a light or the whole picture.
_BEAUTY_MARKS = frozenset({"c"})


def light_family(passes: Sequence[NamedPass], table: NamingTable, start: int = 0) -> dict[str, str]:
    """Lights by the names of their passes: passes with one mark before or behind that says they are, as written.

    Where one of a family is a light, all are, whatever their words mean elsewhere: `RGBA_key`, `RGBA_env`.
    """
    marked: dict[tuple[str, str], dict[str, str]] = {}
    for named in passes:
        words = split_words(named.name)
        words = words[min(start, len(words) - 1) :] if words else []
        if len(words) < 2:
            continue
        first, last = words[0], words[-1]
        behind = table.words.get(last[0], ("",))[0] == "light"
        end = last[1] if behind and len(words) > 2 else len(named.name)
        mark, begin = _mark_before(words, table)
        if mark:
            marked.setdefault(("before", mark), {})[named.name] = _as_written(named.name[begin:end], table)
        elif behind:
            marked.setdefault(("behind", last[0]), {})[named.name] = _as_written(named.name[first[1] : last[1]], table)
    lights: dict[str, str] = {}
    for (_, mark), rests in marked.items():
        readings = {name: _read(NamedPass(rest, ("R", "G", "B")), table) for name, rest in rests.items()}
        if len(rests) > 1 and _are_lights(mark, list(readings.values()), table):
            # A number alone names no light: it keeps its mark.
            lights |= {name: name if rest.isdigit() else rest for name, rest in rests.items()}
    return lights


def _mark_before(words: list[tuple[str, int, int]], table: NamingTable) -> tuple[str, int]:
    """The longest beginning of a name that marks a light, as `light` or `lightSelect`, and where it ends."""
    for size in range(min(_LONGEST_PHRASE, len(words) - 1), 0, -1):
        phrase = "".join(text for text, _, _ in words[:size])
        if _marks_light(phrase, table):
            return phrase, words[size - 1][2]
    return "", 0


def _as_written(rest: str, table: NamingTable) -> str:
    """The rest of a name in its own spelling, without a last word that marks a noisy or a denoised twin."""
    words = split_words(rest)
    while len(words) > 1 and table.words.get(words[-1][0], ("",))[0] == "twin":
        rest = rest[: words.pop()[1]]
    return rest.strip(" _-.:/")


def _marks_light(word: str, table: NamingTable) -> bool:
    kind, meaning = table.words.get(word, ("", ""))
    return kind == "light" or meaning == "beauty" or word in _BEAUTY_MARKS


def _are_lights(mark: str, rests: list[_Reading], table: NamingTable) -> bool:
    """Whether what stands beside a mark names lights: no data, and not lights each with several components."""
    if any(r.first("role") not in (None, "beauty") or "portion" in r.found for r in rests):
        return False
    names = Counter(r.rest.lower() for r in rests if r.rest)
    if any("component" in r.found and r.rest and names[r.rest.lower()] > 1 for r in rests):
        return False
    pure = [r for r in rests if "component" in r.found and not r.rest]
    if any(_NO_LIGHT & set(r.meanings("component")) for r in pure):
        return False
    said = table.words.get(mark, ("",))[0] == "light"
    named = [r for r in rests if r.rest and "component" not in r.found]
    # A component word that one name of a family holds is a part of that light's name: `RGBA_specular_rim`.
    words = Counter(meaning for r in rests for meaning in set(r.meanings("component")))
    own = [
        r for r in rests if r.rest and "component" in r.found and max(words[m] for m in r.meanings("component")) == 1
    ]
    return said or (bool(named) and bool(pure or len(named) + len(own) == len(rests)))


def _family_role(reading: _Reading, family: Mapping[str, str]) -> PassRole | None:
    light = family.get(reading.named.name)
    if light is None:
        return None
    reason = "one of a set of passes named after lights"
    twin, selected = reading.first("twin"), reading.is_selected
    return PassRole(Role.LIGHT, light, twin=twin, sure=0.9, reason=reason, is_selected=selected)


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
            lights[rest] = (0.95, "the name marks it as a light")
        elif "component" not in reading.found and with_component[rest]:
            lights[rest] = (0.9, f"other passes are components of {reading.rest}")
        elif with_component[rest] > 1 and rest not in lights:
            lights[rest] = (0.8, f"several components contain the word {reading.rest}")
        elif reading.first("role") == "beauty" and rest not in lights:
            lights[rest] = (0.7, f"the combined image of {reading.rest}")
        elif {text for text, _, _ in split_words(rest)} & table.lights and rest not in lights:
            lights[rest] = (0.7, f"{reading.rest} is a usual name of a light")
    return lights


def _decide(reading: _Reading, lights: Mapping[str, tuple[float, str]], table: NamingTable) -> PassRole:
    channels = reading.named.channels
    if len(channels) == 1 and channels[0].upper() in table.depth_channels and "role" not in reading.found:
        return PassRole(Role.DEPTH, sure=0.9, reason=f"a single channel named {channels[0]} is depth")
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
        return PassRole(Role.LIGHT, light, twin=twin, sure=sure, reason=reason, is_selected=reading.is_selected)
    if component:
        sure = 0.6 if reading.rest else 0.95
        words = ", ".join(word for kind in ("component", "portion") for _, word in reading.found.get(kind, []))
        return PassRole(Role.COMPONENT, None, component, portion, twin, sure, f"the name holds {words}")
    if reading.rest:
        return PassRole(Role.OTHER, twin=twin, sure=0.2, reason=f"no known word in {reading.rest}")
    if "portion" in reading.found:
        return PassRole(Role.OTHER, twin=twin, sure=0.2, reason="its name gives a lighting part but no component")
    return PassRole(Role.BEAUTY, twin=twin, sure=0.9 if reading.found else 0.7, reason="colour with no other role")


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
    return PassRole(Role.OTHER, sure=0.2, reason=f"channels {', '.join(channels)} and no known word")


def _component_of(reading: _Reading) -> tuple[str | None, Portion | None]:
    named = reading.meanings("component")
    component = next((name for name in named if name in _OF_MANY), next(iter(named), None))
    portions = reading.meanings("portion")
    portion = next((name for name in portions if name != "raw"), None)
    raw = Portion.RAW if "raw" in portions else None
    if component is None and portion is None:
        return None, None
    if component is None:
        if portion == "colour":
            surface = any(word in ("albedo", "reflectance") for _, word in reading.found["portion"])
            return ("diffuse", Portion.COLOUR) if surface else (None, None)
        return portion, raw or Portion.TOTAL
    return component, Portion(portion) if portion else raw or Portion.TOTAL


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
