"""Keys: values at frames, and how the stretches between them go."""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby, pairwise

from ..errors import choose
from .pchip import pchip_slopes

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


class Keys:
    """Keys, rising in their frames, and what goes on outside of them.

    `outside`: before the first and after the last key "hold" their values, "repeat" the whole (whole turns show the
    first key), "mirror" it there and back, "slope" goes on straight. Raises `UnknownChoice`.
    """

    def __init__(self, keys: Sequence[Key], outside: str = "hold") -> None:
        self._outside = choose("way outside", outside, dict(zip(OUTSIDE, OUTSIDE, strict=True)))
        for key in keys:
            choose("ease", key.ease, dict(zip(EASES, EASES, strict=True)))
        self._keys = tuple(keys)
        self._frames = [key.frame for key in keys]
        self._slopes = _slopes_of_runs(self._keys)
        # What a frame within a stretch needs, at one access: this is read for each curve of each frame.
        self._stretches = [
            (here.frame, there.frame, here.value, there.value, here.ease, self._slopes.get(index))
            for index, (here, there) in enumerate(pairwise(self._keys))
        ]

    def at(self, frame: float) -> float:
        """The value at a frame."""
        first, last = self._keys[0], self._keys[-1]
        if len(self._keys) == 1:
            return first.value
        length = last.frame - first.frame
        if self._outside == "repeat" and not first.frame <= frame < last.frame:
            frame = first.frame + (frame - first.frame) % length
        elif self._outside == "mirror" and not first.frame <= frame <= last.frame:
            along = (frame - first.frame) % (2 * length)
            frame = first.frame + min(along, 2 * length - along)
        elif frame < first.frame:
            return first.value + (self._slope_before() * (frame - first.frame) if self._outside == "slope" else 0.0)
        elif frame > last.frame:
            return last.value + (self._slope_after() * (frame - last.frame) if self._outside == "slope" else 0.0)
        return self._within(min(bisect_right(self._frames, frame), len(self._keys) - 1) - 1, frame)

    def _within(self, index: int, frame: float) -> float:
        """The value within the stretch from a key to the next."""
        start, end, value, target, ease, slopes = self._stretches[index]
        if frame == start:
            return value
        if frame == end:
            return target
        share = (frame - start) / (end - start)
        if slopes is not None:
            return _hermite(share, end - start, value, target, *slopes)
        if ease == "smooth":
            return value + smoothstep(share) * (target - value)
        if ease == "step":
            return value
        if ease == "straight":
            return value + share * (target - value)
        return _bezier(self._keys[index], self._keys[index + 1], frame)

    def _slope_before(self) -> float:
        """How the value goes on before the first key, in value per frame."""
        here, there = self._keys[:2]
        if here.ease == "bezier":
            return here.out[1] / here.out[0] if here.out[0] else 0.0
        return (there.value - here.value) / (there.frame - here.frame) if here.ease == "straight" else self._slope(0, 0)

    def _slope_after(self) -> float:
        """How the value goes on after the last key, in value per frame."""
        here, there = self._keys[-2:]
        if here.ease == "bezier":
            return there.into[1] / there.into[0] if there.into[0] else 0.0
        if here.ease == "straight":
            return (there.value - here.value) / (there.frame - here.frame)
        return self._slope(len(self._keys) - 2, 1)

    def _slope(self, index: int, end: int) -> float:
        """The slope at the start (`end` 0) or end (1) of a smooth stretch, 0 where it stands alone."""
        return self._slopes.get(index, (0.0, 0.0))[end]


def _slopes_of_runs(keys: Sequence[Key]) -> dict[int, tuple[float, float]]:
    """The slopes at both ends of each smooth stretch with a smooth neighbour, by the index of its first key."""
    found: dict[int, tuple[float, float]] = {}
    first = 0
    for smooth, stretches in groupby(keys[:-1], lambda key: key.ease == "smooth"):
        end = first + len(list(stretches))
        if smooth and end - first > 1:
            run = keys[first : end + 1]
            slopes = pchip_slopes([key.frame for key in run], [key.value for key in run])
            found.update(enumerate(pairwise(slopes), first))
        first = end
    return found


def smoothstep(share: float) -> float:
    """3·t² − 2·t³ for t from 0 to 1."""
    return share * share * (3.0 - 2.0 * share)


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
