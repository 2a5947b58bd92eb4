"""Haze: what is left of light over a distance, and the light that the air itself adds."""

from collections.abc import Sequence

import numpy as np

from ..corrections.powers import exp2_row, whole_row
from ..kernels import kernel, prange
from ..planes import Matte, Planes, as_colour, as_planes


def transmittance(distance: Planes, density: float, start: float, share: Matte | None = None) -> Matte:
    """`e^(-density · max(0, distance - start) · share)`, (H, W); 1 everywhere where the density is 0.

    `density`: per scene unit. `share`: how dense the air is at each pixel, as `height_share`; nothing (an infinite
    distance) lets nothing through.
    """
    far = as_planes(distance)
    if density == 0:
        return np.ones_like(far)
    out = np.empty_like(far)
    everywhere = np.ones((1, 1), np.float32) if share is None else as_planes(share)
    _dim(far, np.float32(start), np.float32(density * np.log2(np.e)), everywhere, out)
    return out


@kernel
def _dim(distance, start, density, share, out):  # type: ignore[no-untyped-def]
    """One share is everywhere."""
    height, width = distance.shape
    none, is_even = np.float32(0.0), share.size == 1
    for line in prange(height):
        y = np.int64(line)
        power, room = np.zeros(whole_row(width), np.float32), np.empty(whole_row(width), np.float32)
        far, dense = distance[y], share[0 if is_even else y]
        for x in range(width):
            power[x] = -max(far[x] - start, none) * density * (dense[0] if is_even else dense[x])
        exp2_row(power, room, room.view(np.int32))
        for x in range(width):
            out[y, x] = power[x] if np.isfinite(far[x]) else none


def height_share(places: Planes, base: float, thickness: float, up: Sequence[float]) -> Matte:
    """`e^(-max(0, p · up - base) / thickness)`, (H, W), of places (3, H, W) in scene units."""
    height = sum(np.float32(u) * plane for u, plane in zip(up, places, strict=True))
    above = np.maximum(np.asarray(height) - np.float32(base), np.float32(0.0))
    return np.asarray(np.exp(-above / np.float32(thickness)), np.float32)


def lay_haze(planes: Planes, through: Matte, cover: Matte, colour: Sequence[float], matte: Matte | None) -> Planes:
    """`in · T + cover · colour · (1 - T)`, (3, H, W), as far as the matte says; whole where it is None or 1."""
    light = as_colour(planes)
    out = np.empty_like(light)
    everywhere = np.ones((1, 1), np.float32) if matte is None else as_planes(matte)
    tint, is_limited = np.array(colour, np.float32), matte is not None
    _lay(light, as_planes(through), as_planes(cover), tint, everywhere, is_limited, out)
    return out


@kernel
def _lay(light, through, cover, tint, matte, is_limited, out):  # type: ignore[no-untyped-def]
    channels, height, width = light.shape
    one = np.float32(1.0)
    for line in prange(height):
        y = np.int64(line)
        for k in range(channels):
            if not is_limited:
                for x in range(width):
                    air = cover[y, x] * (one - through[y, x])
                    out[k, y, x] = light[k, y, x] * through[y, x] + tint[k] * air
            else:
                for x in range(width):
                    air = matte[y, x] * cover[y, x] * (one - through[y, x])
                    out[k, y, x] = light[k, y, x] * (one + matte[y, x] * (through[y, x] - one)) + tint[k] * air
