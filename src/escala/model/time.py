"""Moments of a shot."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Time:
    """A frame number, between frames too, and the frame rate of its shot in frames per second."""

    frame: float
    rate: float = 24.0
