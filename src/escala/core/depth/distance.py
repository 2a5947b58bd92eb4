"""From what a depth pass holds to distances: scene units that grow away from the camera, infinite where nothing is."""

import numpy as np

from ..errors import choose
from ..planes import Planes, as_planes

# From here on a depth says that nothing is there.
NOTHING = 1e9


def _planar(depth: Planes, near: float, far: float, scale: float) -> Planes:
    return np.asarray(depth * np.float32(scale))


def _inverse(depth: Planes, near: float, far: float, scale: float) -> Planes:
    return np.asarray(np.float32(1.0) / (depth * np.float32(scale)))


def _unit(depth: Planes, near: float, far: float, scale: float) -> Planes:
    return np.asarray(np.float32(near) + depth * np.float32(far - near))


KINDS = {"planar": _planar, "ray": _planar, "inverse": _inverse, "unit": _unit}


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
    read = choose("depth", kind, KINDS)
    values = as_planes(depth)
    there = np.isfinite(values) & (values > 0) & (values < NOTHING)
    if alpha is not None:
        there &= alpha > 0
    distance = read(np.where(there, values, np.float32(1.0)), near, far, scale)
    there &= np.isfinite(distance) & (distance > 0)
    return np.where(there, distance, np.float32(np.inf))


def axial_of_ray(distance: Planes, x: Planes, y: Planes, slope: tuple[float, float]) -> Planes:
    """Distances along the camera's axis of distances from its eye.

    `x`, `y`: places of the pixels, -1..1 over the width and the height of the frame; `slope`: half of its width and of
    its height at a distance of one. The picture of a pinhole: the ray through (x, y) is (x·slope, y·slope, 1).
    """
    length = np.sqrt(1.0 + (x * slope[0]) ** 2 + (y * slope[1]) ** 2)
    return np.asarray(distance / length, np.float32)
