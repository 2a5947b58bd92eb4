"""Where a ray meets the scene's shapes."""

import numpy as np

from escala.core.kernels import serial_kernel

from .scene import CONVEX, CYLINDER, ELLIPSOID, GLASS_SOLID, GLASS_THIN, PLANE, QUAD
from .vectors import add, cross, dot, row3, scaled, unit

FAR = 1e6
_NEAR = 1e-3
_NOWHERE = (0.0, 1.0, 0.0)


@serial_kernel
def nearest_hit(scene, origin, direction):  # type: ignore[no-untyped-def]
    """The nearest shape ahead: its index (-1: none), the distance, and the surface's normal there."""
    return _nearest_among(scene, 0, scene.kinds.size, origin, direction)


@serial_kernel
def nearest_seen(scene, origin, direction):  # type: ignore[no-untyped-def]
    """As `nearest_hit`, of the shapes that the camera sees."""
    return _nearest_among(scene, scene.seen[0], scene.seen[1], origin, direction)


@serial_kernel
def _nearest_among(scene, first, last, origin, direction):  # type: ignore[no-untyped-def]
    best, index, detail = FAR, -1, 0.0
    for shape in range(first, last):
        if _may_hit(scene.bounds, shape, origin, direction, best):
            distance, note = _shape_hit(scene, shape, origin, direction)
            if distance < best:
                best, index, detail = distance, shape, note
    if index < 0:
        return index, best, _NOWHERE
    return index, best, _normal_at(scene, index, add(origin, direction, best), detail)


@serial_kernel
def clear_way(scene, origin, direction, reach):  # type: ignore[no-untyped-def]
    """The share of light that comes through: 0 where a solid shape stands within `reach`, less through glass."""
    through = 1.0
    for shape in range(scene.kinds.size):
        if scene.shape_light[shape] >= 0 or not _may_hit(scene.bounds, shape, origin, direction, reach):
            continue
        if _shape_hit(scene, shape, origin, direction)[0] < reach:
            glass = int(scene.materials[scene.shape_material[shape], 5])
            if glass == GLASS_THIN:
                through *= 0.9
            elif glass == GLASS_SOLID:
                through *= 0.7
            else:
                return 0.0
    return through


@serial_kernel
def _may_hit(bounds, shape, origin, direction, best):  # type: ignore[no-untyped-def]
    radius = float(bounds[shape, 3])
    if radius == 0.0:
        return direction[1] < 0.0
    offset = add(row3(bounds, shape, 0), origin, -1.0)
    along = dot(offset, direction)
    apart = dot(offset, offset) - radius * radius
    if along - radius > best or (along <= 0.0 and apart > 0.0):
        return False
    return apart <= along * along


@serial_kernel
def _shape_hit(scene, shape, origin, direction):  # type: ignore[no-untyped-def]
    """Distance to a shape (FAR: none), and a note that its normal needs: face of a convex, side of a cylinder."""
    kind = scene.kinds[shape]
    if kind == CONVEX:
        first = int(scene.data[shape, 0])
        return _hit_convex(scene.planes, first, first + int(scene.data[shape, 1]), origin, direction)
    if kind == ELLIPSOID:
        return _hit_ellipsoid(scene.data, shape, origin, direction), 0.0
    if kind == CYLINDER:
        return _hit_cylinder(scene.data, shape, origin, direction)
    if kind == QUAD:
        return _hit_quad(scene.data, shape, origin, direction), 0.0
    distance = (scene.data[shape, 0] - origin[1]) / direction[1]
    return (distance if distance > _NEAR else FAR), 0.0


@serial_kernel
def _normal_at(scene, shape, point, note):  # type: ignore[no-untyped-def]
    kind, data = scene.kinds[shape], scene.data
    if kind == CONVEX:
        return row3(scene.planes, int(note), 0)
    if kind == ELLIPSOID:
        offset, radii = add(point, row3(data, shape, 0), -1.0), row3(data, shape, 3)
        return unit((offset[0] / radii[0] ** 2, offset[1] / radii[1] ** 2, offset[2] / radii[2] ** 2))
    if kind == CYLINDER:
        start = row3(data, shape, 0)
        axis = unit(add(row3(data, shape, 3), start, -1.0))
        if note != 0.0:
            return scaled(axis, note)
        offset = add(point, start, -1.0)
        return unit(add(offset, axis, -dot(offset, axis)))
    if kind == QUAD:
        return unit(cross(row3(data, shape, 3), row3(data, shape, 6)))
    if kind == PLANE:
        return (0.0, 1.0, 0.0)
    return _NOWHERE


@serial_kernel
def _hit_convex(planes, first, last, origin, direction):  # type: ignore[no-untyped-def]
    enter, leave, entered, left = -FAR, FAR, first, first
    for p in range(first, last):
        normal = row3(planes, p, 0)
        toward, height = dot(normal, direction), planes[p, 3] - dot(normal, origin)
        if toward == 0.0:
            if height < 0.0:
                return FAR, 0.0
            continue
        distance = height / toward
        if toward < 0.0:
            if distance > enter:
                enter, entered = distance, p
        elif distance < leave:
            leave, left = distance, p
    if enter >= leave or leave <= _NEAR:
        return FAR, 0.0
    return (enter, float(entered)) if enter > _NEAR else (leave, float(left))


@serial_kernel
def _hit_ellipsoid(data, shape, origin, direction):  # type: ignore[no-untyped-def]
    offset, radii = add(origin, row3(data, shape, 0), -1.0), row3(data, shape, 3)
    o = (offset[0] / radii[0], offset[1] / radii[1], offset[2] / radii[2])
    d = (direction[0] / radii[0], direction[1] / radii[1], direction[2] / radii[2])
    a, b, c = dot(d, d), dot(o, d), dot(o, o) - 1.0
    root = b * b - a * c
    if root < 0.0:
        return FAR
    root = np.sqrt(root)
    distance = (-b - root) / a
    if distance <= _NEAR:
        distance = (-b + root) / a
    return distance if distance > _NEAR else FAR


@serial_kernel
def _hit_cylinder(data, shape, origin, direction):  # type: ignore[no-untyped-def]
    start, radius = row3(data, shape, 0), float(data[shape, 6])
    along_axis = add(row3(data, shape, 3), start, -1.0)
    size = np.sqrt(dot(along_axis, along_axis))
    axis = scaled(along_axis, 1.0 / size)
    offset = add(origin, start, -1.0)
    along, side = dot(axis, direction), dot(axis, offset)
    a = max(1.0 - along * along, 1e-9)
    b = dot(offset, direction) - along * side
    c = dot(offset, offset) - side * side - radius * radius
    root = b * b - a * c
    if root < 0.0:
        return FAR, 0.0
    root = np.sqrt(root)
    enter, leave = (-b - root) / a, (-b + root) / a
    enter_note, leave_note = 0.0, 0.0
    if abs(along) > 1e-7:
        low, high = -side / along, (size - side) / along
        first_cap, last_cap = (low, high) if low < high else (high, low)
        if first_cap > enter:
            enter, enter_note = first_cap, -1.0 if low < high else 1.0
        if last_cap < leave:
            leave, leave_note = last_cap, 1.0 if low < high else -1.0
    elif side < 0.0 or side > size:
        return FAR, 0.0
    if enter >= leave or leave <= _NEAR:
        return FAR, 0.0
    return (enter, enter_note) if enter > _NEAR else (leave, leave_note)


@serial_kernel
def _hit_quad(data, shape, origin, direction):  # type: ignore[no-untyped-def]
    normal = cross(row3(data, shape, 3), row3(data, shape, 6))
    toward = dot(normal, direction)
    if toward == 0.0:
        return FAR
    distance = dot(normal, add(row3(data, shape, 0), origin, -1.0)) / toward
    if distance <= _NEAR:
        return FAR
    s, t = quad_place(data, shape, add(origin, direction, distance))
    return distance if 0.0 <= s <= 1.0 and 0.0 <= t <= 1.0 else FAR


@serial_kernel
def quad_place(data, shape, point):  # type: ignore[no-untyped-def]
    """Where on a parallelogram a point lies, along its two sides, 0..1."""
    u, v = row3(data, shape, 3), row3(data, shape, 6)
    offset = add(point, row3(data, shape, 0), -1.0)
    uu, vv, uv, pu, pv = dot(u, u), dot(v, v), dot(u, v), dot(offset, u), dot(offset, v)
    area = uu * vv - uv * uv
    return (pu * vv - pv * uv) / area, (pv * uu - pu * uv) / area
