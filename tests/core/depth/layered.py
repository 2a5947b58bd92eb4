"""A scene of flat layers, seen through every part of a lens: what defocus and motion blur are judged against."""

from collections.abc import Iterable, Sequence

import numpy as np

# Pixels of the scene to one of the picture, and how far it goes on beyond the picture, in pixels of that.
FINE, BEYOND = 3, 16
Layer = tuple[np.ndarray, np.ndarray, float]
Shifts = Sequence[tuple[float, float]]


def texture(seed: int, shape: tuple[int, int], low: float, high: float) -> np.ndarray:
    """A smooth colour, (3, *shape)."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[: shape[0], : shape[1]] / FINE
    waves = [np.sin(x / rng.uniform(3, 9) + rng.uniform(0, 6)) * np.sin(y / rng.uniform(3, 9) + c) for c in range(3)]
    return (low + (high - low) * (0.5 + 0.5 * np.stack(waves))).astype(np.float32)


def small(planes: np.ndarray) -> np.ndarray:
    """Means of the fine pixels of each pixel."""
    *lead, height, width = planes.shape
    return planes.reshape(*lead, height // FINE, FINE, width // FINE, FINE).mean(axis=(-3, -1))


def laid(layers: Sequence[Layer], shifts: Shifts, size: tuple[int, int]) -> np.ndarray:
    """The layers from back to front, each moved by so many pixels, over one another; (3, fine height, fine width)."""
    out = np.zeros((3, size[0] * FINE, size[1] * FINE), np.float32)
    for (colour, cover, _), (across, down) in zip(layers, shifts, strict=True):
        x, y = (BEYOND * FINE + round(shift * FINE) for shift in (across, down))
        place = slice(y, y + out.shape[1]), slice(x, x + out.shape[2])
        out = out * (1 - cover[place]) + colour[(slice(None), *place)] * cover[place]
    return out


def seen(layers: Sequence[Layer], size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """What a pinhole sees: colour, (3, H, W), and the depth at the middle of each pixel."""
    still = [(0.0, 0.0)] * len(layers)
    depths = [(np.full_like(colour, z), cover, z) for colour, cover, z in layers]
    depth = laid(depths, still, size)[0, FINE // 2 :: FINE, FINE // 2 :: FINE]
    return small(laid(layers, still, size)).astype(np.float32), depth.astype(np.float32)


def averaged(
    layers: Sequence[Layer], ways: Iterable[Sequence[tuple[float, float]]], size: tuple[int, int]
) -> np.ndarray:
    """The mean of what is seen with the layers moved in each of some ways."""
    pictures = [laid(layers, shifts, size) for shifts in ways]
    return small(np.mean(pictures, axis=0))


def stops(planes: np.ndarray) -> np.ndarray:
    """Light as it is judged: in stops around middle grey, with a toe."""
    return np.log2(np.maximum(planes, 0) / 0.18 + 2**-6)


def decibels(found: np.ndarray, wanted: np.ndarray, edge: int = 12) -> float:
    """PSNR in stops, of a range of 14, without the edge of the picture, beyond which nobody knows."""
    inner = (slice(None), slice(edge, -edge), slice(edge, -edge))
    error = stops(found)[inner] - stops(wanted)[inner]
    return float(20 * np.log10(14 / max(np.sqrt((error**2).mean()), 1e-9)))
