"""Data passes from the centre of every pixel, unfiltered: depth, position, normal, texture place, motion, object."""

import numpy as np
from numpy.typing import NDArray

from escala.core.kernels import kernel, prange, serial_kernel

from .scene import Scene
from .shapes import nearest_seen
from .textures import surface_at, surface_place
from .tracer import camera_ray
from .vectors import add, dot, row3

# Columns: depth, position (3), normal (3), u, v, motion x, motion y, object (-1: none).
DEPTH, POSITION, NORMAL, UV, MOTION, OBJECT = 0, 1, 4, 7, 9, 11
COLUMNS = 12
BACKGROUND_DEPTH = 1e10


def centre_guides(scene: Scene, width: int, height: int) -> NDArray[np.float32]:
    """(H, W, COLUMNS): depth along the camera's axis in metres, world position and normal, u, v, pixels per frame."""
    out = np.zeros((height, width, COLUMNS), np.float32)
    _shoot_centres(scene, out)
    return out


@kernel
def _shoot_centres(scene, out):  # type: ignore[no-untyped-def]
    height, width = out.shape[:2]
    for y in prange(height):
        for x in range(width):
            origin = row3(scene.camera, 0, 0)
            direction = camera_ray(scene.camera, (x + 0.5) / width, (y + 0.5) / height)
            shape, distance, normal = nearest_seen(scene, origin, direction)
            out[y, x, OBJECT] = -1.0
            out[y, x, DEPTH] = BACKGROUND_DEPTH
            if shape < 0:
                continue
            point = add(origin, direction, distance)
            if dot(direction, normal) > 0.0:
                normal = (-normal[0], -normal[1], -normal[2])
            bent = surface_at(scene, shape, point, normal, distance)[3]
            out[y, x, DEPTH] = dot(add(point, origin, -1.0), row3(scene.camera, 3, 0))
            out[y, x, OBJECT] = scene.shape_object[shape]
            for k in range(3):
                out[y, x, POSITION + k] = point[k]
                out[y, x, NORMAL + k] = bent[k]
            out[y, x, UV], out[y, x, UV + 1] = surface_place(scene, shape, point)
            moved = add(point, row3(scene.shape_shift, shape, 0), 1.0)
            now, later = _project(scene.camera, point), _project(scene.next_camera, moved)
            out[y, x, MOTION] = (later[0] - now[0]) * width
            out[y, x, MOTION + 1] = (later[1] - now[1]) * height


@serial_kernel
def _project(camera, point):  # type: ignore[no-untyped-def]
    """The place of a point in the picture, 0..1 from the left and from the top."""
    offset = add(point, row3(camera, 0, 0), -1.0)
    right, up = row3(camera, 1, 0), row3(camera, 2, 0)
    depth = dot(offset, row3(camera, 3, 0))
    x, y = dot(offset, right) / (dot(right, right) * depth), dot(offset, up) / (dot(up, up) * depth)
    return 0.5 * (x + 1.0), 0.5 * (1.0 - y)
