"""What a decoder does: it decodes frames into the pass store, in a process of its own.

It writes `ready`, then reads jobs, one JSON line each, and answers in JSON lines: `progress`, then `done` or `error`.
Whatever the native libraries print themselves goes elsewhere; if one of them crashes, only this process does.
"""

import ctypes
import json
import os
import sys
import time
from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from functools import lru_cache, partial
from pathlib import Path
from typing import Any, TextIO

import numpy as np
from numpy.typing import NDArray

from escala.core.colour.file_colour import FileColour, declared_space
from escala.core.errors import BeingWritten, EscalaError, NoRoom, SizesDiffer, UnreadableFile
from escala.core.mattes.cryptomatte import declared_layers
from escala.core.planes import widen_row
from escala.core.roles import EXACT_ROLES, PassRole, Role
from escala.core.source.intake_rows import FIGURES, split_plane
from escala.core.source.naming import NamedPass, recognise_passes

from .atomic_write import is_full
from .exr import ExrPart, read_channels, read_parts
from .exr_bands import BandPart, BandReader, band_parts
from .layers import Layer, layers_of_parts, pass_name
from .limits import check_memory, check_spread
from .luma_chroma import LETTERS as LUMA_CHROMA
from .luma_chroma import luma_chroma_to_rgb
from .naming_table import naming_table
from .prefetch import read_ahead
from .sources import SourceFile
from .stills import read_still, read_still_header
from .store import DTYPES, FITTED, PIXEL_TYPES, FrameHeader, FrameWriter, PassSlot, frame_key
from .video import read_video_frame, read_video_header
from .windows import Window

Progress = Callable[[float], None]
# Pixels of a frame that are held in memory together, where they can be read in bands instead.
_MOST_BYTES_AT_ONCE = 256 << 20
_PROGRESS_SECONDS = 0.05
# Memory that a decoder at rest keeps at most, and the options of the allocator for that.
_MOST_BYTES_KEPT = 128 << 20
_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3


@dataclass
class _OpenFile:
    """A file of the frame: its layers, and how to get their planes: in bands, or all at once by part and channel."""

    source: SourceFile
    display: Window
    data: list[Window]
    layers: list[Layer]
    parts: list[ExrPart]
    bands: list[BandPart] | None = None
    pixels: list[dict[str, NDArray[Any]]] | None = None
    fitted: str = ""
    encoded: bool = False
    told: str | None = None
    pixel_aspect: float = 1.0

    def fit_to(self, display: Window) -> None:
        """Bring all pixels to another size: means or neighbours for light, nearest pixels for whole numbers."""
        pixels = self.pixels if self.pixels is not None else read_channels(self.source.path, self.parts)
        scale = (display.width / self.display.width, display.height / self.display.height)
        self.data = [_scaled(window, self.display, display, scale) for window in self.data]
        self.pixels = [
            {name: _resized(plane, window) for name, plane in planes.items()}
            for planes, window in zip(pixels, self.data, strict=True)
        ]
        self.fitted = f"{_size(self.display)} to {_size(display)}"
        self.bands, self.display = None, display

    def pixel_type(self, layer: Layer) -> str:
        """The one type that all channels of a layer are stored in: where they differ, float holds them all."""
        if self.bands:
            part = self.bands[layer.part]
            found = {part.pixel_types[part.channels.index(channel)] for channel in layer.channels}
        else:
            assert self.pixels is not None
            found = {PIXEL_TYPES[self.pixels[layer.part][channel].dtype] for channel in layer.channels}
        return found.pop() if len(found) == 1 else "float"


def decode_frame_here(files: Sequence[SourceFile], folder: Path, progress: Progress, key: str | None = None) -> None:
    """Decode the files of one frame into `folder` of the store, in this process.

    `key`: that of the files as they were requested; raises `BeingWritten` when they are others by the end. Whatever a
    file does to a library that reads it is raised as `UnreadableFile`.
    """
    try:
        _decode(files, folder, progress, key)
    except EscalaError:
        raise
    except Exception as error:
        if is_full(error):
            raise NoRoom("the decoded passes") from error
        raise UnreadableFile(files[0].path, _plain(error)) from error


def _decode(files: Sequence[SourceFile], folder: Path, progress: Progress, key: str | None) -> None:
    opened = _open_all(files)
    _settle_sizes(opened)
    _split_alpha(opened)
    raster = opened[0].display
    for file in opened:
        for window in file.data:
            raster = raster.union(window)
    windows = [opened[0].display, *(window for file in opened for window in file.data)]
    check_spread(opened[0].source.path, raster, windows)
    exact = {name for name, role in _roles(opened).items() if role.role in EXACT_ROLES}
    slots = [_slot(file, layer, exact) for file in opened for layer in file.layers]
    with FrameWriter(folder, slots, raster.height, raster.width) as writer:
        for index, file in enumerate(opened):
            share = lambda part, i=index: progress((i + part) / len(opened))  # type: ignore[misc] # noqa: E731
            if file.bands:
                _write_bands(file, writer, raster, share)
            else:
                _write_planes(file, writer, raster, share)
        if key is not None and frame_key(files) != key:
            raise BeingWritten(f"{files[0].path.name} is still being written; it is read once it stops changing")
        writer.finish(_header(opened, raster))


def _open_all(files: Sequence[SourceFile]) -> list[_OpenFile]:
    """The files of a frame; those of them are read at once that fit into memory together, the rest comes in bands."""
    opened, room = [], _MOST_BYTES_AT_ONCE
    for source in files:
        file = _open(source, room)
        if file.bands is None:
            room -= _pixel_bytes(file.parts)
        opened.append(file)
    return opened


def _open(source: SourceFile, room: int) -> _OpenFile:
    """A file, read at once where its pixels take at most `room` bytes, which takes less processor time than bands."""
    if source.path.suffix.lower() == ".exr":
        parts = read_parts(source.path)
        layers = [_as_colour(layer) for layer in layers_of_parts([(part.name, part.channels) for part in parts])]
        file = _OpenFile(source, parts[0].display, [part.data for part in parts], layers, parts)
        file.bands = None if _pixel_bytes(parts) <= room else band_parts(source.path, parts)
        if file.bands is None:
            file.pixels = read_channels(source.path, parts)
        return file
    if source.video_frame is not None:
        return _open_video(source, source.video_frame)
    header = read_still_header(source.path)
    check_memory(source.path, 8 * header.width * header.height * len(header.names))
    names, planes, kind = read_still(source.path)
    height, width = planes[0].shape
    window = Window(0, 0, width, height)
    layers = layers_of_parts([("", names)])
    pixels = [dict(zip(names, planes, strict=True))]
    encoded = kind not in ("float", "half", "double")
    return _OpenFile(source, window, [window], layers, [], None, pixels, encoded=encoded, told=header.told)


def _pixel_bytes(parts: list[ExrPart]) -> int:
    """What all pixels of a file take in memory at most."""
    return sum(4 * part.data.width * part.data.height * len(part.channels) for part in parts)


def _open_video(source: SourceFile, number: int) -> _OpenFile:
    facts, letters = read_video_header(source.path), ["R", "G", "B"]
    planes = read_video_frame(source.path, number)
    window = Window(0, 0, planes[0].shape[1], planes[0].shape[0])
    layers, pixels = layers_of_parts([("", letters)]), [dict(zip(letters, planes, strict=True))]
    file = _OpenFile(source, window, [window], layers, [], None, pixels, encoded=True)
    file.told, file.pixel_aspect = facts.told, facts.pixel_aspect
    return file


def _as_colour(layer: Layer) -> Layer:
    """Luminance and chroma are colour: the pass has red, green and blue."""
    if layer.letters[:3] != LUMA_CHROMA:
        return layer
    return replace(layer, letters=("R", "G", "B", *layer.letters[3:]))


def _slot(file: _OpenFile, layer: Layer, exact: set[str]) -> PassSlot:
    name = _pass_name(file, layer)
    return PassSlot(
        name=name,
        label=file.source.label,
        file=str(file.source.path),
        part_name=layer.part_name,
        channels=layer.channels,
        letters=layer.letters,
        pixel_type=file.pixel_type(layer),
        colour=_file_colour(file, layer),
        exact=name in exact,
    )


def _file_colour(file: _OpenFile, layer: Layer) -> FileColour:
    """What the header of the layer's part says of colour."""
    name = file.source.path.name
    if not file.parts:
        return FileColour(name, told=file.told, encoded=file.encoded)
    part = file.parts[layer.part]
    return FileColour(name, part.chromaticities, declared_space(part.attributes))


def _roles(opened: list[_OpenFile]) -> dict[str, PassRole]:
    """The roles of all passes by name."""
    parts = [part for file in opened for part in file.parts or ()]
    declared = [name for part in parts for name in declared_layers(part.attributes)]
    named = [NamedPass(_pass_name(file, layer), layer.letters) for file in opened for layer in file.layers]
    return {p.name: role for p, role in zip(named, _recognised(tuple(named), tuple(declared)), strict=True)}


@lru_cache(maxsize=8)
def _recognised(named: tuple[NamedPass, ...], declared: tuple[str, ...]) -> list[PassRole]:
    """As `recognise_passes`; the frames of a sequence have the same passes."""
    return recognise_passes(named, naming_table(), declared)


def _split_alpha(opened: list[_OpenFile]) -> None:
    """The beauty's alpha becomes a pass of its own."""
    roles = _roles(opened)
    for file in opened:
        layers = []
        for layer in file.layers:
            if roles[_pass_name(file, layer)].role == Role.BEAUTY and layer.letters == ("R", "G", "B", "A"):
                colour = replace(layer, channels=layer.channels[:3], letters=layer.letters[:3])
                name = f"{layer.name}.A" if layer.name else "A"
                layers += [colour, replace(layer, name=name, channels=layer.channels[3:], letters=("A",))]
            else:
                layers.append(layer)
        file.layers = layers


def _settle_sizes(opened: list[_OpenFile]) -> None:
    """Files of other sizes than the first are refused with an explanation, or fitted where that was requested."""
    first = opened[0]
    for file in opened[1:]:
        if (file.display.width, file.display.height) == (first.display.width, first.display.height):
            continue
        if not file.source.fit:
            raise SizesDiffer(
                f"{file.source.path.name} is {_size(file.display)} and {first.source.path.name} "
                f"{_size(first.display)} pixels: {_size_advice(first.display, file.display)}"
            )
        file.fit_to(first.display)


def _size(window: Window) -> str:
    return f"{window.width} × {window.height}"


def _size_advice(ours: Window, theirs: Window) -> str:
    same_shape = abs(ours.width * theirs.height - ours.height * theirs.width) <= max(ours.width, theirs.width)
    shape = (
        "it has the same aspect ratio and can be resized"
        if same_shape
        else "its aspect ratio differs too, resizing would distort it"
    )
    return f"all passes must have the same size; {shape}. Resize to match the first, or render again."


def _pass_name(file: _OpenFile, layer: Layer) -> str:
    return pass_name(file.source.label, layer, len(file.layers) == 1)


def _write_bands(file: _OpenFile, writer: FrameWriter, raster: Window, progress: Progress) -> None:
    """Every part in bands of rows, each split into all its passes at once."""
    assert file.bands
    for index, part in enumerate(file.bands):
        places = {
            channel: (_pass_name(file, layer), k)
            for layer in file.layers
            if layer.part == index
            for k, channel in enumerate(layer.channels)
        }
        order = [places.get(channel) for channel in part.channels]
        with BandReader(file.source.path, part) as reader:
            steps = range(raster.y, raster.bottom, part.band_rows)
            rows = [(top, min(top + part.band_rows, raster.bottom)) for top in steps]
            reads = [partial(_placed_band, reader, file.data[index], raster, *each) for each in rows]
            for (top, bottom), band in zip(rows, read_ahead(reads), strict=True):
                writer.write_band(top - raster.y, band, order)
                progress((index + (bottom - raster.y) / raster.height) / len(file.bands))


def _placed_band(reader: BandReader, data: Window, raster: Window, top: int, bottom: int) -> NDArray[Any]:
    """Rows of the raster, zeros where the part has no data."""
    first, last = max(top, data.y), min(bottom, data.bottom)
    if (first, last, data.x, data.width) == (top, bottom, raster.x, raster.width):
        return reader.read(top, bottom)
    out = np.zeros((bottom - top, raster.width, reader.channel_count), reader.dtype)
    if first < last:
        left = data.x - raster.x
        out[first - top : last - top, left : left + data.width] = reader.read(first, last)
    return out


def _write_planes(file: _OpenFile, writer: FrameWriter, raster: Window, progress: Progress) -> None:
    """Every channel by itself, from pixels that were read at once."""
    assert file.pixels is not None
    for done, layer in enumerate(file.layers):
        kind = DTYPES[file.pixel_type(layer)]
        stored = _stored_planes(file, layer)
        for index in range(len(layer.channels)):
            plane = stored[index].astype(kind, copy=False)
            writer.write_plane(_pass_name(file, layer), index, _place(plane, file.data[layer.part], raster))
        progress((done + 1) / len(file.layers))


def _stored_planes(file: _OpenFile, layer: Layer) -> list[NDArray[Any]]:
    """The planes of a layer as read; luminance and chroma as red, green and blue."""
    assert file.pixels is not None
    planes = [file.pixels[layer.part][channel] for channel in layer.channels]
    if layer.channels[0].rpartition(".")[2] == "Y" and len(planes) >= 3 and layer.letters[:3] == ("R", "G", "B"):
        colour = [plane.astype(np.float32) for plane in planes[:3]]
        planes[:3] = luma_chroma_to_rgb(colour[0], colour[1], colour[2], file.parts[layer.part].chromaticities)
    return planes


def _place(plane: NDArray[Any], data: Window, raster: Window) -> NDArray[Any]:
    """A plane of its data window in the raster of the frame, zeros around; sub-sampled channels repeated."""
    if plane.shape != (data.height, data.width):
        rows, columns = -(-data.height // plane.shape[0]), -(-data.width // plane.shape[1])
        plane = plane.repeat(rows, axis=0).repeat(columns, axis=1)[: data.height, : data.width]
    if data == raster:
        return plane
    out = np.zeros((raster.height, raster.width), plane.dtype)
    out[data.within(raster)] = plane
    return out


def _scaled(window: Window, ours: Window, theirs: Window, scale: tuple[float, float]) -> Window:
    """A window of one display window in another one's pixels."""
    x, y = theirs.x + round((window.x - ours.x) * scale[0]), theirs.y + round((window.y - ours.y) * scale[1])
    return Window(x, y, max(1, round(window.width * scale[0])), max(1, round(window.height * scale[1])))


def _resized(plane: NDArray[Any], window: Window) -> NDArray[Any]:
    import cv2  # few files lie at two sizes

    size, kind = (window.width, window.height), plane.dtype
    smaller = window.width < plane.shape[1]
    how = cv2.INTER_NEAREST if kind == np.uint32 else cv2.INTER_AREA if smaller else cv2.INTER_LINEAR
    wide = plane.astype(np.float64 if kind == np.uint32 else np.float32)
    return np.ascontiguousarray(cv2.resize(wide, size, interpolation=how).astype(kind))


def _header(opened: list[_OpenFile], raster: Window) -> FrameHeader:
    first = opened[0]
    part = first.parts[0] if first.parts else None
    return FrameHeader(
        display=first.display,
        raster=raster,
        pixel_aspect=part.pixel_aspect if part else first.pixel_aspect,
        attributes=_attributes(opened),
    )


def _attributes(opened: list[_OpenFile]) -> dict[str, str]:
    """What the first part of the first file says, what any part says of cryptomattes, and which files were fitted."""
    parts = [part.attributes for file in opened for part in file.parts or ()]
    mattes = {n: _text(v) for part in parts for n, v in part.items() if n.startswith("cryptomatte/")}
    attributes = mattes | {name: _text(value) for name, value in (parts[0] if opened[0].parts else {}).items()}
    return attributes | {f"{FITTED}{file.source.path.name}": file.fitted for file in opened if file.fitted}


def _text(value: object) -> str:
    return " ".join(str(number) for number in np.ravel(value)) if isinstance(value, np.ndarray | tuple) else str(value)


def _plain(error: Exception) -> str:
    if isinstance(error, MemoryError):
        return "not enough memory"
    return f"it cannot be read: {getattr(error, 'strerror', None) or ' '.join(str(error).split())[:200]}"


def prepare() -> None:
    """Load what processes share that are forked after it: a loop without threads, and with it what compiles."""
    _keep_memory()
    widen_row(np.zeros(1, np.uint16), np.zeros(1, np.float32))


def _keep_memory() -> None:
    """Keep the memory of a frame for the next: new memory from the system takes a fifth of the time of a frame."""
    allocator = ctypes.CDLL(None) if sys.platform == "linux" else None
    if hasattr(allocator, "mallopt"):  # of the GNU library
        allocator.mallopt(_M_MMAP_THRESHOLD, _MOST_BYTES_KEPT)
        allocator.mallopt(_M_TRIM_THRESHOLD, _MOST_BYTES_KEPT)


def work(jobs: Iterable[str], answers: TextIO) -> None:
    """Decode one job after another, until there are no more."""

    def answer(**facts: object) -> None:
        answers.write(json.dumps(facts) + "\n")
        answers.flush()

    _load_loops()
    answer(ready=True)
    for line in jobs:
        _work(json.loads(line), answer)


def main() -> None:
    """Decode the jobs of standard input."""
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    work(sys.stdin, answers)


def _at_times(progress: Progress) -> Progress:
    """A progress that reports a few times a second, however many parts the work has."""
    last = time.monotonic()

    def report(share: float) -> None:
        nonlocal last
        if time.monotonic() - last > _PROGRESS_SECONDS:
            last = time.monotonic()
            progress(share)

    return report


def _load_loops() -> None:
    """Load the loops that most frames need, before the first frame is wanted: it takes longer than a small frame."""
    for kind in (np.uint16, np.float32):
        split_plane(np.zeros((2, 2), kind), False, np.zeros(1, kind), np.zeros((1, FIGURES)))


def _work(job: dict[str, Any], answer: Callable[..., None]) -> None:
    try:
        with suppress(OSError):  # paths may be relative to where they are requested
            os.chdir(job.get("at", "."))
        if "video" in job:
            return answer(done=True, video=asdict(read_video_header(Path(job["video"]))))
        files = [SourceFile(Path(path), *facts) for path, *facts in job["files"]]
        decode_frame_here(files, Path(job["folder"]), _at_times(lambda share: answer(progress=share)), job["key"])
    except EscalaError as error:
        return answer(error=type(error).__name__, message=str(error))
    answer(done=True)


if __name__ == "__main__":
    main()
