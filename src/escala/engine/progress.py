"""How long work tells how far it is: a share from 0 to 1, and what is being done. Who is told may raise to stop it."""

from collections.abc import Callable

from escala.core.errors import EscalaError

Progress = Callable[[float, str], None]


class Cancelled(EscalaError):
    """The user stopped the work."""

    def __init__(self, what: str) -> None:
        super().__init__(f"{what} was stopped; nothing was changed")


def untold(share: float, doing: str) -> None:
    """Nobody is told."""


def part_of(progress: Progress, begin: float, end: float) -> Progress:
    """What work tells that is a part of longer work, from one share of that to another."""
    return lambda share, doing: progress(begin + share * (end - begin), doing)
