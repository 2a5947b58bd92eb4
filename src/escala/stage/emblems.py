"""Two emblems for the sail: flat pictures with alpha, drawn by formulas."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from escala.media.atomic_write import write_bytes

Plane = NDArray[np.float64]
Shape = Callable[[Plane, Plane], Plane]

SIDE = 512
# Display values, red first.
_CLOTH, _NAVY, _AMBER, _GREEN, _WHITE = (226, 216, 190), (24, 42, 74), (222, 150, 40), (22, 92, 78), (246, 244, 236)


def write_emblems(folder: Path) -> list[Path]:
    """Write both as PNG where they are not there yet; their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for name, draw in EMBLEMS.items():
        path = folder / f"{name}.png"
        if not path.exists():
            done, encoded = cv2.imencode(".png", cv2.cvtColor(draw(), cv2.COLOR_RGBA2BGRA))
            assert done
            write_bytes(path, iter((encoded.tobytes(),)))
        paths.append(path)
    return paths


def lighthouse() -> NDArray[np.uint8]:
    """A tower with its beams, on a disc with a navy ring."""
    return _painted(
        (_disc(0.98), _NAVY),
        (_disc(0.86), _CLOTH),
        (_beam(0.62, 0.06), _AMBER),
        (_beam(-0.62, 0.06), _AMBER),
        (_tower, _NAVY),
        (_stripe(-0.02, 0.12), _WHITE),
        (_stripe(-0.36, 0.12), _WHITE),
        (_circle(0.0, 0.47, 0.11), _AMBER),
    )


def gull() -> NDArray[np.uint8]:
    """A gull before a low sun, on a disc with a green ring."""
    return _painted(
        (_disc(0.98), _GREEN),
        (_disc(0.86), _CLOTH),
        (_circle(0.0, -0.16, 0.42), _AMBER),
        (_below(-0.2), _GREEN),
        (_wing(-0.36), _NAVY),
        (_wing(0.36), _NAVY),
    )


EMBLEMS: dict[str, Callable[[], NDArray[np.uint8]]] = {"lighthouse": lighthouse, "gull": gull}


def _painted(*layers: tuple[Shape, tuple[int, int, int]]) -> NDArray[np.uint8]:
    """Shapes over each other, as (SIDE, SIDE, 4); a shape is how far inside of it a place is, 1 from middle to edge."""
    places = (np.arange(SIDE) + 0.5) / SIDE * 2 - 1
    x, y = np.meshgrid(places, -places)
    colour, alpha = np.zeros((SIDE, SIDE, 3)), np.zeros((SIDE, SIDE, 1))
    for shape, paint in layers:
        share = np.clip(shape(x, y) * SIDE / 2 + 0.5, 0, 1)[..., None]
        colour = colour + share * (np.array(paint) - colour)
        alpha = np.maximum(alpha, share)
    return np.rint(np.concatenate([colour, alpha * 255], axis=2)).astype(np.uint8)


def _circle(left: float, up: float, radius: float) -> Shape:
    return lambda x, y: radius - np.hypot(x - left, y - up)


def _disc(radius: float) -> Shape:
    return _circle(0.0, 0.0, radius)


def _tower(x: Plane, y: Plane) -> Plane:
    """Narrower upwards, from the lower edge of the disc to the lamp."""
    width = 0.16 - 0.10 * (y + 0.7)
    return np.minimum(np.minimum(width - np.abs(x), y + 0.72), 0.36 - y)


def _stripe(up: float, high: float) -> Shape:
    return lambda x, y: np.minimum(_tower(x, y), high / 2 - np.abs(y - up))


def _beam(side: float, narrow: float) -> Shape:
    """A beam from the lamp outwards, wider the farther."""
    way = np.sign(side)

    def shape(x: Plane, y: Plane) -> Plane:
        out = x * way
        return np.minimum(
            np.minimum(narrow * 0.4 + 0.22 * out - np.abs(y - 0.47 - 0.1 * out), out - 0.14), abs(side) - out
        )

    return shape


def _below(up: float) -> Shape:
    return lambda x, y: np.minimum(up - y, 0.86 - np.hypot(x, y))


def _wing(middle: float) -> Shape:
    """An arc, thick in its middle and pointed at its ends."""

    def shape(x: Plane, y: Plane) -> Plane:
        across = np.clip(np.abs(x - middle) / 0.38, 0, 1)
        arc = 0.30 + 0.24 * np.sqrt(1 - across**2) - 0.1 * across
        return np.where(np.abs(x - middle) < 0.38, 0.075 * (1 - across**2) + 0.012 - np.abs(y - arc), -0.1)

    return shape
