"""Defocus and motion blur in a preview: worked out at half the size, laid over what stays sharp at its own."""

from collections.abc import Callable

import numpy as np

from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour
from ..viewer.pyramid import halve_box
from .blocks import COARSE_BLOCKS
from .defocus import DISC, defocus
from .footprints import Opening
from .motion import motion_blur

# Where nothing goes farther it is not worth it.
_LEAST_REACH = 3.0


def defocus_coarsely(
    planes: Planes, alpha: Planes | None, radius: Planes, opening: Opening = DISC, origin: tuple[int, int] = (0, 0)
) -> tuple[Planes, Matte | None]:
    """As `defocus`, about four times as fast: what is blurred is half as fine, what is not touched stays to the bit."""
    if float(np.abs(radius).max()) < _LEAST_REACH:
        return defocus(planes, alpha, radius, opening, origin)

    def blurred(colour: Planes, cover: Planes | None, start: tuple[int, int]) -> tuple[Planes, Matte | None]:
        return defocus(colour, cover, _every_second(radius), opening, start, COARSE_BLOCKS)

    return _at_half(planes, alpha, origin, np.abs(radius), blurred)


def motion_blur_coarsely(
    planes: Planes,
    alpha: Planes | None,
    vectors: Planes,
    distance: Planes | None,
    times: tuple[float, float],
    origin: tuple[int, int] = (0, 0),
) -> tuple[Planes, Matte | None]:
    """As `motion_blur`, so much faster."""
    way = np.hypot(vectors[0], vectors[1]) * np.float32(times[1] - times[0])
    way = np.where(np.isfinite(way), way, np.float32(0.0))
    if float(way.max()) < 2 * _LEAST_REACH:
        return motion_blur(planes, alpha, vectors, distance, times, origin)

    def blurred(colour: Planes, cover: Planes | None, start: tuple[int, int]) -> tuple[Planes, Matte | None]:
        far = None if distance is None else np.ascontiguousarray(distance[::2, ::2])
        return motion_blur(colour, cover, _every_second(vectors), far, times, start)

    return _at_half(planes, alpha, origin, np.asarray(way * np.float32(0.5)), blurred)


Blurred = Callable[[Planes, "Planes | None", tuple[int, int]], "tuple[Planes, Matte | None]"]


def _at_half(
    planes: Planes, alpha: Planes | None, origin: tuple[int, int], size: Planes, blurred: Blurred
) -> tuple[Planes, Matte | None]:
    """A picture blurred at half its size, over what stays sharp; `size`: how far each pixel goes to each side."""
    colour = as_colour(planes)
    whole = colour if alpha is None else np.concatenate([colour, alpha[None]])
    small = np.stack([halve_box(np.ascontiguousarray(plane)) for plane in whole])
    start = origin[0] // 2, origin[1] // 2
    light, cover = blurred(small[:3], None if alpha is None else small[3], start)
    after = light if cover is None else np.concatenate([light, cover[None]])
    out = np.empty_like(whole)
    _lay_over(whole, small, after, size, out)
    return out[:3], None if alpha is None else out[3]


def _every_second(planes: Planes) -> Planes:
    """Lengths in pixels at every second pixel, in those of a picture half as large."""
    return np.ascontiguousarray(planes[..., ::2, ::2]) * np.float32(0.5)


@kernel
def _lay_over(whole, before, after, size, out):  # type: ignore[no-untyped-def]
    """The coarse picture between its pixels where it changed, or the disc is larger than a pixel; else the fine one."""
    channels, height, width = whole.shape
    rows, columns = before.shape[1:]
    for line in prange(height):
        y = np.int64(line)
        above = min(max((y - 1) // 2, 0), rows - 1)
        below = min(above + 1, rows - 1) if y > 0 else above
        down = np.float32(0.75 if y % 2 == 0 else 0.25)
        touched = np.empty(width, np.bool_)
        for x in range(width):
            touched[x] = size[y, x] > 1.0
        for k in range(channels):
            for x in range(width):
                touched[x] |= after[k, y // 2, x // 2] != before[k, y // 2, x // 2]
        between = np.empty(columns + 2, np.float32)
        for k in range(channels):
            for column in range(columns):
                one, other = after[k, above, column], after[k, below, column]
                between[column + 1] = one + down * (other - one)
            between[0], between[columns + 1] = between[1], between[columns]
            # Each coarse pixel is two fine ones: one nearer to its left neighbour, one to its right.
            for x in range(width):
                place = x // 2 + 1
                own, beside = between[place], between[place - 1 + 2 * (x % 2)]
                coarse = own + np.float32(0.25) * (beside - own)
                out[k, y, x] = coarse if touched[x] else whole[k, y, x]
