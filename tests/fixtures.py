"""Small made-up renders, written with the format's own library."""

import os
import tempfile
import unittest
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import OpenEXR
from numpy.typing import NDArray

Planes = NDArray[np.floating[Any]]
# Orders of the result, as the API takes them.
EXR_FILE = {"files": [{"what": "result", "format": "exr"}]}
PNG_FILE = {"files": [{"what": "result", "format": "png"}]}
Item = TypeVar("Item")


def sampled(cases: Sequence[Item], step: int) -> Sequence[Item]:
    """Every `step`-th of many similar cases; all of them in `make fuzz`."""
    return cases if os.environ.get("ESCALA_TEST_ALL") else cases[::step]


def light(seed: int, height: int = 24, width: int = 32, top: float = 4.0) -> Planes:
    """A picture of light as half-float values in float32: some dark, some above 1."""
    values = np.random.default_rng(seed).random((3, height, width)) ** 3 * top
    return values.astype(np.float16).astype(np.float32)


def add_up(*parts: Planes) -> Planes:
    """The beauty of parts, rounded to half as a renderer stores it."""
    return np.sum(parts, axis=0, dtype=np.float64).astype(np.float16).astype(np.float32)


def channels_of(passes: Mapping[str, Planes], kind: Any = np.float16) -> dict[str, NDArray[Any]]:
    """Channel names and planes: (3, H, W) as R, G, B of a layer, (H, W) under its full name; "" is the root."""
    channels = {}
    for name, planes in passes.items():
        if planes.ndim == 2:
            channels[name] = np.ascontiguousarray(planes.astype(np.float32))
            continue
        for letter, plane in zip("RGBA", planes, strict=False):
            channels[f"{name}.{letter}" if name else letter] = np.ascontiguousarray(plane.astype(kind))
    return channels


def box(x: int, y: int, width: int, height: int) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """A window as the library takes it."""
    return np.array([x, y], np.int32), np.array([x + width - 1, y + height - 1], np.int32)


def write_layers(path: Path, passes: Mapping[str, Planes], kind: Any = np.float16, **header: Any) -> Path:
    """One part with a layer for every pass."""
    start = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(start | header, channels_of(passes, kind)).write(str(path))
    return path


def write_parts(path: Path, passes: Mapping[str, Planes], kind: Any = np.float16) -> Path:
    """A part for every pass, its channels plainly R, G, B."""
    start = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    parts = [
        OpenEXR.Part(dict(start), channels_of({"": planes} if planes.ndim == 3 else {"Z": planes}, kind), name)
        for name, planes in passes.items()
    ]
    OpenEXR.File(parts).write(str(path))
    return path


def read_colour(path: Path) -> Planes:
    """R, G and B of a file, (3, H, W) float32."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = file.channels()
        return np.stack([channels[letter].pixels.astype(np.float32) for letter in "RGB"])


class FolderTest(unittest.TestCase):
    """A test with a folder of its own."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
