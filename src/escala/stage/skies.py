"""Backdrops of the demo: a dawn sky as a still and a short sequence, a drift of mist with alpha; drawn by formulas."""

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from escala.core.colour.gamuts import GAMUTS
from escala.core.planes import narrow_to_half
from escala.media.atomic_write import write_bytes
from escala.media.exr import write_exr
from escala.media.windows import Window

Plane = NDArray[np.float64]

STILL_SIZE, SEQUENCE_SIZE, MIST_SIZE = (2048, 1024), (480, 240), (1024, 512)
SEQUENCE_FRAMES = range(1, 13)
# Scene-linear ACEScg: straight up, half way, and over the horizon; the clouds' lit and shaded sides.
_ZENITH, _MIDDLE, _HORIZON = (0.045, 0.09, 0.22), (0.24, 0.26, 0.36), (1.1, 0.52, 0.20)
_LIT, _SHADED = (0.95, 0.50, 0.32), (0.13, 0.13, 0.20)
_SEED = 20


def write_skies(folder: Path) -> None:
    """Write what is not there yet: `dawn_sky.exr`, `drifting_sky.####.png` and `mist.exr`."""
    folder.mkdir(parents=True, exist_ok=True)
    still = folder / "dawn_sky.exr"
    if not still.exists():
        # Its clouds have no detail that half of its size does not hold.
        half = dawn(STILL_SIZE[0] // 2, STILL_SIZE[1] // 2, 0.0)
        _write(still, cv2.resize(half, STILL_SIZE, interpolation=cv2.INTER_LINEAR), None)
    for number in SEQUENCE_FRAMES:
        path = folder / f"drifting_sky.{number:04d}.png"
        if not path.exists():
            sky = dawn(*SEQUENCE_SIZE, 0.004 * number)
            encoded = cv2.imencode(".png", np.rint(255 * _display(sky)).astype(np.uint8)[:, :, ::-1])[1]
            write_bytes(path, iter((encoded.tobytes(),)))
    mist = folder / "mist.exr"
    if not mist.exists():
        cover = mist_cover(*MIST_SIZE)
        light = np.array((0.16, 0.20, 0.27))[None, None] * cover[:, :, None]
        _write(mist, light, cover)


def dawn(width: int, height: int, drift: float) -> Plane:
    """A sky before sunrise, (H, W, 3) scene-linear ACEScg; its clouds moved by `drift` of its width."""
    y, x = (np.arange(height) + 0.5)[:, None] / height, (np.arange(width) + 0.5)[None] / width
    low = np.clip(y / 0.72, 0, 1)
    mixed = _mix(
        _mix(_colour(_ZENITH), _colour(_MIDDLE), low[:, :, None] ** 1.3), _colour(_HORIZON), low[:, :, None] ** 5
    )
    sky = mixed * (1 + 0.5 * np.exp(-(((x - 0.3) / 0.28) ** 2))[:, :, None] * low[:, :, None] ** 3)
    dense = _noise(height, width, drift)
    cover = np.clip((dense - 0.52) * 3.2, 0, 1) * np.clip(1.25 - y, 0, 1)
    side = np.clip(0.5 + 2.2 * (dense - _noise(height, width, drift, 0.012)), 0, 1)
    clouds = _mix(_colour(_SHADED), _colour(_LIT), (side * (0.35 + 0.65 * low))[:, :, None])
    return _mix(sky, clouds, 0.8 * cover[:, :, None])


def mist_cover(width: int, height: int) -> Plane:
    """How dense a drift of mist is, (H, W), 0..1: a band across the middle, torn at its edges."""
    y = (np.arange(height) + 0.5)[:, None] / height
    band = np.exp(-(((y - 0.55) / 0.16) ** 2))
    return np.clip(1.5 * band * (_noise(height, width, 0.37) - 0.25), 0, 0.85)


def _noise(height: int, width: int, drift: float, lower: float = 0.0) -> Plane:
    """Fractal value noise, stretched along the horizon; 0..1."""
    generator = np.random.default_rng(_SEED)
    total, weight = np.zeros((height, width)), 0.0
    for octave in range(5):
        columns, rows = 6 * 2**octave, 8 * 2**octave
        grid = generator.random((rows + 2, columns)).astype(np.float32)
        u = (((np.arange(width) + 0.5) / width + drift) * columns) % columns
        v = np.clip((np.arange(height) + 0.5) / height + lower, 0, 1) * rows
        wide = np.concatenate([grid, grid[:, :2]], axis=1)
        where_u, where_v = (a.astype(np.float32) for a in np.meshgrid(u, v))
        total += 0.5**octave * cv2.remap(wide, where_u, where_v, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        weight += 0.5**octave
    return np.clip(total / weight, 0, 1)


def _colour(triple: tuple[float, float, float]) -> Plane:
    return np.array(triple)[None, None]


def _mix(one: Plane, other: Plane, share: Plane) -> Plane:
    return one + (other - one) * share


def _display(light: Plane) -> Plane:
    """A plain camera's picture of it: rolled off towards white, sRGB-encoded, red first."""
    exposed = 1 - np.exp(-1.6 * light)
    return np.where(exposed <= 0.0031308, 12.92 * exposed, 1.055 * exposed ** (1 / 2.4) - 0.055)


def _write(path: Path, light: Plane, alpha: Plane | None) -> None:
    channels = {letter: light[:, :, k] for k, letter in enumerate("RGB")} | ({} if alpha is None else {"A": alpha})
    halves = {letter: narrow_to_half(np.ascontiguousarray(plane, np.float32)) for letter, plane in channels.items()}
    window = Window(0, 0, light.shape[1], light.shape[0])
    attributes = {
        "chromaticities": GAMUTS["AP1"],
        "software": "Escala stage",
        "owner": "Dawn, a made-up sky",
        "framesPerSecond": Fraction(24),
    }
    write_exr(path, halves, window, window, attributes)
