"""`escala serve` and `escala demo`."""
from typing import Any


def add_commands(commands: Any) -> None:
    """Register the commands."""
