"""Emitters: their radiance, how to sample them, and how likely a sample was."""

import numpy as np

from escala.core.kernels import serial_kernel

from .scene import BEACON_LIGHT, MOON_LIGHT, SKY_LIGHT, WINDOW_LIGHT
from .textures import layered_noise
from .vectors import add, around, dot, row3, scaled

FAR_AWAY = 1e5
_TURN = 2 * np.pi


@serial_kernel
def sky_radiance(emitters, index, direction):  # type: ignore[no-untyped-def]
    """A night sky: pale at the horizon, darker above, thin cloud."""
    height = min(max(direction[1], 0.0), 1.0)
    flat = 1.0 / (height + 0.16)
    cloud = layered_noise(direction[0] * flat * 1.3 + 4.0, direction[2] * flat * 0.8, 5)
    veil = 0.75 + max(0.0, cloud - 0.45) * 1.5
    return add(scaled(row3(emitters, index, 2), veil), row3(emitters, index, 5), (1.0 - height) ** 7)


@serial_kernel
def window_lit(u, v, count):  # type: ignore[no-untyped-def]
    """Whether a place on a strip of windows is glass (lit) or frame."""
    inside = u * count - np.floor(u * count)
    return 0.16 < inside < 0.84 and 0.12 < v < 0.88


@serial_kernel
def emitter_radiance(scene, index, direction, u, v):  # type: ignore[no-untyped-def]
    """Light that arrives along `direction` (from the receiver to the emitter); u, v: the place on a window strip."""
    kind = int(scene.emitters[index, 0])
    if kind == SKY_LIGHT:
        return sky_radiance(scene.emitters, index, direction)
    strength = 1.0
    if kind == WINDOW_LIGHT:
        strength = 1.0 if direction[2] > 0.0 and window_lit(u, v, scene.emitters[index, 10]) else 0.0
    elif kind == BEACON_LIGHT:
        heading = (float(scene.heading[0]), float(scene.heading[1]), float(scene.heading[2]))
        strength = 0.012 + max(0.0, -dot(direction, heading)) ** 40
    return scaled(row3(scene.emitters, index, 2), strength)


@serial_kernel
def sample_emitter(scene, index, point, normal, r1, r2):  # type: ignore[no-untyped-def]
    """A direction towards an emitter, its distance, and its density per solid angle (0: none)."""
    emitters = scene.emitters
    kind = int(emitters[index, 0])
    if kind == SKY_LIGHT:
        direction = around(normal, np.sqrt(1.0 - r1), _TURN * r2)
        return direction, FAR_AWAY, (dot(direction, normal) / np.pi if direction[1] > 0.0 else 0.0)
    if kind == MOON_LIGHT:
        spread = 1.0 - float(emitters[index, 8])
        return around(row3(emitters, index, 5), 1.0 - r1 * spread, _TURN * r2), FAR_AWAY, 1.0 / (_TURN * spread)
    if kind == WINDOW_LIGHT:
        return _sample_window(emitters, index, point, r1, r2)
    return _sample_ball(emitters, index, point, r1, r2)


@serial_kernel
def _sample_ball(emitters, index, point, r1, r2):  # type: ignore[no-untyped-def]
    offset, radius = add(row3(emitters, index, 5), point, -1.0), float(emitters[index, 8])
    apart = np.sqrt(dot(offset, offset))
    if apart <= radius:
        return offset, 0.0, 0.0
    spread = 1.0 - np.sqrt(max(0.0, 1.0 - (radius / apart) ** 2))
    return around(scaled(offset, 1.0 / apart), 1.0 - r1 * spread, _TURN * r2), apart - radius, 1.0 / (_TURN * spread)


@serial_kernel
def _sample_window(emitters, index, point, r1, r2):  # type: ignore[no-untyped-def]
    corner, width, height = row3(emitters, index, 5), float(emitters[index, 8]), float(emitters[index, 9])
    offset = add((corner[0] + r1 * width, corner[1] + r2 * height, corner[2]), point, -1.0)
    square = dot(offset, offset)
    apart = np.sqrt(square)
    if offset[2] <= 0.0:
        return offset, 0.0, 0.0
    return scaled(offset, 1.0 / apart), apart - 2e-3, square * apart / (offset[2] * width * height)


@serial_kernel
def emitter_density(scene, index, point, normal, direction, distance):  # type: ignore[no-untyped-def]
    """The density per solid angle with which `sample_emitter` would have chosen this direction."""
    emitters = scene.emitters
    kind = int(emitters[index, 0])
    if kind == SKY_LIGHT:
        return max(0.0, dot(direction, normal)) / np.pi
    if kind == MOON_LIGHT:
        return 1.0 / (_TURN * (1.0 - emitters[index, 8]))
    if kind == WINDOW_LIGHT:
        return distance * distance / (max(1e-6, direction[2]) * emitters[index, 8] * emitters[index, 9])
    offset, radius = add(row3(emitters, index, 5), point, -1.0), float(emitters[index, 8])
    share = radius * radius / dot(offset, offset)
    return 1.0 / (_TURN * max(1e-12, 1.0 - np.sqrt(max(0.0, 1.0 - share))))


@serial_kernel
def sees_moon(emitters, index, direction):  # type: ignore[no-untyped-def]
    """Whether a direction meets the moon's disc."""
    return dot(direction, row3(emitters, index, 5)) > emitters[index, 8]


@serial_kernel
def window_place(scene, index, point, direction):  # type: ignore[no-untyped-def]
    """Where on a strip of windows a direction from `point` arrives, 0..1 along and up."""
    emitters = scene.emitters
    corner = row3(emitters, index, 5)
    met = add(point, direction, (corner[2] - point[2]) / max(direction[2], 1e-6))
    return (met[0] - corner[0]) / emitters[index, 8], (met[1] - corner[1]) / emitters[index, 9]
