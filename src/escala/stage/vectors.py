"""Vectors as tuples of three: compiled code keeps them in registers."""

import numpy as np

from escala.core.kernels import serial_kernel


@serial_kernel
def dot(a, b):  # type: ignore[no-untyped-def]
    """The scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@serial_kernel
def add(a, b, scale):  # type: ignore[no-untyped-def]
    """`a + scale * b`."""
    return (a[0] + scale * b[0], a[1] + scale * b[1], a[2] + scale * b[2])


@serial_kernel
def scaled(a, scale):  # type: ignore[no-untyped-def]
    """`scale * a`."""
    return (a[0] * scale, a[1] * scale, a[2] * scale)


@serial_kernel
def product(a, b):  # type: ignore[no-untyped-def]
    """Element by element."""
    return (a[0] * b[0], a[1] * b[1], a[2] * b[2])


@serial_kernel
def unit(a):  # type: ignore[no-untyped-def]
    """`a` at length 1."""
    return scaled(a, 1.0 / np.sqrt(dot(a, a)))


@serial_kernel
def cross(a, b):  # type: ignore[no-untyped-def]
    """The vector product."""
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@serial_kernel
def row3(array, row, first):  # type: ignore[no-untyped-def]
    """Three neighbouring numbers of a row as a vector of doubles."""
    return (float(array[row, first]), float(array[row, first + 1]), float(array[row, first + 2]))


@serial_kernel
def around(axis, cosine, turn):  # type: ignore[no-untyped-def]
    """The direction at an angle of `cosine` to `axis`, turned about it (basis: Duff et al. 2017)."""
    sign = 1.0 if axis[2] >= 0.0 else -1.0
    a = -1.0 / (sign + axis[2])
    b = axis[0] * axis[1] * a
    across = (1.0 + sign * axis[0] * axis[0] * a, sign * b, -sign * axis[0])
    up = (b, sign + axis[1] * axis[1] * a, -axis[1])
    sine = np.sqrt(max(0.0, 1.0 - cosine * cosine))
    return add(add(scaled(axis, cosine), across, sine * np.cos(turn)), up, sine * np.sin(turn))
