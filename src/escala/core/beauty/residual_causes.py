"""Why a sum is not the beauty: the likely causes, each with how much of the difference it explains.

All comparisons are made on sampled pixels. A cause is tried as the user's mistake would have made it, and what it
leaves of the difference is measured; the one that leaves least is named first.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..colour.gamuts import GAMUTS, gamut_matrix
from ..colour.transfer import srgb_decode, srgb_encode
from ..planes import Planes
from .proof import constant_factor

# A cause is worth naming when it explains this share of the difference's energy.
WORTH_NAMING = 0.5
# A difference is on one side when so little of its energy lies on the other.
_ONE_SIDED = 0.01
_NEAR_ONE = (0.8, 1.25)


@dataclass(frozen=True)
class Cause:
    """A likely cause: its code, a sentence, the share of the difference that it explains (0..1), and what it concerns.

    `subject` is the pass or gamut that it names; `numbers` the factor per channel where there is one. `is_whole`:
    undoing it takes no more than that; a pass that is missing by a part only is not repaired by adding all of it.
    """

    code: str
    message: str
    explained: float
    subject: str | None = None
    numbers: tuple[float, ...] = ()
    is_whole: bool = True


# From here on a cause explains the difference whole, but for rounding.
_ALL = 0.9995


def find_causes(
    beauty: Planes,
    rebuilt: Planes,
    unused: Mapping[str, Planes],
    used: Mapping[str, Planes],
) -> list[Cause]:
    """The causes worth naming, the most telling first. All pictures (3, 1, N) at the same places.

    `unused`: passes of light or surface that the recipe leaves out; `used`: those in it.
    """
    everything = np.concatenate([beauty, rebuilt, *unused.values(), *used.values()])
    finite: NDArray[np.bool_] = np.asarray(np.isfinite(everything).all(axis=0))
    if not finite.any():
        return []
    b, s = _cut(beauty, finite), _cut(rebuilt, finite)
    explain = _explainer(b, s)
    terms = {name: _cut(planes, finite) for name, planes in used.items()}
    causes = [
        *_missing(b - s, {name: _cut(planes, finite) for name, planes in unused.items()}),
        *_twice(b - s, terms),
        *_factor(b, s, explain),
        *_gamut(s, explain),
        *_display(b, s, list(terms.values()), explain),
    ]
    named = sorted((c for c in causes if c.explained >= WORTH_NAMING), key=lambda c: -c.explained)
    if named and named[0].explained >= _ALL:
        return [cause for cause in named if cause.explained >= _ALL]  # beside it a weaker one only misleads
    return named or _one_sided(b - s)


def _cut(planes: Planes, places: NDArray[np.bool_]) -> NDArray[np.float64]:
    return planes[:, places].astype(np.float64)


Explain = Callable[[NDArray[np.float64]], float]


def _explainer(beauty: NDArray[np.float64], rebuilt: NDArray[np.float64]) -> Explain:
    """How much of the difference is gone when the sum is replaced by another picture: 1 - left / before."""
    before = float(((beauty - rebuilt) ** 2).sum())

    def explain(instead: NDArray[np.float64]) -> float:
        left = float(((beauty - instead) ** 2).sum())
        return 1.0 - left / before if before > 0 else 0.0

    return explain


def _coefficient(difference: NDArray[np.float64], planes: NDArray[np.float64]) -> float:
    energy = float((planes * planes).sum())
    return float((difference * planes).sum()) / energy if energy > 0 else 0.0


def _missing(difference: NDArray[np.float64], unused: Mapping[str, NDArray[np.float64]]) -> list[Cause]:
    found = []
    for name, planes in unused.items():
        weight = _coefficient(difference, planes)
        if weight <= 0:
            continue
        explained = _explained_by(difference, planes, weight)
        whole = _NEAR_ONE[0] <= weight <= _NEAR_ONE[1]
        how = "" if whole else f" times {weight:.3g}"
        text = f"{name}{how} is missing from the sum: it explains {explained:.0%} of the difference."
        found.append(Cause("missing_term", text, explained if whole else explained * 0.9, name, (weight,), whole))
    return found


def _twice(difference: NDArray[np.float64], used: Mapping[str, NDArray[np.float64]]) -> list[Cause]:
    found = []
    for name, planes in used.items():
        weight = _coefficient(difference, planes)
        if not _NEAR_ONE[0] <= -weight <= _NEAR_ONE[1]:
            continue
        explained = _explained_by(difference, planes, weight)
        text = f"{name} is counted twice: another pass of the sum already contains it."
        found.append(Cause("counted_twice", text, explained, name, (weight,)))
    return found


def _explained_by(difference: NDArray[np.float64], planes: NDArray[np.float64], weight: float) -> float:
    before = float((difference**2).sum())
    return 1.0 - float(((difference - weight * planes) ** 2).sum()) / before if before > 0 else 0.0


def _one_sided(difference: NDArray[np.float64]) -> list[Cause]:
    """No known cause explains it, but the sum is on one side of the beauty everywhere."""
    over, under = (float((np.maximum(sign * difference, 0) ** 2).sum()) for sign in (-1, 1))
    total = over + under
    if total <= 0 or min(over, under) > _ONE_SIDED * total:
        return []
    if under > over:
        text = (
            "The sum is darker than the beauty wherever they differ: a component has no pass (typically transmission, "
            "subsurface, volume, emission or environment). The residual holds its light."
        )
        return [Cause("not_rendered", text, under / total)]
    text = "The sum is brighter than the beauty everywhere it differs: something is counted twice."
    return [Cause("too_bright", text, over / total)]


def _factor(beauty: NDArray[np.float64], rebuilt: NDArray[np.float64], explain: Explain) -> list[Cause]:
    factor = constant_factor(beauty[:, None].astype(np.float32), rebuilt[:, None].astype(np.float32))
    if np.allclose(factor, 1.0, atol=2e-3):
        return []
    shown = ", ".join(f"{value:.4g}" for value in factor)
    what = "an exposure" if np.ptp(factor) < 0.01 * factor.max() else "a white balance"
    text = f"The beauty is the sum times {shown}: {what} was baked into the beauty only."
    return [Cause("constant_factor", text, explain(rebuilt * factor[:, None]), None, tuple(float(f) for f in factor))]


def _gamut(rebuilt: NDArray[np.float64], explain: Explain) -> list[Cause]:
    found = []
    for source in GAMUTS:
        for target in GAMUTS:
            if source == target:
                continue
            explained = explain(gamut_matrix(source, target) @ rebuilt)
            text = (
                f"The beauty is the sum converted from {source} to {target}: the passes and the beauty were written in "
                "different colour spaces."
            )
            found.append(Cause("wrong_colour_space", text, explained, f"{source} to {target}"))
    return [max(found, key=lambda cause: cause.explained)]


def _display(
    beauty: NDArray[np.float64], rebuilt: NDArray[np.float64], terms: list[NDArray[np.float64]], explain: Explain
) -> list[Cause]:
    """A display transform, a clamp, or screen instead of addition."""
    text = "The beauty is display-encoded, the passes are not. Decode it."
    found = [Cause("encoded_beauty", text, explain(srgb_encode(rebuilt)))]
    if terms:
        text = "The passes are display-encoded, the beauty is not. Decode them."
        found.append(Cause("encoded_passes", text, explain(np.sum([srgb_decode(p) for p in terms], axis=0))))
        text = "The beauty is a screen blend of the passes, not their sum."
        found.append(Cause("screened", text, explain(_screened(terms))))
    if float(beauty.max()) <= 1.0 + 1e-3 and float(rebuilt.max()) > 1.01:
        text = "The beauty is clipped at 1, as a display image is; the passes still hold the highlights."
        found.append(Cause("clamped_beauty", text, explain(np.minimum(rebuilt, 1.0))))
    return found


def _screened(terms: Sequence[NDArray[np.float64]]) -> NDArray[np.float64]:
    total = terms[0]
    for planes in terms[1:]:
        total = total + planes - total * planes
    return total
