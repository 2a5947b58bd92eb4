"""Passes between files: one file taken apart into one per pass, many gathered into one. Every pixel keeps its bits."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from escala.core.errors import BadSource, UnknownChoice

from .exr import ExrPart, read_channels, read_parts, writable_attributes, write_exr_file
from .layers import Layer, layers_of_parts, pass_name
from .path_safety import distinct_names, place_in, plain_name
from .sources import SourceFile
from .windows import Window, exr_box

_LETTERS_OF_ROOT = ("R", "G", "B", "A")


@dataclass(frozen=True)
class Choice:
    """Which passes to take: only these (all when empty), never those, and new names for some."""

    only: Sequence[str] = ()
    drop: Sequence[str] = ()
    rename: Mapping[str, str] = field(default_factory=dict)

    def takes(self, name: str) -> bool:
        """Whether a pass is taken."""
        return (not self.only or name in self.only) and name not in self.drop

    def check(self, known: Sequence[str]) -> None:
        """Raises `UnknownChoice` for a name that no pass has, `BadSource` where two passes would get one name."""
        for name in (*self.only, *self.drop, *self.rename):
            if name not in known:
                raise UnknownChoice("pass", name, known)
        taken = [self.rename.get(name, name) for name in known if self.takes(name)]
        double = next((name for name in taken if taken.count(name) > 1), None)
        if double is not None:
            raise BadSource(f"two passes would be named {double}: rename one of them")
        if not taken:
            raise BadSource("no passes to export")


@dataclass(frozen=True)
class FilePass:
    """A pass with its pixels as stored, ready to be written."""

    name: str
    letters: tuple[str, ...]
    channels: tuple[OpenEXR.Channel, ...]
    part: ExrPart


@dataclass(frozen=True)
class WrittenFile:
    """A file that was written, and the passes that it holds."""

    path: Path
    passes: tuple[str, ...]


def split_frame_files(
    files: Sequence[SourceFile], folder: Path, stem: str, ending: str, choice: Choice
) -> list[WrittenFile]:
    """One file for each pass of a frame: `stem`, the pass, `ending` (the frame number with its dot, if any)."""
    written = []
    chosen = _chosen(files, choice)
    for taken, name in zip(chosen, distinct_names(taken.name for taken in chosen), strict=True):
        path = place_in(folder, f"{plain_name(stem, 'passes')}.{name}{ending}.exr")
        _write(path, [(taken, dict(zip(taken.letters, taken.channels, strict=True)))])
        written.append(WrittenFile(path, (taken.name,)))
    return written


def gather_frame(
    files: Sequence[SourceFile],
    path: Path,
    choice: Choice,
    instead: Mapping[str, NDArray[Any]] = MappingProxyType({}),
    corner: tuple[int, int] = (0, 0),
) -> WrittenFile:
    """All passes of a frame in one file: one part, or one part for each window where windows differ.

    `instead`: other pixels, (C, H, W), for some passes, of a raster that begins at `corner`.
    """
    chosen = _chosen(files, choice)
    lost = next((name for name in instead if name not in {taken.name for taken in chosen}), None)
    if lost is not None:
        raise BadSource(f"{lost} has another name in its file and cannot be rewritten: gather or rename it first")
    changed = [_with_pixels(taken, instead[taken.name], corner) if taken.name in instead else taken for taken in chosen]
    _write(path, [(taken, _named_channels(taken)) for taken in changed])
    return WrittenFile(path, tuple(taken.name for taken in changed))


def _with_pixels(taken: FilePass, planes: NDArray[Any], corner: tuple[int, int]) -> FilePass:
    """A pass with other pixels in its first channels, of the type that they had."""
    data = taken.part.data
    left, top = data.x - corner[0], data.y - corner[1]
    place = slice(top, top + data.height), slice(left, left + data.width)
    plain = all(channel.xSampling == channel.ySampling == 1 for channel in taken.channels)
    if not plain or planes[0][place].shape != (data.height, data.width):
        raise BadSource(f"{taken.name}: its data window differs from that of the render and cannot be rewritten")
    new = [np.ascontiguousarray(plane[place], c.pixels.dtype) for plane, c in zip(planes, taken.channels, strict=False)]
    channels = [OpenEXR.Channel("", pixels) for pixels in new]
    return replace(taken, channels=(*channels, *taken.channels[len(new) :]))


def pass_names(files: Sequence[SourceFile]) -> list[str]:
    """The names of the passes of a frame, from its headers."""
    names = []
    for file in files:
        layers = layers_of_parts([(part.name, part.channels) for part in read_parts(file.path)])
        names += [pass_name(file.label, layer, len(layers) == 1) for layer in layers]
    return names


def _chosen(files: Sequence[SourceFile], choice: Choice) -> list[FilePass]:
    passes = [found for file in files for found in _passes_of(file)]
    choice.check([found.name for found in passes])
    kept = [found for found in passes if choice.takes(found.name)]
    return [FilePass(choice.rename.get(p.name, p.name), p.letters, p.channels, p.part) for p in kept]


def _passes_of(file: SourceFile) -> list[FilePass]:
    if file.path.suffix.lower() != ".exr":
        raise BadSource(f"{file.path.name}: only EXR files can be split and gathered; export stills instead")
    parts = read_parts(file.path)
    pixels = read_channels(file.path, parts)
    layers = layers_of_parts([(part.name, part.channels) for part in parts])
    alone = len(layers) == 1
    return [_file_pass(file, layer, alone, parts[layer.part], pixels[layer.part]) for layer in layers]


def _file_pass(
    file: SourceFile, layer: Layer, alone: bool, part: ExrPart, pixels: Mapping[str, NDArray[Any]]
) -> FilePass:
    sampling = dict(zip(part.channels, part.sampling, strict=True))
    channels = tuple(OpenEXR.Channel("", np.ascontiguousarray(pixels[c]), *sampling[c]) for c in layer.channels)
    return FilePass(pass_name(file.label, layer, alone), layer.letters, channels, part)


def _named_channels(taken: FilePass) -> dict[str, OpenEXR.Channel]:
    """Channels under their names in a shared file."""
    return {channel_name(taken.name, x, taken.letters): c for x, c in zip(taken.letters, taken.channels, strict=True)}


def channel_name(name: str, letter: str, letters: Sequence[str]) -> str:
    """The name of a channel of a pass in a shared file; passes named rgba, or by a letter, stand at its root."""
    if name in ("rgba", "beauty") and letter in _LETTERS_OF_ROOT:
        return letter
    is_alone = len(letters) == 1 and (name == letter or name.endswith(f".{letter}"))
    return name if is_alone else f"{name}.{letter}"


def _write(path: Path, passes: Sequence[tuple[FilePass, Mapping[str, OpenEXR.Channel]]]) -> None:
    """Write passes, those of one data window in one part; what any header said is kept."""
    groups: dict[Window, dict[str, OpenEXR.Channel]] = {}
    headers: dict[Window, dict[str, Any]] = {}
    shared = passes[0][0].part
    for taken, channels in passes:
        if taken.part.display != shared.display:
            raise BadSource(
                f"{taken.name} belongs to a picture of {taken.part.display}, the others to one of {shared.display}: "
                "the passes of one file have one display window"
            )
        group = groups.setdefault(taken.part.data, {})
        double = next((name for name in channels if name in group), None)
        if double is not None:
            raise BadSource(f"{path.name}: the channel {double} would be there twice: rename a pass, or drop one")
        group.update(channels)
        headers[taken.part.data] = {**_header(taken.part, shared), **headers.get(taken.part.data, {})}
    parts = []
    for index, (window, named) in enumerate(groups.items()):
        name = [f"part{index + 1}"] if len(groups) > 1 else []
        channels = {n: OpenEXR.Channel(n, _padded(c, window), c.xSampling, c.ySampling) for n, c in named.items()}
        parts.append(OpenEXR.Part(headers[window], channels, *name))
    write_exr_file(path, OpenEXR.File(parts))


def _padded(channel: OpenEXR.Channel, window: Window) -> NDArray[Any]:
    """The pixels of a channel as the library wants them: those of a sub-sampled one first in an array of full size."""
    if channel.pixels.shape == (window.height, window.width):
        return channel.pixels
    full = np.zeros((window.height, window.width), channel.pixels.dtype)
    full.reshape(-1)[: channel.pixels.size] = channel.pixels.reshape(-1)
    return full


def _header(part: ExrPart, shared: ExrPart) -> dict[str, Any]:
    """A header for a part; what all parts of a file must have in common comes from `shared`."""
    header = {
        **writable_attributes(part.attributes),
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "dataWindow": exr_box(part.data),
        "displayWindow": exr_box(shared.display),
        "pixelAspectRatio": shared.pixel_aspect,
    }
    if shared.chromaticities:
        header["chromaticities"] = shared.chromaticities
    return header
