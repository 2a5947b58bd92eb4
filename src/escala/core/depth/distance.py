"""From what a depth pass holds to distances: scene units that grow away from the camera, infinite where nothing is."""

import numpy as np

from ..errors import choose
from ..kernels import kernel, prange
from ..planes import Planes, as_planes

# From here on a depth says that nothing is there.
NOTHING = 1e9


def distance_of(
    depth: Planes,
    alpha: Planes | None,
    kind: str,
    near: float = 0.0,
    far: float = 1.0,
    scale: float = 1.0,
) -> Planes:
    """Distances, (H, W), in scene units; infinite where alpha is 0, or depth is not finite, 0 or less, or `NOTHING`.

    `kind`: "planar" (along the camera's axis) or "ray" (from its eye), times `scale`; "inverse": one over that; "unit":
    0..1 between `near` and `far`, reversed when near > far. Raises `UnknownChoice`.
    """
    scaled = 0.0, scale
    lines = {"planar": scaled, "ray": scaled, "inverse": scaled, "unit": (near, far - near)}
    at_zero, slope = choose("depth", kind, lines)
    values = as_planes(depth)
    cover = np.ones((1, 1), np.float32) if alpha is None else as_planes(alpha)
    out = np.empty_like(values)
    _read(values, cover, np.float32(at_zero), np.float32(slope), kind == "inverse", out)
    return out


@kernel
def _read(values, alpha, at_zero, slope, is_inverse, out):  # type: ignore[no-untyped-def]
    """One alpha is everywhere."""
    height, width = values.shape
    one, nothing, is_everywhere = np.float32(1.0), np.float32(np.inf), alpha.size == 1
    for line in prange(height):
        y = np.int64(line)
        cover = alpha[0 if is_everywhere else y]
        for x in range(width):
            value = values[y, x]
            read = at_zero + value * slope
            distance = one / read if is_inverse else read
            is_seen = (cover[0] if is_everywhere else cover[x]) > 0
            is_there = is_seen and value > 0 and value < NOTHING and distance > 0 and distance < nothing
            out[y, x] = distance if is_there else nothing


def axial_of_ray(distance: Planes, x: Planes, y: Planes, slope: tuple[float, float]) -> Planes:
    """Distances along the camera's axis of distances from its eye.

    `x`, `y`: places of the pixels, -1..1 over the width and the height of the frame; `slope`: half of its width and of
    its height at a distance of one. The picture of a pinhole: the ray through (x, y) is (x·slope, y·slope, 1).
    """
    length = np.sqrt(1.0 + (x * slope[0]) ** 2 + (y * slope[1]) ** 2)
    return np.asarray(distance / length, np.float32)
