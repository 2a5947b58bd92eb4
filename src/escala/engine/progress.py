"""Progress of long work: callbacks of a fraction from 0 to 1 and a step name, which may raise to cancel."""

from collections.abc import Callable

from escala.core.errors import EscalaError

Progress = Callable[[float, str], None]


class Cancelled(EscalaError):
    """The user stopped the work."""

    def __init__(self, what: str) -> None:
        super().__init__(f"{what} was stopped; nothing was changed")


def no_progress(fraction: float, step: str) -> None:
    """Ignore progress."""


def subrange(progress: Progress, begin: float, end: float) -> Progress:
    """Map the progress of a part, 0 to 1, to a range of the whole."""
    return lambda fraction, step: progress(begin + fraction * (end - begin), step)
