"""The sRGB curve (IEC 61966-2-1), there and back."""

import numpy as np
from numpy.typing import NDArray


def srgb_encode(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light to display values, cut to 0..1."""
    cut = np.clip(linear, 0.0, 1.0)
    return np.where(cut <= 0.0031308, 12.92 * cut, 1.055 * np.power(cut, 1 / 2.4) - 0.055)


def srgb_decode(encoded: NDArray[np.float64]) -> NDArray[np.float64]:
    """Display values to linear light; values beyond 1 go on along the same curve."""
    cut = np.maximum(encoded, 0.0)
    return np.where(cut <= 0.04045, cut / 12.92, np.power((cut + 0.055) / 1.055, 2.4))
