"""Keys: values at frames, and how the stretches between them go."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from ..errors import choose

EASES = ("smooth", "straight", "step", "bezier")
OUTSIDE = ("hold", "repeat", "mirror", "slope")
# Halvings after which a place on a Bézier curve is known to the last bit.
_HALVINGS = 64
Handle = tuple[float, float]


@dataclass(frozen=True)
class Key:
    """A value at a frame. `ease`: of the stretch that begins here; `out`, `into`: handles of Bézier stretches.

    Handles are offsets in frames and value from the key; `into` belongs to the stretch that ends here.
    """

    frame: float
    value: float
    ease: str = "smooth"
    out: Handle = (0.0, 0.0)
    into: Handle = (0.0, 0.0)


def value_at(keys: Sequence[Key], frame: float, outside: str = "hold") -> float:
    """The value of keys, rising in their frames, at a frame.

    `outside`: before the first and after the last key "hold" their values, "repeat" the whole (whole turns show the
    first key), "mirror" it there and back, "slope" goes on straight. Raises `UnknownChoice`.
    """
    first, last = keys[0], keys[-1]
    beyond = choose("way outside", outside, dict(zip(OUTSIDE, OUTSIDE, strict=True)))
    if len(keys) == 1:
        return first.value
    length = last.frame - first.frame
    if beyond == "repeat" and not first.frame <= frame < last.frame:
        frame = first.frame + (frame - first.frame) % length
    elif beyond == "mirror" and not first.frame <= frame <= last.frame:
        along = (frame - first.frame) % (2 * length)
        frame = first.frame + min(along, 2 * length - along)
    elif frame < first.frame:
        return first.value + (_slope(keys, 0) * (frame - first.frame) if beyond == "slope" else 0.0)
    elif frame > last.frame:
        return last.value + (_slope(keys, len(keys) - 1) * (frame - last.frame) if beyond == "slope" else 0.0)
    index = max(i for i, key in enumerate(keys[:-1]) if key.frame <= frame)
    return _within(keys, index, frame)


def _within(keys: Sequence[Key], index: int, frame: float) -> float:
    """The value within the stretch from a key to the next."""
    here, there = keys[index], keys[index + 1]
    if frame == here.frame:
        return here.value
    if frame == there.frame:
        return there.value
    length, rise = there.frame - here.frame, there.value - here.value
    share = (frame - here.frame) / length
    ease = choose("ease", here.ease, dict(zip(EASES, EASES, strict=True)))
    if ease == "step":
        return here.value
    if ease == "straight":
        return here.value + share * rise
    if ease == "bezier":
        return _bezier(here, there, frame)
    run = _run_of(keys, index)
    if len(run) == 2:
        return here.value + smoothstep(share) * rise
    slopes = pchip_slopes([key.frame for key in run], [key.value for key in run])
    at = run.index(here)
    return _hermite(share, length, here.value, there.value, slopes[at], slopes[at + 1])


def smoothstep(share: float) -> float:
    """3·t² − 2·t³ for t from 0 to 1."""
    return share * share * (3.0 - 2.0 * share)


def _run_of(keys: Sequence[Key], index: int) -> list[Key]:
    """The keys of the smooth stretches that follow one another around a stretch."""
    first = index
    while first > 0 and keys[first - 1].ease == "smooth":
        first -= 1
    last = index + 1
    while last < len(keys) - 1 and keys[last].ease == "smooth":
        last += 1
    return list(keys[first : last + 1])


def pchip_slopes(x: Sequence[float], y: Sequence[float]) -> list[float]:
    """Slopes at three or more points (Fritsch and Butland 1984), at the ends by Moler's three-point formula."""
    steps = [b - a for a, b in pairwise(x)]
    rates = [(b - a) / step for (a, b), step in zip(pairwise(y), steps, strict=True)]
    slopes = [_end_slope(steps[0], steps[1], rates[0], rates[1])]
    for (before, after), (left, right) in zip(pairwise(rates), pairwise(steps), strict=True):
        if before * after <= 0:
            slopes.append(0.0)
            continue
        w1, w2 = 2 * right + left, right + 2 * left
        slopes.append((w1 + w2) / (w1 / before + w2 / after))
    return [*slopes, _end_slope(steps[-1], steps[-2], rates[-1], rates[-2])]


def _end_slope(near: float, far: float, near_rate: float, far_rate: float) -> float:
    slope = ((2 * near + far) * near_rate - near * far_rate) / (near + far)
    if slope * near_rate <= 0:
        return 0.0
    if near_rate * far_rate <= 0 and abs(slope) > 3 * abs(near_rate):
        return 3 * near_rate
    return slope


def _hermite(share: float, length: float, start: float, end: float, leaving: float, arriving: float) -> float:
    """A cubic between two values with two slopes."""
    rest = 1.0 - share
    return (
        rest * rest * (1 + 2 * share) * start
        + share * share * (3 - 2 * share) * end
        + length * share * rest * (rest * leaving - share * arriving)
    )


def _bezier(here: Key, there: Key, frame: float) -> float:
    """A cubic Bézier stretch; the frames of its handles are clipped to the stretch, so that it goes only forwards."""
    length = there.frame - here.frame
    x = 0.0, min(max(here.out[0], 0.0), length), length + min(max(there.into[0], -length), 0.0), length
    y = here.value, here.value + here.out[1], there.value + there.into[1], there.value
    low, high, wanted = 0.0, 1.0, frame - here.frame
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if _cubic(x, middle) < wanted else (low, middle)
    return _cubic(y, 0.5 * (low + high))


def _cubic(points: tuple[float, float, float, float], t: float) -> float:
    rest = 1.0 - t
    return rest * rest * rest * points[0] + 3 * rest * t * (rest * points[1] + t * points[2]) + t * t * t * points[3]


def _slope(keys: Sequence[Key], index: int) -> float:
    """How the value goes on beyond the first or last key, in value per frame."""
    stretch = min(index, len(keys) - 2)
    here, there = keys[stretch], keys[stretch + 1]
    if here.ease == "straight":
        return (there.value - here.value) / (there.frame - here.frame)
    if here.ease == "bezier":
        across, up = here.out if index == 0 else there.into
        return up / across if across else 0.0
    run = _run_of(keys, stretch)
    if here.ease == "step" or len(run) == 2:
        return 0.0
    return pchip_slopes([key.frame for key in run], [key.value for key in run])[0 if index == 0 else -1]
