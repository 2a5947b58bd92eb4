"""What a file may cost: checked against what it claims, before memory or disk is taken."""

import shutil
from collections.abc import Iterable
from pathlib import Path

import psutil

from escala.core.errors import NoRoom, TooLarge

from .windows import Window

MAX_CHANNELS = 1024
MAX_SIDE = 65536
MAX_PIXELS = 1 << 28
MAX_BYTES = 64 * 2**30
# Windows that lie apart leave nothing between them; so many times their own pixels are kept for it, or so many at all.
_MOST_SPREAD, _FREE_SPREAD = 4, 4_000_000
# What is left on a disk for everybody else.
_RESERVE_BYTES = 64 * 2**20


def check_claim(path: Path, width: int, height: int, channels: int) -> None:
    """Raises `TooLarge` for a picture that no header is believed to hold; pixels count 4 bytes a channel."""
    if not 0 < channels <= MAX_CHANNELS:
        raise TooLarge(path, f"the header claims {channels} channels; 1 to {MAX_CHANNELS} are read")
    if not (0 < width <= MAX_SIDE and 0 < height <= MAX_SIDE):
        raise TooLarge(path, f"the header claims {width} × {height} pixels; the limit is {MAX_SIDE} a side")
    if width * height > MAX_PIXELS:
        raise TooLarge(path, f"the header claims {width} × {height} pixels; the limit is {MAX_PIXELS >> 20} million")
    check_bytes(path, width * height * channels * 4)


def check_bytes(path: Path, claimed: int) -> None:
    """Raises `TooLarge` for more pixels than a frame may have."""
    if claimed > MAX_BYTES:
        raise TooLarge(path, f"the header claims {claimed / 2**30:.0f} GiB of pixels; the limit is {MAX_BYTES >> 30}")


def check_memory(what: object, wanted: int) -> None:
    """Raises `TooLarge` for work that would take more than half of the memory that is free now."""
    free = psutil.virtual_memory().available
    if wanted > free // 2:
        raise TooLarge(what, f"it would take {wanted / 2**30:.1f} GiB of memory, {free / 2**30:.1f} are free")


def check_disk(folder: Path, wanted: int, what: object) -> None:
    """Raises `NoRoom` before `wanted` bytes are written that the folder's disk cannot hold."""
    free = shutil.disk_usage(folder).free
    if wanted + _RESERVE_BYTES > free:
        raise NoRoom(f"{what} ({wanted / 2**20:.0f} MiB wanted, {free / 2**20:.0f} MiB free in {folder})")


def check_spread(path: Path, raster: Window, windows: Iterable[Window]) -> None:
    """Raises `TooLarge` where windows lie so far apart that the picture around them would be nearly all empty."""
    held = sum(window.width * window.height for window in windows)
    area = raster.width * raster.height
    if raster.width > MAX_SIDE or raster.height > MAX_SIDE or area > max(_MOST_SPREAD * held, _FREE_SPREAD):
        raise TooLarge(path, f"its parts are so far apart that they need {raster.width} × {raster.height} pixels")
