"""The sRGB curve (IEC 61966-2-1), there and back."""

import numpy as np
from numpy.typing import NDArray

# How steep decoding is at its steepest, near white.
_STEEPEST = 2.275
_STEPS = (255, 65535)


def srgb_encode(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light to display values, cut to 0..1."""
    cut = np.clip(linear, 0.0, 1.0)
    return np.where(cut <= 0.0031308, 12.92 * cut, 1.055 * np.power(cut, 1 / 2.4) - 0.055)


def srgb_decode(encoded: NDArray[np.float64]) -> NDArray[np.float64]:
    """Display values to linear light; values beyond 1 go on along the same curve."""
    cut = np.maximum(encoded, 0.0)
    return np.where(cut <= 0.04045, cut / 12.92, np.power((cut + 0.055) / 1.055, 2.4))


def decoded_step(encoded: NDArray[np.float32]) -> float:
    """Half a step of the whole numbers that encoded values (any shape, 0..1) come from, as linear light at most.

    Values that stand on the 255 steps of 8 bits come from there, all others are taken for 16 bits.
    """
    scaled = encoded[np.isfinite(encoded)].astype(np.float64) * _STEPS[0]
    in_eight_bits = bool(np.all(np.abs(scaled - np.rint(scaled)) < 1e-3))
    return 0.5 * _STEEPEST / _STEPS[0 if in_eight_bits else 1]
