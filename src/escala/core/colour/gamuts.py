"""Gamuts by the chromaticities that their standards name, and the matrices that follow from them."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..balance.temperature import bradford_matrix, xy_to_xyz

Chromaticities = tuple[float, ...]

# CIE x, y of red, green, blue and white: ITU-R BT.709, SMPTE ST 2065-1 (AP0), S-2014-004 (AP1), SMPTE RP 431, BT.2020.
GAMUTS: dict[str, Chromaticities] = {
    "Rec.709": (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290),
    "AP1": (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767),
    "AP0": (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767),
    "P3-D65": (0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.3127, 0.3290),
    "Rec.2020": (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290),
}


def primaries_to_xyz(corners: Sequence[float]) -> NDArray[np.float64]:
    """RGB to XYZ, relative to its own white, from chromaticities of red, green, blue and white (SMPTE RP 177)."""
    columns = [xy_to_xyz(x, y) for x, y in zip(corners[0::2], corners[1::2], strict=True)]
    primaries, white = np.array(columns[:3]).T, columns[3]
    return np.asarray(primaries * np.linalg.solve(primaries, white))


def luminance_row(corners: Sequence[float]) -> tuple[float, float, float]:
    """What red, green and blue give to luminance; they sum to 1."""
    red, green, blue = (float(value) for value in primaries_to_xyz(corners)[1])
    return red, green, blue


def gamut_matrix(source: str, target: str) -> NDArray[np.float64]:
    """From linear RGB of one gamut of GAMUTS to another's, whites adapted by Bradford. (3, 3)."""
    ours, theirs = GAMUTS[source], GAMUTS[target]
    adapted = bradford_matrix(xy_to_xyz(*ours[6:]), xy_to_xyz(*theirs[6:])) @ primaries_to_xyz(ours)
    return np.asarray(np.linalg.solve(primaries_to_xyz(theirs), adapted))
