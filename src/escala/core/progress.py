"""How loops over whole images report how far they are."""

from collections.abc import Callable

# Called with the share that is done, 0 to 1, now and then; it may raise to stop the work.
ProgressCallback = Callable[[float], None]


def no_progress(share: float) -> None:
    """Reports to nobody."""
