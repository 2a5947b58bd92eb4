"""Discs and bladed openings as they fall on pixels: each row of one as the places where its weight changes.

A footprint is kept as differences along its rows, in 1/256 of a pixel's area, so that laying it on costs its outline
and not its area. All are whole numbers: sums of them are exact, whatever their order.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..kernels import serial_kernel

# Weights are counted in so many parts of a pixel.
PARTS = 256
# Radii come in steps of 1/16 px up to 8 px, then of 1/128 of themselves.
_FINE, _FINE_END, _RATIO = 16, 8.0, 128
# Radii up to 8 · e^(1920/128) px lie below this.
MOST_STEPS = 2048
# A disc of this radius lies within its own pixel.
WITHIN = 0.5
_SCANLINES = 16
# A blade that is rounded is drawn by so many straight lines.
_BETWEEN = 48


@dataclass(frozen=True)
class Opening:
    """The shape of an aperture: round (`blades` 0), or of 5 to 11 blades with a corner at `turn` degrees.

    `round`: 0 for straight blades, 1 for a disc, between them its outline mixed.
    """

    blades: int = 0
    turn: float = 0.0
    round: float = 0.0

    @property
    def is_disc(self) -> bool:
        """Whether it is a disc."""
        return self.blades == 0 or self.round >= 1.0

    def outline(self) -> NDArray[np.float64]:
        """The corners of one that is no disc at radius 1, (n, 2), x to the right, y down."""
        count = self.blades * (_BETWEEN if self.round else 1)
        angles, wedge = 2 * np.pi * np.arange(count) / count, 2 * np.pi / self.blades
        straight = np.cos(wedge / 2) / np.cos(np.mod(angles, wedge) - wedge / 2)
        radii = straight + self.round * (1.0 - straight)
        turned = angles + np.radians(self.turn)
        return np.stack([radii * np.cos(turned), -radii * np.sin(turned)], axis=1)


@dataclass(frozen=True)
class Footprints:
    """Several footprints in flat arrays. Row r of footprint k has the differences `first[k, r]` to `first[k, r + 1]`.

    Each change is at a place from the middle. `reach[k]`: rows and columns to either side of it; `area[k]`:
    its whole weight in `PARTS`.
    """

    reach: NDArray[np.int32]
    area: NDArray[np.float64]
    first: NDArray[np.int32]
    place: NDArray[np.int32]
    change: NDArray[np.float64]


@serial_kernel
def radius_step(radius):  # type: ignore[no-untyped-def]
    """Kernel part: the step of radii, in pixels, that is nearest; 0 for what lies within its pixel."""
    if radius <= WITHIN:
        return 0
    if radius < _FINE_END:
        return int(np.rint(radius * _FINE))
    return int(_FINE * _FINE_END + np.rint(np.log(radius / _FINE_END) * _RATIO))


def radius_of(index: int) -> float:
    """The radius in pixels of a step."""
    if index <= _FINE * _FINE_END:
        return index / _FINE
    return float(_FINE_END * np.exp((index - _FINE * _FINE_END) / _RATIO))


# Blocks of up to 2^3 pixels a side are spread as one; the code of a footprint is its step of radii · BLOCKS + block.
BLOCKS = 4


def footprints_of(codes: NDArray[np.int32], opening: Opening) -> Footprints:
    """The footprints of some codes, one after another."""
    each = [_footprint(int(code) // BLOCKS, int(code) % BLOCKS, opening) for code in codes]
    rows = max(len(first) for _, first, _, _ in each)
    starts, table = 0, np.zeros((len(each), rows), np.int32)
    for k, (_, first, place, _) in enumerate(each):
        table[k, : len(first)] = first + starts
        table[k, len(first) :] = first[-1] + starts
        starts += len(place)
    return Footprints(
        np.array([(len(first) - 2) // 2 for _, first, _, _ in each], np.int32),
        np.array([area for area, _, _, _ in each], np.float64),
        table,
        np.concatenate([place for _, _, place, _ in each]),
        np.concatenate([change for _, _, _, change in each]),
    )


@lru_cache(maxsize=4096)
def _footprint(
    step: int, block: int, opening: Opening
) -> tuple[float, NDArray[np.int32], NDArray[np.int32], NDArray[np.float64]]:
    """Its area, where each row begins, and the places and sizes of its changes."""
    weights = footprint_weights(radius_of(step), opening, block) if step else np.full((1, 1), PARTS, np.int64)
    reach = weights.shape[0] // 2
    changes = np.diff(weights, axis=1, prepend=0, append=0)
    row, column = np.nonzero(changes)
    first = np.searchsorted(row, np.arange(weights.shape[0] + 1)).astype(np.int32)
    return (
        float(weights.sum()),
        first,
        (column - reach).astype(np.int32),
        changes[row, column].astype(np.float64),
    )


def footprint_weights(radius: float, opening: Opening, block: int = 0) -> NDArray[np.int64]:
    """How far each pixel is covered by an opening of a radius in pixels, in `PARTS`; square, of odd size.

    Its middle is that of a block of 2^block pixels a side whose first pixel is the middle one. That of a block has
    plain ends to its rows, each as long as it should be: they cost less, and no single pixel shows its disc through it.
    """
    shift = ((1 << block) - 1) / 2
    reach = max(0, int(np.ceil(radius + shift - 0.5)))
    covered = np.zeros((2 * reach + 1, 2 * reach + 1))
    outline = np.zeros((0, 2)) if opening.is_disc else opening.outline() * radius
    _cover_rows(radius, outline, shift, block > 0, covered)
    return np.rint(covered * PARTS).astype(np.int64)


@serial_kernel
def _cover_rows(radius, outline, shift, plain, covered):  # type: ignore[no-untyped-def]
    """Area by scanlines: exact along rows, `_SCANLINES` to a pixel down. No outline: a disc."""
    reach = covered.shape[0] // 2
    for row in range(2 * reach + 1):
        length, middle = 0.0, 0.0
        for line in range(_SCANLINES):
            y = row - reach - 0.5 + (line + 0.5) / _SCANLINES - shift
            left, right = _chord(radius, outline, y)
            if right <= left:
                continue
            if plain:
                length += (right - left) / _SCANLINES
                middle += (right - left) * (right + left) / (2 * _SCANLINES)
            else:
                _cover_span(covered[row], left + shift, right + shift, 1.0 / _SCANLINES)
        if length > 0:
            middle /= length
            _cover_span(covered[row], middle - length / 2 + shift, middle + length / 2 + shift, 1.0)


@serial_kernel
def _chord(radius, outline, y):  # type: ignore[no-untyped-def]
    """Where a line at a height enters an opening and leaves it."""
    corners = outline.shape[0]
    if corners == 0:
        half = np.sqrt(max(radius * radius - y * y, 0.0))
        return -half, half
    left, right = 1e9, -1e9
    for i in range(corners):
        x0, y0 = outline[i, 0], outline[i, 1]
        x1, y1 = outline[(i + 1) % corners, 0], outline[(i + 1) % corners, 1]
        if (y0 <= y) != (y1 <= y):
            x = x0 + (x1 - x0) * (y - y0) / (y1 - y0)
            left, right = min(left, x), max(right, x)
    return left, right


@serial_kernel
def _cover_span(row, left, right, height):  # type: ignore[no-untyped-def]
    """Add the part of each pixel of a row between two places, counted from its middle."""
    reach = row.size // 2
    first, last = int(np.floor(left + 0.5)), int(np.floor(right + 0.5))
    for column in range(max(first, -reach), min(last, reach) + 1):
        share = min(right, column + 0.5) - max(left, column - 0.5)
        row[column + reach] += share * height
