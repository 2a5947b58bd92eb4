"""What a level does to light: stops, multiplier, tint and colour temperature become one gain per channel."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .temperature import NEUTRAL_KELVIN, temperature_gain

Gain = NDArray[np.float32]

# Scene-linear light of a grey card: stops are counted from here.
MIDDLE_GREY = 0.18


@dataclass(frozen=True)
class WorkingSpace:
    """What levels need to know of the working space: its matrix to CIE XYZ (relative to its own white)."""

    name: str
    to_xyz: tuple[tuple[float, float, float], ...]

    @property
    def luminance_weights(self) -> NDArray[np.float64]:
        """The row of the matrix that gives Y, summing to 1; (3,)."""
        weights = np.array(self.to_xyz[1])
        return np.asarray(weights / weights.sum())


def stops_to_gain(stops: float) -> float:
    """2^stops."""
    return float(2.0**stops)


def normalise_tint(tint: ArrayLike, space: WorkingSpace) -> NDArray[np.float64]:
    """`tint` scaled to luminance 1, so that tinting does not change brightness; black stays black. (3,)."""
    colour = np.asarray(tint, np.float64)
    luminance = float(space.luminance_weights @ colour)
    return colour / luminance if luminance > 0 else colour


def level_gain(
    space: WorkingSpace,
    stops: float = 0.0,
    multiplier: float = 1.0,
    tint: ArrayLike = (1.0, 1.0, 1.0),
    kelvin: float = NEUTRAL_KELVIN,
    duv: float = 0.0,
) -> Gain:
    """`2^stops * multiplier * tint * temperature`, per channel of the working space; float32 (3,)."""
    gain = stops_to_gain(stops) * multiplier * normalise_tint(tint, space)
    return np.asarray(gain * white_gain(space, kelvin, duv), np.float32)


def white_gain(space: WorkingSpace, kelvin: float, duv: float = 0.0) -> NDArray[np.float64]:
    """The gain of a colour temperature, of luminance 1; (3,), ones at 6500 K without `duv`."""
    if kelvin == NEUTRAL_KELVIN and duv == 0.0:
        return np.ones(3)
    return normalise_tint(temperature_gain(kelvin, np.array(space.to_xyz), duv), space)


def names_that_count(mutes: Mapping[str, bool], solos: Mapping[str, bool]) -> dict[str, bool]:
    """Which names count in the sum: those alone if any is alone, else all but the muted."""
    anyone = any(solos.values())
    return {name: (solos[name] if anyone else True) and not mutes[name] for name in mutes}
