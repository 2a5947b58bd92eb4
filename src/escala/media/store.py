"""The pass store: each frame decoded once, all passes planar in one memory-mapped file, with their pyramids."""

import hashlib
import json
import mmap
import os
import shutil
import tempfile
import threading
import weakref
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from escala.core.colour.file_colour import FileColour
from escala.core.errors import UnreadableFile
from escala.core.source.diagnostics import Figures, PassStatistics, join_figures, join_statistics
from escala.core.source.intake_rows import FIGURES, split_band, split_plane
from escala.core.viewer.pyramid import halve_box, halve_nearest, level_count

from .atomic_write import unfinished
from .limits import check_disk
from .path_safety import is_file
from .sources import SourceFile
from .windows import Window

INDEX, PIXELS = "index.json", "planes.bin"
_FORMAT = 8
_STAMPED = 16 << 10
# Attributes with this beginning tell which files were brought to another size.
FITTED = "fitted/"


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
    colour: FileColour
    levels: tuple[tuple[int, int, int], ...]
    statistics: PassStatistics


@dataclass(frozen=True)
class FrameHeader:
    """What a frame's files say beyond pixels."""

    display: Window
    raster: Window
    pixel_aspect: float
    attributes: dict[str, str] = field(default_factory=dict)


def frame_key(files: Sequence[SourceFile]) -> str:
    """A key that changes when any file of a frame does: from paths, sizes, times, and how they begin and end."""
    facts = [(str(f.path.resolve()), f.label, f.fit, f.video_frame, *_state(f.path)) for f in files]
    return hashlib.sha256(json.dumps([_FORMAT, facts]).encode()).hexdigest()[:32]


def _state(path: Path) -> tuple[int, int, str]:
    """Size, time, and a digest of the first and last bytes: clocks are coarse, and copies keep times."""
    if not is_file(path):  # a pipe would block on opening
        raise UnreadableFile(path, "no such file")
    with path.open("rb") as file:
        state = os.fstat(file.fileno())
        start = file.read(_STAMPED)
        file.seek(max(0, state.st_size - _STAMPED))
        ends = hashlib.sha256(start + file.read(_STAMPED)).hexdigest()[:16]
    return state.st_size, state.st_mtime_ns, ends


@dataclass(frozen=True)
class PassSlot:
    """A pass that is going to be written. `exact`: ids and the like, whose pyramid takes the nearest pixel."""

    name: str
    label: str
    file: str
    part_name: str
    channels: tuple[str, ...]
    letters: tuple[str, ...]
    pixel_type: str
    colour: FileColour
    exact: bool


class FrameWriter:
    """Writes one frame into the store; the frame appears when the block ends without an error.

    All planes of one pixel type lie one after another, level by level, so that a band of rows of all of them can be
    split in one loop.
    """

    def __init__(self, folder: Path, slots: Sequence[PassSlot], rows: int, columns: int) -> None:
        self._target = folder
        self._slots = list(slots)
        folder.parent.mkdir(parents=True, exist_ok=True)
        self._groups: dict[str, _PlaneGroup] = {}
        offset = 0
        for kind in DTYPES:
            chosen = [slot for slot in self._slots if slot.pixel_type == kind]
            if chosen:
                self._groups[kind] = _PlaneGroup(kind, chosen, rows, columns, offset)
                offset = self._groups[kind].end
        check_disk(folder.parent, offset, "the decoded passes")
        self._unfinished = Path(tempfile.mkdtemp(prefix=unfinished(), dir=folder.parent))
        self._file: BinaryIO = (self._unfinished / PIXELS).open("w+b")
        os.truncate(self._file.fileno(), offset)

    def __enter__(self) -> "FrameWriter":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: object, trace: object) -> None:
        self._file.close()
        if kind is not None:
            shutil.rmtree(self._unfinished, ignore_errors=True)

    def write_band(self, top: int, band: NDArray[Any], places: Sequence[tuple[str, int] | None]) -> None:
        """Write rows (rows, W, channels) that begin at the even row `top`; `places`: pass and plane of each channel."""
        for group in self._groups.values():
            order = [group.place(*place) if place else -1 for place in places]
            if max(order) >= 0:
                group.write_band(self._file.fileno(), top, band, np.array(order, np.int32))

    def write_plane(self, name: str, index: int, plane: NDArray[Any]) -> None:
        """Write one plane (H, W) of a pass, in the pixel type that was announced, with its smaller levels."""
        for group in self._groups.values():
            place = group.place(name, index)
            if place >= 0:
                group.write_plane(self._file.fileno(), place, np.ascontiguousarray(plane, group.kind))

    def finish(self, header: FrameHeader) -> None:
        """Write the smaller levels and the index, and put the frame in its place."""
        passes = []
        for slot in self._slots:
            group = self._groups[slot.pixel_type]
            facts = {key: value for key, value in vars(slot).items() if key != "exact"}
            statistics = join_statistics(group.figures_of(slot))
            passes.append(StoredPass(**facts, levels=group.levels_of(slot), statistics=statistics))
        for group in self._groups.values():
            group.write_smaller_levels(self._file)
        self._file.close()
        index = {"header": header, "passes": passes}
        (self._unfinished / INDEX).write_text(json.dumps(index, default=vars))
        try:
            os.rename(self._unfinished, self._target)
        except OSError:  # another process was faster with the same frame
            shutil.rmtree(self._unfinished, ignore_errors=True)


class _PlaneGroup:
    """The planes of one pixel type in a file of the store: where they lie, and how bands of rows get there."""

    def __init__(self, kind: str, slots: Sequence[PassSlot], rows: int, columns: int, offset: int) -> None:
        self.kind = np.dtype(DTYPES[kind])
        self.bits = np.dtype(np.uint16) if kind == "half" else self.kind
        self._first: dict[str, int] = {}
        count = 0
        for slot in slots:
            self._first[slot.name] = count
            count += len(slot.channels)
        self.count = count
        self._whole: set[int] = set()
        self.nearest = np.array([slot.exact for slot in slots for _ in slot.channels], np.bool_)
        self.nearest |= kind == "uint"
        self.figures = np.zeros((count, (rows + 1) // 2, FIGURES))
        self.levels: list[tuple[int, int, int]] = []
        for _ in range(level_count(rows, columns)):
            self.levels.append((offset, rows, columns))
            offset += count * rows * columns * self.kind.itemsize
            rows, columns = (rows + 1) // 2, (columns + 1) // 2
        self.end = offset
        self._band: tuple[NDArray[Any], NDArray[Any]] | None = None

    def place(self, name: str, index: int) -> int:
        """The plane of a pass's channel, -1 for a pass of another pixel type."""
        first = self._first.get(name)
        return -1 if first is None else first + index

    def write_band(self, file: int, top: int, band: NDArray[Any], order: NDArray[np.int32]) -> None:
        """Split a band into rows of planes and the rows of the next level, and write both where they belong."""
        rows, columns = band.shape[:2]
        shape = (self.count, rows, columns)
        if self._band is None or self._band[0].shape != shape:
            half = (self.count, (rows + 1) // 2, (columns + 1) // 2)
            self._band = np.zeros(shape, self.bits), np.zeros(half, self.bits)
        full, small = self._band
        given = band.view(np.uint16) if band.dtype == np.float16 else band
        split_band(given, order, self.nearest, top, full, small, self.figures)
        for plane in order[order >= 0].tolist():  # plain integers: offsets go beyond 2 GiB
            self._write_rows(file, 0, plane, top, full[plane])
            if len(self.levels) > 1:
                self._write_rows(file, 1, plane, top // 2, small[plane])

    def write_plane(self, file: int, place: int, plane: NDArray[Any]) -> None:
        """Write a plane at all its levels."""
        smaller = np.empty(sum(rows * columns for _, rows, columns in self.levels[1:]), self.bits)
        split_plane(plane.view(self.bits), self.nearest[place], smaller, self.figures[place])
        self._write_rows(file, 0, place, 0, plane)
        start = 0
        for level, (_, rows, columns) in enumerate(self.levels[1:], 1):
            self._write_rows(file, level, place, 0, smaller[start : start + rows * columns])
            start += rows * columns
        self._whole.add(place)

    def _write_rows(self, file: int, level: int, plane: int, top: int, rows: NDArray[Any]) -> None:
        offset, height, width = self.levels[level]
        data, place = memoryview(rows).cast("B"), offset + (plane * height + top) * width * self.kind.itemsize
        while data:
            done = os.pwrite(file, data, place)
            data, place = data[done:], place + done

    def write_smaller_levels(self, file: BinaryIO) -> None:
        """From the second level on, plane by plane, of what was written in bands."""
        in_bands = sorted(set(range(self.count)) - self._whole)
        for (source, rows, columns), (target, *_) in pairwise(self.levels[1:]):
            for plane in in_bands:
                file.seek(source + plane * rows * columns * self.kind.itemsize)
                larger = np.fromfile(file, self.kind, rows * columns).reshape(rows, columns)
                smaller = halve_nearest(larger) if self.nearest[plane] else halve_box(larger)
                file.seek(target + plane * smaller.nbytes)
                smaller.tofile(file)

    def levels_of(self, slot: PassSlot) -> tuple[tuple[int, int, int], ...]:
        """Offset, rows and columns of a pass at each level."""
        first, size = self._first[slot.name], self.kind.itemsize
        return tuple((at + first * rows * columns * size, rows, columns) for at, rows, columns in self.levels)

    def figures_of(self, slot: PassSlot) -> list[Figures]:
        """The figures of the planes of a pass."""
        first = self._first[slot.name]
        return self._joined_figures[first : first + len(slot.channels)]

    @cached_property
    def _joined_figures(self) -> list[Figures]:
        """Those of all planes, once all are written."""
        _, rows, columns = self.levels[0]
        return join_figures(self.figures, rows * columns)


class StoredFrame:
    """A decoded frame: header and passes, planes read through a memory map.

    Its folder stays in the store for as long as the frame is in use in this process; what is deleted by another one
    can still be read, for the pixels are mapped at once.
    """

    def __init__(self, folder: Path) -> None:
        index = json.loads((folder / INDEX).read_text())
        head = index["header"]
        head |= {"display": Window(**head["display"]), "raster": Window(**head["raster"])}
        self.header = FrameHeader(**head)
        self.passes = {p["name"]: _stored_pass(p) for p in index["passes"]}
        self.folder = folder
        self._map: NDArray[np.uint8] = np.memmap(folder / PIXELS, dtype=np.uint8, mode="r")
        _IN_USE.add(self)

    @property
    def undenoised(self) -> "StoredFrame":
        """The frame with its passes as stored: itself."""
        return self

    @property
    def denoised(self) -> tuple[str, ...]:
        """The names of its denoised passes: none."""
        return ()

    def release(self) -> None:
        """Let the pages of the map go that were read: they are on the disk, and need not count as memory in use."""
        owner = getattr(self._map, "_mmap", None)
        if owner is not None and hasattr(mmap, "MADV_DONTNEED"):
            owner.madvise(mmap.MADV_DONTNEED)

    def planes(self, name: str, level: int = 0) -> NDArray[Any]:
        """A pass as stored, (C, H, W) in its own pixel type, at a level of its pyramid; a view of the map."""
        stored = self.passes[name]
        offset, rows, columns = stored.levels[level]
        kind = np.dtype(DTYPES[stored.pixel_type])
        size = len(stored.channels) * rows * columns * kind.itemsize
        return self._map[offset : offset + size].view(kind).reshape(len(stored.channels), rows, columns)


_IN_USE: "weakref.WeakSet[StoredFrame]" = weakref.WeakSet()
# Held where a folder is found and opened, and where one is chosen and deleted.
_FOLDERS = threading.Lock()


def open_stored(folder: Path) -> StoredFrame | None:
    """The frame in a folder of the store, noted as used now; None where it is not there."""
    with _FOLDERS:
        if not (folder / INDEX).is_file():
            return None
        with suppress(OSError):  # it only records which frame was used last
            os.utime(folder / INDEX)
        return StoredFrame(folder)


class RepairedFrame(StoredFrame):
    """A frame of which some passes were written anew, into a folder of their own."""

    def __init__(self, repaired: StoredFrame, original: StoredFrame) -> None:
        self._repaired = repaired
        self._original = original
        self.header, self.folder = repaired.header, repaired.folder
        self.passes = original.passes | repaired.passes

    def planes(self, name: str, level: int = 0) -> NDArray[Any]:
        """As for any frame; a repaired pass comes from its own folder."""
        source = self._repaired if name in self._repaired.passes else self._original
        return source.planes(name, level)

    def release(self) -> None:
        """As for any frame."""
        self._repaired.release()
        self._original.release()


class DenoisedFrame(StoredFrame):
    """A frame some of whose passes come from frames of one pass each, which hold them without their noise."""

    def __init__(self, smooth: Sequence[StoredFrame], original: StoredFrame) -> None:
        self._smooth = {name: frame for frame in smooth for name in frame.passes}
        self._original = original
        self.header = original.header
        self.passes = original.passes | {name: frame.passes[name] for name, frame in self._smooth.items()}
        # Known by all that made it: what is kept of one mixture is nothing of another.
        names = original.folder.name + "".join(frame.folder.name for frame in smooth)
        self.folder = original.folder.with_name(hashlib.sha256(names.encode()).hexdigest()[:32])

    @property
    def undenoised(self) -> StoredFrame:
        """The frame with its passes as stored."""
        return self._original

    @property
    def denoised(self) -> tuple[str, ...]:
        """The names of its denoised passes."""
        return tuple(self._smooth)

    def planes(self, name: str, level: int = 0) -> NDArray[Any]:
        """As for any frame."""
        return self._smooth.get(name, self._original).planes(name, level)

    def release(self) -> None:
        """As for any frame."""
        for frame in (self._original, *self._smooth.values()):
            frame.release()


def trim_store(folder: Path, limit_bytes: int) -> None:
    """Delete the frames unused for longest until the store is within its limit; frames in use in this process stay."""
    frames = [f for f in folder.iterdir() if (f / INDEX).is_file()] if folder.is_dir() else []
    facts = {frame: _size_and_use(frame) for frame in frames}
    total = sum(size for size, _ in facts.values())
    for frame in sorted(frames, key=lambda f: facts[f][1]):
        if total <= limit_bytes:
            return
        if _delete(frame):
            total -= facts[frame][0]


def _size_and_use(frame: Path) -> tuple[int, float]:
    """Bytes of a frame, and when it was used last; nothing for one that another process has just deleted."""
    try:
        return sum(file.stat().st_size for file in frame.iterdir()), (frame / INDEX).stat().st_atime
    except OSError:
        return 0, 0.0


def _delete(frame: Path) -> bool:
    """Delete a frame that nobody in this process uses; whether it is gone."""
    with _FOLDERS:
        if any(used.folder == frame for used in tuple(_IN_USE)):
            return False
        gone = frame.with_name(f"{unfinished()}{frame.name}")
        try:
            os.rename(frame, gone)
        except OSError:
            return False
    shutil.rmtree(gone, ignore_errors=True)
    return True


DTYPES = {"half": np.float16, "float": np.float32, "uint": np.uint32}
PIXEL_TYPES = {np.dtype(kind): name for name, kind in DTYPES.items()}


def _stored_pass(entry: dict[str, Any]) -> StoredPass:
    statistics, colour = entry.pop("statistics"), entry.pop("colour")
    corners = colour.pop("chromaticities")
    listed = {key: tuple(value) if isinstance(value, list) else value for key, value in statistics.items()}
    levels = tuple((int(a), int(b), int(c)) for a, b, c in entry.pop("levels"))
    plain = {key: tuple(value) if isinstance(value, list) else value for key, value in entry.items()}
    return StoredPass(
        **plain,
        colour=FileColour(**colour, chromaticities=None if corners is None else tuple(corners)),
        levels=levels,
        statistics=PassStatistics(**listed),
    )
