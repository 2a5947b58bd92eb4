"""Numbers that look random, are spread evenly over the samples of a pixel, and never change for a seed."""

import numpy as np

from escala.core.kernels import serial_kernel

_DIMENSIONS = 64
# Square roots of primes are independent irrationals: their multiples fill the unit cube evenly (Kronecker).
_PRIMES = [p for p in range(2, 400) if all(p % d for d in range(2, int(p**0.5) + 1))][:_DIMENSIONS]
_STEPS = np.sqrt(np.array(_PRIMES, np.float64)) % 1.0


@serial_kernel
def start_sample(state, seed, pixel, sample):  # type: ignore[no-untyped-def]
    """Begin a sample: `state` (3,) holds the pixel's own shift, the sample's number, the next dimension."""
    state[0] = (pixel * 9781 + seed * 6271 + 1) & 0x7FFFFFFF
    state[1] = sample
    state[2] = 0


@serial_kernel
def next_number(state):  # type: ignore[no-untyped-def]
    """The next number of this sample, 0..1."""
    dimension = state[2]
    state[2] += 1
    h = np.uint32(state[0]) * np.uint32(747796405) + np.uint32(dimension) * np.uint32(2891336453)
    h = (h ^ (h >> np.uint32(15))) * np.uint32(2246822519)
    h = (h ^ (h >> np.uint32(13))) * np.uint32(3266489917)
    h = (h ^ (h >> np.uint32(16))) & np.uint32(0xFFFFFFFF)
    value = h / 4294967296.0 + state[1] * _STEPS[dimension % _DIMENSIONS]
    return value - np.floor(value)
