"""Terms combined in order, each by its operator: a plain sum in one pass over memory, other operators in turn."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..balance.mixing import mix_planes
from ..errors import choose
from ..planes import Matte, Planes

Gain = NDArray[np.float32]
Fold = Callable[[Planes, Planes, Gain, Matte | None], Planes]

SUMMED = {"add": np.float32(1.0), "subtract": np.float32(-1.0)}


@dataclass(frozen=True)
class Folded:
    """A term ready to be put on the sum before it: picture (3, H, W), operator, gain (3,), alpha (H, W) for `over`."""

    planes: Planes
    operator: str
    gain: Gain
    alpha: Matte | None = None


def fold_terms(terms: Sequence[Folded], base: Planes | None = None) -> Planes:
    """All terms in order, on `base` or on black. Neighbours that are added or subtracted are summed in one go."""
    total, run = base, list[Folded]()
    for term in terms:
        if term.operator in SUMMED:
            run.append(term)
            continue
        total = _summed(run, total, term.planes)
        run = []
        fold = choose("operator", term.operator, FOLDS)
        total = fold(total, term.planes, term.gain[:, None, None], term.alpha)
    if run or total is None:
        total = _summed(run, total, run[0].planes)
    return total


def fold_bounds(terms: Sequence[Folded], magnitudes: Sequence[Planes]) -> Planes:
    """How far rounding may carry the whole, (3, H, W), when it may carry term i by `magnitudes[i]`."""
    bound = np.zeros_like(terms[0].planes)
    total: Planes | None = None
    for term, magnitude in zip(terms, magnitudes, strict=True):
        if term.operator == "multiply" and total is not None:
            bound = np.asarray(bound * np.abs(term.planes) + np.abs(total) * magnitude, np.float32)
        else:
            bound = bound + magnitude
        total = fold_terms([term], total)
    return bound


def _summed(run: Sequence[Folded], base: Planes | None, like: Planes) -> Planes:
    if not run:
        return np.zeros_like(like) if base is None else base
    gains = np.array([term.gain * SUMMED[term.operator] for term in run], np.float32)
    return mix_planes([term.planes for term in run], gains, base)


def _multiply(total: Planes, planes: Planes, gain: Gain, alpha: Matte | None) -> Planes:
    """`total (1 - k (1 - m))`: the gain is the strength k, 0 changes nothing."""
    one = np.float32(1.0)
    return np.asarray(total * (one - gain * (one - planes)), np.float32)


def _screen(total: Planes, planes: Planes, gain: Gain, alpha: Matte | None) -> Planes:
    """`1 - (1 - a)(1 - b)`, written so that nothing is lost where both are large."""
    top = planes * gain
    return np.asarray(total + top - total * top, np.float32)


def _over(total: Planes, planes: Planes, gain: Gain, alpha: Matte | None) -> Planes:
    """An associated picture over what came before; without an alpha it is opaque where it holds light."""
    covered = alpha if alpha is not None else (planes.max(axis=0) > 0).astype(np.float32)
    return np.asarray(planes * gain + total * (np.float32(1.0) - covered), np.float32)


# What a term does to the sum before it. `add` and `subtract` stand in SUMMED: they need no turn of their own.
FOLDS: dict[str, Fold] = {"multiply": _multiply, "screen": _screen, "over": _over}
OPERATORS = (*SUMMED, *FOLDS)
