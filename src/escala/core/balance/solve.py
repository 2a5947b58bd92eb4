"""Levels that bring a sum of lights nearest to a target: non-negative least squares on normal equations."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError
from ..planes import Planes

# A weight towards gains of 1, as a part of the mean diagonal, so that lights that cannot be told apart stay alike.
_TOWARDS_ONE = 1e-7
DARK_STOPS = -16.0

Gains = NDArray[np.float64]


@dataclass
class NormalEquations:
    """What least squares need of pictures, added up band by band.

    `squares`: (3, n, n) sums of products of the lights; `products`: (3, n) of the lights and what is wanted; `wanted`:
    (3,) its squares; `pixels`: how many counted. Pixels with any infinity or NaN are passed over.
    """

    count: int
    squares: NDArray[np.float64] = field(init=False)
    products: NDArray[np.float64] = field(init=False)
    wanted: NDArray[np.float64] = field(init=False)
    pixels: int = field(init=False, default=0)

    def __post_init__(self) -> None:
        self.squares = np.zeros((3, self.count, self.count))
        self.products, self.wanted = np.zeros((3, self.count)), np.zeros(3)

    def add(self, lights: list[Planes], wanted: Planes) -> None:
        """Add a band: the lights at gain 1, each (3, h, w), and what is wanted of their sum. Raises `ShapeError`."""
        if len(lights) != self.count or any(light.shape != wanted.shape for light in lights):
            raise ShapeError(f"{len(lights)} lights do not fit {self.count} unknowns, or a target of {wanted.shape}")
        finite = np.isfinite(wanted).all(axis=0)
        for light in lights:
            finite &= np.isfinite(light).all(axis=0)
        self.pixels += int(finite.sum())
        for channel in range(3):
            rows = np.stack([light[channel][finite] for light in lights]).astype(np.float64)
            target = wanted[channel][finite].astype(np.float64)
            self.squares[channel] += rows @ rows.T
            self.products[channel] += rows @ target
            self.wanted[channel] += float(target @ target)

    def rms(self, gains: Gains) -> float:
        """The root of the mean squared difference over pixels and channels, at gains (3, n)."""
        total = 0.0
        for channel in range(3):
            g = gains[channel]
            total += self.wanted[channel] - 2 * float(g @ self.products[channel]) + float(g @ self.squares[channel] @ g)
        return float(np.sqrt(max(total, 0.0) / max(3 * self.pixels, 1)))


def solve_gains(
    equations: NormalEquations, with_tints: bool, towards: Gains | None = None, share: float = _TOWARDS_ONE
) -> Gains:
    """Gains of all lights, (3, n), 0 or more: one for each channel, or one for all three of a light.

    `towards`: (3, n), gains that are kept where nothing is wanted of a light, 1 by default; `share`: how much they
    weigh, as a part of the mean diagonal.
    """
    kept = np.ones((3, equations.count)) if towards is None else towards
    if with_tints:
        of_channel = zip(equations.squares, equations.products, kept, strict=True)
        return np.stack([_non_negative(*each, share) for each in of_channel])
    gains = _non_negative(equations.squares.sum(axis=0), equations.products.sum(axis=0), kept.mean(axis=0), share)
    return np.repeat(gains[None], 3, axis=0)


def _non_negative(
    squares: NDArray[np.float64], products: NDArray[np.float64], towards: NDArray[np.float64], share: float
) -> NDArray[np.float64]:
    from scipy.optimize import nnls  # takes a while to import

    count = products.size
    if count == 0:
        return np.zeros(0)
    weight = share * max(float(np.trace(squares)) / count, np.finfo(float).tiny)
    # ‖U·g − c‖² has the same least as g·(A + λ)·g − 2·g·(b + λ·t), where A + λ = Uᵀ·U.
    values, vectors = np.linalg.eigh(squares + weight * np.eye(count))
    roots = np.sqrt(np.maximum(values, weight * 1e-3))
    upper = roots[:, None] * vectors.T
    target = (vectors.T @ (products + weight * towards)) / roots
    return np.asarray(nnls(upper, target)[0])


def level_of_gain(gain: NDArray[np.float64], weights: NDArray[np.float64]) -> tuple[float, tuple[float, float, float]]:
    """Stops and a tint of luminance 1 that make a gain per channel, (3,); `weights`: of luminance."""
    luminance = float(weights @ gain)
    if luminance <= 2.0**DARK_STOPS:
        return DARK_STOPS, (1.0, 1.0, 1.0)
    red, green, blue = (gain / luminance).tolist()
    return float(np.log2(luminance)), (red, green, blue)
