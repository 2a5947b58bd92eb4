"""Thin mist that lies on the water: what it takes from a view, and the lamps' light that it sends back."""

import numpy as np

from escala.core.kernels import serial_kernel

from .lights import emitter_radiance, sample_emitter, window_place
from .sampling import next_number
from .scene import MOON_LIGHT, SKY_LIGHT, WINDOW_LIGHT
from .shapes import clear_way
from .vectors import add, dot, row3

_REACH = 140.0
_UP = (0.0, 1.0, 0.0)


@serial_kernel
def _density(mist, height):  # type: ignore[no-untyped-def]
    return mist[0] * np.exp(-max(0.0, height) / mist[1])


@serial_kernel
def mist_transmittance(mist, origin, direction, distance):  # type: ignore[no-untyped-def]
    """The share of light that passes through `distance` of mist, in closed form for its exponential layers."""
    length = min(distance, _REACH)
    climb = direction[1] * length / mist[1]
    near = _density(mist, origin[1])
    mean = near if abs(climb) < 1e-4 else near * (1 - np.exp(-climb)) / climb
    return np.exp(-mean * length)


@serial_kernel
def mist_light(scene, origin, direction, distance, state, film, slot):  # type: ignore[no-untyped-def]
    """Add light scattered once towards the viewer, from one emitter chosen evenly."""
    count = scene.emitters.shape[0]
    index = min(int(next_number(state) * count), count - 1)
    kind = int(scene.emitters[index, 0])
    length = min(distance, _REACH)
    choice = next_number(state)
    if kind in (MOON_LIGHT, SKY_LIGHT, WINDOW_LIGHT):
        along, likely = choice * length, 1.0 / length
    else:
        along, likely = _near_lamp(scene.emitters, index, origin, direction, length, choice)
    point = add(origin, direction, along)
    light, reach, density = sample_emitter(scene, index, point, _UP, next_number(state), next_number(state))
    if density <= 0.0:
        return
    u, v = window_place(scene, index, point, light) if kind == WINDOW_LIGHT else (0.0, 0.0)
    colour = emitter_radiance(scene, index, light, u, v)
    cosine, g = dot(direction, light), float(scene.mist[3])
    phase = (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cosine) ** 1.5)
    scatter = _density(scene.mist, point[1]) * scene.mist[2] * phase * clear_way(scene, point, light, reach)
    factor = scatter * mist_transmittance(scene.mist, origin, direction, along) * count / (likely * density)
    for k in range(3):
        film[int(scene.emitters[index, 1]), slot, k] += min(colour[k] * factor, 12.0) * scene.gains[index, k]


@serial_kernel
def _near_lamp(emitters, index, origin, direction, length, choice):  # type: ignore[no-untyped-def]
    """A distance chosen by the angle under which the lamp sees it (Kulla and Fajardo 2012), and its density."""
    offset = add(row3(emitters, index, 5), origin, -1.0)
    towards = dot(offset, direction)
    apart = np.sqrt(max(dot(offset, offset) - towards * towards, 0.04))
    first, last = np.arctan(-towards / apart), np.arctan((length - towards) / apart)
    tangent = apart * np.tan(first + choice * (last - first))
    return min(max(towards + tangent, 1e-3), length), apart / ((last - first) * (apart * apart + tangent * tangent))
