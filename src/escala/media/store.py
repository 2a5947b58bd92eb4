"""The pass store: each frame decoded once, all passes planar in one memory-mapped file, with their pyramids."""

import hashlib
import json
import mmap
import os
import shutil
import tempfile
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from escala.core.diagnostics import PassStatistics, join_statistics, measure_plane
from escala.core.planes import widen_half
from escala.core.pyramid import halve_box, halve_nearest, level_count

from .sources import SourceFile
from .windows import Window

INDEX, PIXELS = "index.json", "planes.bin"
_FORMAT = 3


@dataclass(frozen=True)
class StoredPass:
    """A pass in the store: where it came from and where its planes lie. `levels`: offset, rows, columns of each."""

    name: str
    label: str
    file: str
    part_name: str
    channels: tuple[str, ...]
    letters: tuple[str, ...]
    pixel_type: str
    levels: tuple[tuple[int, int, int], ...]
    statistics: PassStatistics


@dataclass(frozen=True)
class FrameHeader:
    """What a frame's files say beyond pixels."""

    display: Window
    raster: Window
    pixel_aspect: float
    chromaticities: tuple[float, ...] | None
    encoded: bool
    attributes: dict[str, str] = field(default_factory=dict)


def frame_key(files: Sequence[SourceFile]) -> str:
    """A key that changes when any file of a frame does: from paths, sizes and times."""
    facts = [(str(f.path.resolve()), f.label, f.path.stat().st_size, f.path.stat().st_mtime_ns) for f in files]
    return hashlib.sha256(json.dumps([_FORMAT, facts]).encode()).hexdigest()[:32]


class FrameWriter:
    """Writes one frame into the store; the frame appears when the block ends without an error."""

    def __init__(self, folder: Path) -> None:
        self._target = folder
        folder.parent.mkdir(parents=True, exist_ok=True)
        self._unfinished = Path(tempfile.mkdtemp(prefix=".new-", dir=folder.parent))
        self._file: BinaryIO = (self._unfinished / PIXELS).open("wb")
        self._passes: list[StoredPass] = []
        self._scratch = np.empty(0, np.float32)

    def __enter__(self) -> "FrameWriter":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: object, trace: object) -> None:
        self._file.close()
        if kind is not None:
            shutil.rmtree(self._unfinished, ignore_errors=True)

    def add(self, entry: dict[str, Any], planes: list[NDArray[Any]], exact: bool) -> StoredPass:
        """Write a pass and its pyramid. `exact`: ids and the like, whose pyramid takes the nearest pixel."""
        pixel_type = _TYPES[planes[0].dtype.name]
        halve = halve_nearest if exact or planes[0].dtype.kind != "f" else halve_box
        measured = []
        levels = []
        for level in range(level_count(*planes[0].shape)):
            levels.append((self._file.tell(), *planes[0].shape))
            smaller = []
            for plane in planes:
                plane.tofile(self._file)
                wide = self._widen(plane)
                if not level:
                    measured.append(measure_plane(wide))
                smaller.append(halve(plane, wide))
            planes = smaller
        statistics = join_statistics(measured)
        stored = StoredPass(**entry, pixel_type=pixel_type, levels=tuple(levels), statistics=statistics)
        self._passes.append(stored)
        return stored

    def _widen(self, plane: NDArray[Any]) -> NDArray[Any]:
        """A plane's values as float32, in scratch that is used again: fresh memory costs more than the work."""
        if plane.dtype != np.float16:
            return plane
        if self._scratch.size < plane.size:
            self._scratch = np.empty(plane.size, np.float32)
        return widen_half(plane, self._scratch[: plane.size].reshape(plane.shape))

    def finish(self, header: FrameHeader) -> None:
        """Write the index and put the frame in its place."""
        self._file.close()
        index = {"header": asdict(header), "passes": [asdict(stored) for stored in self._passes]}
        (self._unfinished / INDEX).write_text(json.dumps(index))
        try:
            os.rename(self._unfinished, self._target)
        except OSError:  # another process was faster with the same frame
            shutil.rmtree(self._unfinished, ignore_errors=True)


class StoredFrame:
    """A decoded frame: header and passes, planes read through a memory map."""

    def __init__(self, folder: Path) -> None:
        index = json.loads((folder / INDEX).read_text())
        head = index["header"]
        head |= {"display": Window(**head["display"]), "raster": Window(**head["raster"])}
        self.header = FrameHeader(**head)
        self.passes = {p["name"]: _stored_pass(p) for p in index["passes"]}
        self.folder = folder

    @cached_property
    def _map(self) -> NDArray[np.uint8]:
        return np.memmap(self.folder / PIXELS, dtype=np.uint8, mode="r")

    def release(self) -> None:
        """Let the pages of the map go that were read: they are on the disk, and need not count as memory in use."""
        owner = getattr(self._map, "_mmap", None)
        if owner is not None and hasattr(mmap, "MADV_DONTNEED"):
            owner.madvise(mmap.MADV_DONTNEED)

    def planes(self, name: str, level: int = 0) -> NDArray[Any]:
        """A pass as stored, (C, H, W) in its own pixel type, at a level of its pyramid; a view of the map."""
        stored = self.passes[name]
        offset, rows, columns = stored.levels[level]
        kind = np.dtype(_DTYPES[stored.pixel_type])
        size = len(stored.channels) * rows * columns * kind.itemsize
        return self._map[offset : offset + size].view(kind).reshape(len(stored.channels), rows, columns)


def trim_store(folder: Path, limit_bytes: int, keep: Iterable[Path] = ()) -> None:
    """Delete the frames unused for longest until the store is within its limit; `keep` is never deleted."""
    kept = set(keep)
    frames = [f for f in folder.iterdir() if (f / INDEX).is_file()] if folder.is_dir() else []
    sizes = {frame: sum(file.stat().st_size for file in frame.iterdir()) for frame in frames}
    total = sum(sizes.values())
    for frame in sorted(frames, key=lambda f: (f / INDEX).stat().st_atime):
        if total <= limit_bytes:
            return
        if frame not in kept:
            shutil.rmtree(frame, ignore_errors=True)
            total -= sizes[frame]


_TYPES = {"float16": "half", "float32": "float", "uint32": "uint"}
_DTYPES = {"half": np.float16, "float": np.float32, "uint": np.uint32}


def _stored_pass(entry: dict[str, Any]) -> StoredPass:
    statistics = entry.pop("statistics")
    listed = {key: tuple(value) if isinstance(value, list) else value for key, value in statistics.items()}
    levels = tuple((int(a), int(b), int(c)) for a, b, c in entry.pop("levels"))
    plain = {key: tuple(value) if isinstance(value, list) else value for key, value in entry.items()}
    return StoredPass(**plain, levels=levels, statistics=PassStatistics(**listed))
