"""Dark pictures lifted to be seen: by whole stops, so that the change is one number."""

from math import isfinite, log2

from ..balance.levels import MIDDLE_GREY

# The mean of a lifted picture lies a stop below grey, and none is lifted by more than this.
_WANTED_MEAN = MIDDLE_GREY / 2
MOST_LIFT = 12


def lift_of(mean: float) -> int:
    """The stops by which a picture of this mean luminance is lifted; 0 where it is bright enough, or nothing at all."""
    if not isfinite(mean) or mean <= 0.0:
        return 0
    return min(MOST_LIFT, max(0, round(log2(_WANTED_MEAN / mean))))
