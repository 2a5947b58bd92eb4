"""Entries of lists: each has an id of its own, given when it is missing, by which edits and curves name it."""

from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, TypeVar

from pydantic import AfterValidator, Field

from .numbers import Number
from .render import Document


class Entry(Document):
    """An entry of a list of a document."""

    id: str = Field("", max_length=120)


class Limited(Entry):
    """An entry that can be switched off, weakened to a share of its effect, and limited by a matte of the document."""

    on: bool = True
    opacity: Number = Field(1.0, ge=0, le=1)
    matte: str | None = None

    @property
    def is_seen(self) -> bool:
        """Whether it is on, and seen at all."""
        return self.on and self.opacity > 0


AnyEntry = TypeVar("AnyEntry", bound=Entry)


def _with_ids(entries: tuple[AnyEntry, ...]) -> tuple[AnyEntry, ...]:
    """The entries, those without an id with one that says their kind. Raises `ValueError` for an id given twice."""
    taken = Counter(entry.id for entry in entries if entry.id)
    double = next((one for one, count in taken.items() if count > 1), None)
    if double is not None:
        raise ValueError(f"two entries of one list have the id {double!r}: each needs its own")
    free = {entry.kind: _free(entry.kind, set(taken)) for entry in entries if not entry.id}  # type: ignore[attr-defined]
    return tuple(
        entry if entry.id else entry.model_copy(update={"id": next(free[entry.kind])})  # type: ignore[attr-defined]
        for entry in entries
    )


def _free(kind: str, taken: set[str]) -> Iterator[str]:
    number = 0
    while True:
        number += 1
        if f"{kind}{number}" not in taken:
            yield f"{kind}{number}"


def pointer_step(name: str) -> str:
    """A name as a step of a JSON Pointer (RFC 6901)."""
    return name.replace("~", "~0").replace("/", "~1")


# A list whose entries have ids.
Listed = Annotated[tuple[AnyEntry, ...], AfterValidator(_with_ids)]


class ListIndex:
    """Where entries of lists with given ids are, kept from one step of a patch to the next."""

    def __init__(self) -> None:
        self._places: dict[int, dict[Any, int]] = {}

    def note_step(self, step: Mapping[str, Any]) -> None:
        """Look everything up anew after a step that changed more than a plain value."""
        is_plain = step.get("op") in ("replace", "test") and not isinstance(step.get("value"), dict | list)
        if not is_plain or str(step.get("path", "")).endswith("/id"):
            self._places.clear()

    def by_index(self, document: Any, pointer: str) -> str:
        """A JSON Pointer in which entries of lists are named by id, with their places instead.

        A place by number is taken too; an id comes first. Raises `KeyError` with a sentence for an entry that is not
        there.
        """
        steps: list[str] = []
        place = document
        for step in pointer.split("/")[1:]:
            if isinstance(place, list):
                step = self._place_in(place, step, "/" + "/".join(steps))
                place = place[int(step)] if step != "-" and int(step) < len(place) else None
            elif isinstance(place, dict):
                place = place.get(step.replace("~1", "/").replace("~0", "~"))
            steps.append(step)
        return "".join(f"/{step}" for step in steps)

    def _place_in(self, entries: list[Any], step: str, where: str) -> str:
        name = step.replace("~1", "/").replace("~0", "~")
        places = self._places.get(id(entries))
        if places is None:
            places = {_id_of(entry): at for at, entry in reversed(tuple(enumerate(entries)))}
            self._places[id(entries)] = places
        if name in places:
            return str(places[name])
        if step == "-" or (step.isascii() and step.isdigit() and len(step) < 8):
            return step
        raise KeyError(f"{where} has no entry with the id {name}")


def _id_of(entry: Any) -> Any:
    """The id of an entry, None for what has none."""
    found = entry.get("id") if isinstance(entry, dict) else None
    return found if isinstance(found, str) else None
