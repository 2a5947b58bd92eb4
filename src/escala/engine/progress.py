"""How long work tells how far it is: a share from 0 to 1, and what is being done. Who is told may raise to stop it."""

from collections.abc import Callable

Progress = Callable[[float, str], None]


def untold(share: float, doing: str) -> None:
    """Nobody is told."""
