"""What a depth pass measures: detected from positions where there are any, else from its values and name."""

import re

import numpy as np
from numpy.typing import NDArray

from ..planes import Planes
from .distance import NOTHING

# A fit that leaves less than this of the values' spread is no accident.
_FITS = 2e-3
_FEWEST = 64
_INVERSE = re.compile(r"inv|disparity|reciprocal", re.IGNORECASE)


def detect_depth_type(name: str, depth: Planes, places: Planes | None) -> tuple[str, str]:
    """The kind of a depth pass, (H, W), as `distance_of` names them, and why. `places`: positions, (3, H, W)."""
    there = np.isfinite(depth) & (depth > 0) & (depth < NOTHING)
    if places is not None:
        there &= np.isfinite(places).all(axis=0)
        fitted = _kind_by_places(depth[there].astype(np.float64), places[:, there].T.astype(np.float64))
        if fitted is not None:
            return fitted
    values = depth[there]
    if _INVERSE.search(name):
        return "inverse", f"its name, {name}, indicates inverse depth"
    if values.size and float(values.max()) <= 1.0 and np.unique(values).size > 1:
        return "unit", "no value is above 1: normalised depth"
    return (
        "planar",
        "its values are distances; without a position pass planar is assumed",
    )


def _kind_by_places(values: NDArray[np.float64], places: NDArray[np.float64]) -> tuple[str, str] | None:
    if values.size < _FEWEST or values.std() < 1e-6 * values.mean():
        return None
    found = {
        "planar": (_left_of_plane(values, places), "it is linear along one axis of the position pass"),
        "ray": (_left_of_sphere(values, places), "it is the distance of the position pass from one point"),
        "inverse": (_left_of_plane(1.0 / values, places), "one over it is linear along one axis of the position pass"),
    }
    kind = min(found, key=lambda name: found[name][0])
    if found[kind][0] > _FITS:
        return None
    if kind == "planar" and values.max() <= 1.0:
        return "unit", "it is linear along one axis of the position pass, and no value is above 1"
    return kind, found[kind][1]


def _left_of_plane(values: NDArray[np.float64], places: NDArray[np.float64]) -> float:
    """How much of values is no affine function of places, against their spread."""
    return _left_over(np.column_stack([places, np.ones(len(places))]), values)


def _left_of_sphere(values: NDArray[np.float64], places: NDArray[np.float64]) -> float:
    """How much of values is no distance from one place: p·p = s²·v² + 2·o·p - o·o is linear in s², o and o·o."""
    return _left_over(np.column_stack([values**2, places, np.ones(len(places))]), (places**2).sum(axis=1))


def _left_over(columns: NDArray[np.float64], wanted: NDArray[np.float64]) -> float:
    solved = np.linalg.lstsq(columns, wanted, rcond=None)[0]
    return float((wanted - columns @ solved).std() / max(wanted.std(), 1e-12))
