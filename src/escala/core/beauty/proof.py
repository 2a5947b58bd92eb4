"""Whether a sum is the beauty: differences against what rounding of the stored pixels allows."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import ShapeError
from ..kernels import kernel, prange, serial_kernel
from ..planes import Planes, as_colour

# Relative rounding of a stored value. A float pass is summed by the renderer in an order of its own: some slack.
UNIT_ROUNDOFF = {"half": 2.0**-11, "float": 2.0**-21, "uint": 0.0}
_SUBNORMAL = 2.0**-24


@dataclass(frozen=True)
class Proof:
    """How near a rebuilt sum comes to the reference. `worst` is (x, y) of the largest excess, in pixels."""

    max_abs: float
    max_channels: tuple[float, float, float]
    rms: float
    peak: float
    outside: int
    pixels: int
    worst: tuple[int, int]
    worst_difference: float
    allowed_at_worst: float
    exact: bool

    @property
    def psnr(self) -> float:
        """Peak signal-to-noise ratio in dB, on the reference's own range; infinite for equal pictures."""
        return float(20 * np.log10(self.peak / self.rms)) if self.rms > 0 and self.peak > 0 else float("inf")

    @property
    def outside_share(self) -> float:
        """Share of pixels that rounding cannot explain, 0..1."""
        return self.outside / self.pixels if self.pixels else 0.0


def rounding_bound(reference: Planes, reference_type: str, magnitudes: Planes, terms: int) -> Planes:
    """`2^-11 |beauty| + (sum of u_t |T_t|) + 2^-24 (n+1)`; `magnitudes` holds the middle sum. (3, H, W)."""
    bound = magnitudes + np.float32(_SUBNORMAL * (terms + 1))
    add_magnitude(bound, reference, UNIT_ROUNDOFF[reference_type])
    return bound


def add_magnitude(bound: Planes, planes: Planes, roundoff: float) -> None:
    """`bound += roundoff * |planes|`, in place; both (3, H, W)."""
    if planes.shape != bound.shape:
        raise ShapeError(f"planes of shape {planes.shape} cannot be added to a bound of shape {bound.shape}")
    _add_magnitude(bound.reshape(-1), np.ascontiguousarray(planes).reshape(-1), np.float32(roundoff))


def prove(reference: Planes, rebuilt: Planes, bound: Planes) -> Proof:
    """Compare `rebuilt` with `reference`, both (3, H, W); pixels where either is not finite are excluded."""
    reference = as_colour(reference)
    rebuilt, bound = as_colour(rebuilt, reference), as_colour(bound, reference)
    rows = np.zeros((reference.shape[1], _ROW_FIGURES))
    _prove_rows(reference, rebuilt, bound, rows)
    outside, counted = int(rows[:, _OUTSIDE].sum()), int(rows[:, _COUNTED].sum())
    value, column = (_EXCESS, _EXCESS_AT) if outside else (_LARGEST, _LARGEST_AT)
    y = int(np.argmax(rows[:, value]))
    x = int(rows[y, column])
    difference = np.abs(reference[:, y, x].astype(np.float64) - rebuilt[:, y, x])
    channel = int(np.argmax(np.nan_to_num(difference, nan=0.0, posinf=0.0)))
    largest = [float(figure) for figure in rows[:, _CHANNELS : _CHANNELS + 3].max(axis=0)]
    return Proof(
        max_abs=max(largest),
        max_channels=(largest[0], largest[1], largest[2]),
        rms=float(np.sqrt(rows[:, _SQUARES].sum() / (3 * counted))) if counted else 0.0,
        peak=float(rows[:, _PEAK].max()),
        outside=outside,
        pixels=counted,
        worst=(x, y),
        worst_difference=float(difference[channel]) if counted else 0.0,
        allowed_at_worst=float(bound[channel, y, x]),
        exact=outside == 0 and counted > 0,
    )


# What is noted of each row of pixels.
_OUTSIDE, _COUNTED, _SQUARES, _PEAK, _EXCESS, _EXCESS_AT, _LARGEST, _LARGEST_AT, _CHANNELS = range(9)
_ROW_FIGURES = _CHANNELS + 3


@kernel
def _prove_rows(reference, rebuilt, bound, rows):  # type: ignore[no-untyped-def]
    for y in prange(rows.shape[0]):
        _prove_row(reference[:, y], rebuilt[:, y], bound[:, y], rows[y])


@serial_kernel
def _prove_row(reference, rebuilt, bound, out):  # type: ignore[no-untyped-def]
    """Figures of one row of pixels, (3, W) each; differences in double."""
    out[_EXCESS], out[_LARGEST] = -np.inf, -1.0
    for x in range(reference.shape[1]):
        largest, excess, squares, finite = 0.0, -np.inf, 0.0, True
        for c in range(3):
            difference = abs(np.float64(reference[c, x]) - np.float64(rebuilt[c, x]))
            finite = finite and np.isfinite(difference)
            largest = max(largest, difference)
            excess = max(excess, difference - np.float64(bound[c, x]))
            squares += difference * difference
        if not finite:
            continue
        out[_COUNTED] += 1
        out[_SQUARES] += squares
        for c in range(3):
            out[_PEAK] = max(out[_PEAK], abs(np.float64(reference[c, x])))
            channel_difference = abs(np.float64(reference[c, x]) - np.float64(rebuilt[c, x]))
            out[_CHANNELS + c] = max(out[_CHANNELS + c], channel_difference)
        if excess > 0:
            out[_OUTSIDE] += 1
        if excess > out[_EXCESS]:
            out[_EXCESS], out[_EXCESS_AT] = excess, x
        if largest > out[_LARGEST]:
            out[_LARGEST], out[_LARGEST_AT] = largest, x


@kernel
def _add_magnitude(bound, planes, roundoff):  # type: ignore[no-untyped-def]
    for i in prange(bound.size):
        bound[i] += roundoff * abs(planes[i])


def join_proofs(bands: Sequence[tuple[int, Proof]]) -> Proof:
    """One proof from those of horizontal bands, each with the row at which it begins."""
    failing = [band for band in bands if band[1].outside]
    top, worst = max(failing or bands, key=lambda band: band[1].worst_difference)
    pixels = sum(proof.pixels for _, proof in bands)
    rms = float(np.sqrt(sum(proof.rms**2 * proof.pixels for _, proof in bands) / max(pixels, 1)))
    channels = [max(proof.max_channels[c] for _, proof in bands) for c in range(3)]
    outside = sum(proof.outside for _, proof in bands)
    return Proof(
        max_abs=max(channels),
        max_channels=(channels[0], channels[1], channels[2]),
        rms=rms,
        peak=max(proof.peak for _, proof in bands),
        outside=outside,
        pixels=pixels,
        worst=(worst.worst[0], worst.worst[1] + top),
        worst_difference=worst.worst_difference,
        allowed_at_worst=worst.allowed_at_worst,
        exact=outside == 0 and pixels > 0,
    )


def constant_factor(reference: Planes, rebuilt: Planes) -> NDArray[np.float64]:
    """The factor per channel that carries `rebuilt` to `reference`, robust against fireflies. (3,).

    Least squares, reweighted a few times so that the pixels that disagree (fireflies, missing terms) lose their say.
    A dark channel has no factor and gives 1.
    """
    factors = np.ones(3)
    for channel in range(3):
        b, s = reference[channel].ravel().astype(np.float64), rebuilt[channel].ravel().astype(np.float64)
        usable = np.isfinite(b) & np.isfinite(s) & (s > 1e-4)
        if np.count_nonzero(usable) < 16:
            continue
        b, s = b[usable], s[usable]
        factor = float(np.median(b / s))
        for _ in range(5):
            weight = 1.0 / (s * (np.abs(b / s - factor) + 1e-4))
            factor = float((weight * b * s).sum() / (weight * s * s).sum())
        factors[channel] = factor
    return factors
