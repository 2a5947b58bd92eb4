"""The tree of errors. A message has the rule, the value and the remedy, in one sentence for the user."""

from collections.abc import Iterable, Mapping
from typing import TypeVar

Value = TypeVar("Value")


class EscalaError(Exception):
    """Anything that is the input's fault or the user's choice, and is reported in a sentence."""


class ShapeError(EscalaError, ValueError):
    """Arrays that do not fit each other."""


class PixelTypeError(EscalaError, TypeError):
    """An array whose pixel type cannot be a picture."""


class UnreadableFile(EscalaError, OSError):
    """A file that is not what it claims, is damaged, or is of a kind that is not read."""

    def __init__(self, file: object, reason: str) -> None:
        super().__init__(f"{file}: {reason}")


class TooLarge(UnreadableFile):
    """A header that claims more than is sane; refused before memory is taken."""


class NoRoom(EscalaError, OSError):
    """A disk or a memory that has no room for what is to be kept; nothing half-written stays under a final name."""

    def __init__(self, place: object) -> None:
        super().__init__(f"disk full: {place} could not be written. Free some space and try again.")


class BadSource(EscalaError, ValueError):
    """Files that do not make one render."""


class BeingWritten(EscalaError, OSError):
    """Files that change while they are read: what was read of them is of two states, and let go."""


class SeveralRenders(BadSource):
    """A folder of several renders; `renders` names the files of each."""

    def __init__(self, folder: object, renders: Mapping[str, list[str]]) -> None:
        names = sorted(renders)
        shown = ", ".join(names[:8]) + (" and more" if len(names) > 8 else "")
        super().__init__(f"{folder} holds {len(names)} renders: {shown}; name one of them")
        self.renders = dict(renders)


class SizesDiffer(BadSource):
    """Files of one render with pictures of different sizes; they can be fitted on purpose."""


class ColourError(EscalaError, ValueError):
    """A colour space, display, view or config that cannot be used."""


class UnknownChoice(EscalaError, LookupError):
    """A name that is in no table; the message lists the known ones."""

    def __init__(self, what: str, given: str, known: Iterable[str]) -> None:
        super().__init__(f"no {what} is named {given!r}; known are {', '.join(sorted(known)) or 'none'}")


def choose(what: str, given: str, table: Mapping[str, Value]) -> Value:
    """The row of `table` named `given`; raises `UnknownChoice` with the known names."""
    try:
        return table[given]
    except KeyError:
        raise UnknownChoice(what, given, table) from None
