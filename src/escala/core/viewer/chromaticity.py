"""The chromaticity scope: where the colours of a picture lie in CIE x, y, with the triangles of gamuts."""

import numpy as np
from numpy.typing import NDArray

from ..colour.gamuts import GAMUTS
from ..planes import Matte, Planes

# What the scope shows of the plane: x and y from LEAST to MOST.
LEAST, MOST = -0.05, 0.9
# Darker light than this is mostly noise, and has no colour to speak of.
_DARK = 1e-3
# CIE 1931 2 degree observer, every 20 nm from 400 to 700: the colours of single wavelengths.
LOCUS = np.array(
    [
        [0.1733, 0.0048], [0.1714, 0.0051], [0.1644, 0.0109], [0.1440, 0.0297], [0.0913, 0.1327], [0.0454, 0.2950],
        [0.0082, 0.5384], [0.0139, 0.7502], [0.0743, 0.8338], [0.1547, 0.8059], [0.2296, 0.7543], [0.3016, 0.6923],
        [0.3731, 0.6245], [0.4441, 0.5547], [0.5125, 0.4866], [0.5752, 0.4242], [0.6270, 0.3725], [0.6658, 0.3340],
        [0.6915, 0.3083], [0.7079, 0.2920], [0.7190, 0.2809], [0.7260, 0.2740], [0.7347, 0.2653],
    ]
)  # fmt: skip

Points = NDArray[np.float64]


def chromaticities(planes: Planes, to_xyz: NDArray[np.float64], within: Matte | None = None) -> Points:
    """x and y (N, 2) of the lit pixels of scene-linear planes (3, H, W); `within` (H, W): where it covers by half."""
    pixels = planes.reshape(3, -1).astype(np.float64)
    covered = np.ones(pixels.shape[1], np.bool_) if within is None else within.ravel() >= 0.5
    xyz = to_xyz @ pixels[:, covered & np.isfinite(pixels).all(axis=0)]
    total = xyz.sum(axis=0)
    lit = (xyz[1] > _DARK) & (total > _DARK)
    return np.asarray((xyz[:2, lit] / total[lit]).T)


def draw_chromaticity(points: Points, size: int, gamuts: list[str]) -> NDArray[np.uint8]:
    """Points (N, 2) as a grey picture (size, size, 3): the more, the brighter; triangles of `gamuts`, thin."""
    edges = np.linspace(LEAST, MOST, size + 1)
    counts = np.histogram2d(points[:, 1], points[:, 0], bins=(edges, edges))[0][::-1]
    level = np.log1p(counts)
    picture = np.rint(level / level.max() * 235 if level.max() > 0 else level).astype(np.uint8)
    lines = np.zeros_like(picture)
    _outline(lines, LOCUS, 70)
    for index, name in enumerate(gamuts):
        _outline(lines, np.array(GAMUTS[name][:6]).reshape(3, 2), 165 - 45 * index)
    return np.repeat(np.maximum(picture, lines)[..., None], 3, axis=2)


def _outline(lines: NDArray[np.uint8], corners: Points, level: int) -> None:
    """Draw a closed line through chromaticities into a picture (size, size) of the scope."""
    size = lines.shape[0]
    share = np.linspace(0, 1, 2 * size)[:, None, None]
    along = corners * (1 - share) + np.roll(corners, -1, axis=0) * share
    places = np.rint((along - LEAST) / (MOST - LEAST) * (size - 1)).astype(np.int64).reshape(-1, 2)
    lines[size - 1 - places[:, 1], places[:, 0]] = level
