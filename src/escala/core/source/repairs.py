"""Repairs of a pass: each turns its planes into better ones and counts what it changed."""

from collections.abc import Callable
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from ..colour.gamuts import GAMUTS, gamut_matrix
from ..colour.matrix import apply_matrix
from ..colour.transfer import srgb_decode
from ..errors import ShapeError, choose
from ..planes import Planes, as_planes
from .fireflies import suppress_fireflies

Factor = tuple[float, float, float]
Repair = Callable[[Planes, Factor], tuple[Planes, int]]


def repair_planes(planes: Planes, how: str, factor: Factor = (1.0, 1.0, 1.0)) -> tuple[Planes, int]:
    """The planes (C, H, W) after a repair of REPAIRS, and how many pixels it changed. `factor`: for "scale" only."""
    return choose("repair", how, REPAIRS)(as_planes(planes), factor)


def _decode(planes: Planes, factor: Factor) -> tuple[Planes, int]:
    """Read display-encoded values (IEC 61966-2-1) as such."""
    return as_planes(srgb_decode(planes.astype(np.float64))), planes[0].size


def _fill(planes: Planes, factor: Factor) -> tuple[Planes, int]:
    """Values that are no numbers become the mean of the finite ones around them, from the rim of a hole inwards."""
    out = planes.copy()
    broken = ~np.isfinite(out)
    count = int(broken.any(axis=0).sum())
    for plane, hole in zip(out, broken, strict=True):
        _fill_plane(plane, hole)
    return out, count


def _fill_plane(plane: NDArray[np.float32], hole: NDArray[np.bool_]) -> None:
    if hole.all():
        plane[:] = 0.0
        return
    while hole.any():
        rows, columns = np.nonzero(hole)
        sums, counts = np.zeros(rows.size), np.zeros(rows.size)
        for dy, dx in ((-1, -1), (-1, 0), (-1, 1), (0, -1), (0, 1), (1, -1), (1, 0), (1, 1)):
            y, x = rows + dy, columns + dx
            inside = (y >= 0) & (y < plane.shape[0]) & (x >= 0) & (x < plane.shape[1])
            inside[inside] = ~hole[y[inside], x[inside]]
            sums[inside] += plane[y[inside], x[inside]]
            counts[inside] += 1
        known = counts > 0
        plane[rows[known], columns[known]] = sums[known] / counts[known]
        hole[rows[known], columns[known]] = False


def _fireflies(planes: Planes, factor: Factor) -> tuple[Planes, int]:
    return suppress_fireflies(planes)


def _reverse(planes: Planes, factor: Factor) -> tuple[Planes, int]:
    """Depth that falls with distance: highest and lowest finite value change places."""
    finite = planes[np.isfinite(planes)]
    span = float(finite.min()) + float(finite.max()) if finite.size else 0.0
    return np.asarray(np.float32(span) - planes, np.float32), planes[0].size


def _invert(planes: Planes, factor: Factor) -> tuple[Planes, int]:
    """One over distance becomes distance; 0 lies at infinity."""
    out = np.full_like(planes, np.inf)
    np.divide(np.float32(1.0), planes, out=out, where=planes != 0)
    return out, planes[0].size


def _scale(planes: Planes, factor: Factor) -> tuple[Planes, int]:
    factors = np.ones(planes.shape[0], np.float32)
    factors[:3] = factor[: min(3, planes.shape[0])]
    return np.asarray(planes * factors[:, None, None], np.float32), planes[0].size


def _primaries(source: str, target: str) -> Repair:
    """Light that was written in another gamut, brought to that of its companions."""
    matrix = as_planes(gamut_matrix(source, target))

    def repair(planes: Planes, factor: Factor) -> tuple[Planes, int]:
        if planes.shape[0] < 3:
            raise ShapeError(f"primaries belong to colour; a pass of {planes.shape[0]} channels has none")
        return np.concatenate([apply_matrix(planes[:3], matrix), planes[3:]]), planes[0].size

    return repair


def gamut_repair(source: str, target: str) -> str:
    """The name in REPAIRS of bringing a pass from one gamut of GAMUTS to another."""
    return f"{source} to {target}"


REPAIRS: dict[str, Repair] = {
    "decode": _decode,
    "fill": _fill,
    "fireflies": _fireflies,
    "reverse_depth": _reverse,
    "invert_depth": _invert,
    "scale": _scale,
    **{gamut_repair(a, b): _primaries(a, b) for a, b in permutations(GAMUTS, 2)},
}
# Each as a person would say it, for the page and the history.
REPAIR_WORDS = {
    "decode": "decoded from display (sRGB)",
    "fill": "NaN/Inf pixels filled from their neighbours",
    "fireflies": "fireflies suppressed",
    "reverse_depth": "depth reversed",
    "invert_depth": "depth read as inverse (1/z)",
    "scale": "times a factor",
    **{gamut_repair(a, b): f"primaries converted from {a} to {b}" for a, b in permutations(GAMUTS, 2)},
}
