"""What a pass is by its numbers, where its name says nothing: guesses, each with its reason."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..planes import Planes
from ..roles import PassRole, Role

# How sure a guess by values is.
GUESSED = 0.5
_UNIT = (0.98, 1.02)
_NEAR_UNIT = 0.9
_MOST_IDS = 65_536
_FEWEST_DEPTHS = 64
_BEYOND = 1e9
_FEWEST_PIXELS = 64


def guess_by_values(planes: Planes, letters: Sequence[str] = ()) -> PassRole | None:
    """The role of a pass from some of its rows, (C, rows, W), one beside the other; None where they tell nothing.

    Normals are of unit length, positions smooth and of both signs, one channel that grows beyond 1 is depth, whole
    numbers are ids, and what is 0 or 1 but at edges is a mask. `letters`: the channels; X, Y and Z are a vector, which
    is a normal where no length is above 1, else a position.
    """
    if planes[0].size < _FEWEST_PIXELS:
        return None
    if planes.shape[0] >= 3 and [letter.upper() for letter in letters[:3]] == ["X", "Y", "Z"]:
        found = _of_vectors(planes[:3])
    else:
        found = _of_one_channel(planes[0]) if planes.shape[0] == 1 else _of_three(planes[:3])
    return PassRole(found[0], sure=GUESSED, reason=f"a guess: {found[1]}") if found else None


Guess = tuple[Role, str] | None


def _of_vectors(planes: Planes) -> Guess:
    """Antialiased normals are shorter than 1 at edges, and 0 where nothing is."""
    finite = np.isfinite(planes).all(axis=0)
    length = np.sqrt((planes[:, finite].astype(np.float64) ** 2).sum(axis=0))
    there = length[length > 1e-3]
    if there.size < _FEWEST_PIXELS:
        return None
    if there.max() <= _UNIT[1]:
        near = float((there > _NEAR_UNIT).mean())
        return (Role.NORMAL, "its channels X, Y and Z have length 1, less at edges") if near > 0.5 else None
    return Role.POSITION, "its channels X, Y and Z exceed length 1"


def _of_three(planes: Planes) -> Guess:
    if planes.shape[0] != 3:
        return None
    finite = np.isfinite(planes).all(axis=0)
    values = planes[:, finite].astype(np.float64)
    length = np.sqrt((values**2).sum(axis=0))
    there = length > 1e-3
    if there.sum() < _FEWEST_PIXELS:
        return None
    seen, signs = values[:, there], (values[:, there] < -1e-3).any(axis=0).mean()
    unit = ((length[there] > _UNIT[0]) & (length[there] < _UNIT[1])).mean()
    if unit > 0.95 and signs > 0.05 and seen.std(axis=1).max() > 0.05:
        return Role.NORMAL, "its three channels have length 1"
    if signs > 0.01 and np.abs(seen).max() > 2.0 and _is_smooth(planes):
        return Role.POSITION, "its three channels are smooth and of both signs, as positions are"
    return None


def _of_one_channel(plane: Planes) -> Guess:
    values = plane[np.isfinite(plane)].astype(np.float64)
    near = values[np.abs(values) < _BEYOND]
    if near.size < _FEWEST_PIXELS or near.max() <= 0 or near.min() < 0:
        return None
    ends = (np.isclose(near, 0.0, atol=1e-3) | np.isclose(near, 1.0, atol=1e-3)).mean()
    if near.max() <= 1.001:
        has_both = near.min() < 0.01 and near.max() > 0.99
        return (Role.MASK, "it is 0 or 1 except at edges") if ends > 0.9 and has_both else None
    kinds = np.unique(near)
    if kinds.size < _MOST_IDS and (near == np.rint(near)).all():
        return (Role.ID, f"it holds {kinds.size} integers") if kinds.size > 1 else None
    if kinds.size >= _FEWEST_DEPTHS and _is_smooth(plane[None]):
        return Role.DEPTH, "one channel with smooth values beyond 1, as distance has"
    return None


def _is_smooth(planes: Planes) -> bool:
    """Whether neighbours differ little of the whole range, but at edges."""
    near: NDArray[np.float64] = np.where(np.abs(planes) < _BEYOND, planes, np.nan).astype(np.float64)
    if not np.isfinite(near).any():
        return False
    low, high = np.nanpercentile(near, (2, 98))
    steps = np.abs(np.diff(near, axis=-1))
    return bool(high > low and np.nanmedian(steps) < 0.02 * (high - low))
