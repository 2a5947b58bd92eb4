"""From what a user names (files, a folder, a sequence) to the files of one render, frame by frame."""

import hashlib
import json
import os
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

from escala.core.errors import BadSource, EscalaError, SeveralRenders, UnreadableFile
from escala.core.source.naming import split_words

from .path_safety import EVERYWHERE, Roots, printable
from .stills import READABLE

SUFFIXES = (".exr", *READABLE)
MAX_FILES = 20000

_PATTERN = re.compile(r"#+|%0?\d*d|@+")
# A frame number stands at the end of the stem, after a dot, or after another mark when it has three digits.
_FRAME_AT_END = re.compile(r"^(?P<base>.*?)(?:\.(?P<dotted>\d+)|[_-]?(?P<plain>\d{3,}))$")
_FRAME_INSIDE = re.compile(r"^(?P<base>.+?)\.(?P<dotted>\d{3,})(?P<rest>[._].+)$")


@dataclass(frozen=True)
class SourceFile:
    """A file of one frame; `label` is the pass that its name stands for, empty for a file that names its own.

    `fit`: bring its picture to the size of the first file's; otherwise another size is refused. `video_frame`: which
    frame of a video, counted from 0.
    """

    path: Path
    label: str = ""
    fit: bool = False
    video_frame: int | None = None


@dataclass(frozen=True)
class RenderSource:
    """One render: its name, its files by frame, and the frames that are missing in between."""

    name: str
    frames: dict[int, tuple[SourceFile, ...]]
    missing: tuple[int, ...]

    @property
    def first(self) -> tuple[SourceFile, ...]:
        """The files of the first frame."""
        return self.frames[min(self.frames)]


def find_render(sources: Sequence[str | Path], fit: bool = False, roots: Roots = EVERYWHERE) -> RenderSource:
    """The one render that these sources name. Raises `BadSource` or `UnreadableFile` in a sentence.

    A folder that holds several raises `SeveralRenders`. `fit`: files of other sizes may be fitted to the first.
    `roots`: where files may lie, links followed; `OutsideRoots` for one that does not.
    """
    if not sources:
        raise BadSource("no source is given: name a file, several, a folder or a sequence")
    files = [file for source in sources for file in _expand(Path(source))]
    distinct = sorted(set(files))
    roots.check(distinct)
    folder_like = len(sources) == 1 and len(distinct) > 1
    found = _gather(distinct, renders_apart=folder_like)
    if not fit:
        return found
    fitted = {n: tuple(replace(file, fit=True) for file in files) for n, files in found.frames.items()}
    return replace(found, frames=fitted)


def source_stamp(source: RenderSource) -> str:
    """A key of a render's files as they are now: paths, sizes and times."""
    facts = []
    for number, files in source.frames.items():
        for file in files:
            state = file.path.stat()
            facts.append((number, str(file.path), file.label, state.st_size, state.st_mtime_ns))
    return hashlib.sha256(json.dumps(facts).encode()).hexdigest()[:32]


def split_frame(stem: str) -> tuple[str, int | None]:
    """A file's stem without its frame number, and the number."""
    inside = _FRAME_INSIDE.match(stem)
    end = _FRAME_AT_END.match(stem)
    if end and (end["base"] or end["dotted"]):
        return end["base"].rstrip("._-"), int(end["dotted"] or end["plain"])
    if inside:
        return inside["base"] + inside["rest"], int(inside["dotted"])
    return stem, None


def _expand(source: Path) -> list[Path]:
    try:
        return _found(source)
    except (OSError, ValueError) as error:  # a NUL, a name too long, links in a circle, a folder that is closed
        if isinstance(error, EscalaError):
            raise
        raise UnreadableFile(printable(source), getattr(error, "strerror", None) or "no file can be there") from error


def _found(source: Path) -> list[Path]:
    if _PATTERN.search(source.name) and not source.exists():
        return matching_files(source)
    if source.is_dir():
        return _in_folder(source)
    if not source.exists():
        raise UnreadableFile(source, "no such file")
    if source.suffix.lower() not in SUFFIXES:
        raise UnreadableFile(source, f"files of kind {source.suffix or 'without extension'} are not read")
    return [source]


def matching_files(pattern: Path) -> list[Path]:
    """The files of a sequence's pattern (#### or %04d), sorted by name. Raises `UnreadableFile` where there is none."""
    pieces = [re.escape(piece) for piece in _PATTERN.split(pattern.name)]
    matcher = re.compile(r"-?\d+".join(pieces))
    folder = pattern.parent
    found = sorted(p for p in folder.iterdir() if matcher.fullmatch(p.name)) if folder.is_dir() else []
    if not found:
        raise UnreadableFile(pattern, "no file matches this sequence")
    return found


def _in_folder(folder: Path) -> list[Path]:
    found: list[Path] = []
    for place, folders, names in os.walk(folder):
        depth = len(Path(place).relative_to(folder).parts)
        folders[:] = sorted(name for name in folders if not name.startswith(".")) if depth < 2 else []
        found.extend(Path(place) / n for n in names if Path(n).suffix.lower() in SUFFIXES and not n.startswith("."))
        if len(found) > MAX_FILES:
            raise BadSource(f"{folder} holds more than {MAX_FILES} images: name the render in it")
    if not found:
        raise UnreadableFile(folder, "the folder holds no EXR, TIFF or PNG file")
    return found


def _gather(files: list[Path], renders_apart: bool) -> RenderSource:
    root = Path(os.path.commonpath([file.parent for file in files]))
    by_base: dict[str, dict[int, Path]] = {}
    for file in files:
        base, frame = split_frame(file.stem)
        inside = file.parent.relative_to(root).parts
        label = "/".join((*inside, base)) if inside and base not in inside else base
        frames = by_base.setdefault(label, {})
        number = 1 if frame is None else frame
        if number in frames:
            raise BadSource(f"{file.name} and {frames[number].name} are both frame {number} of {base}")
        frames[number] = file
    if len(by_base) == 1:
        base, frames = next(iter(by_base.items()))
        return _render(base, {number: (SourceFile(path),) for number, path in frames.items()})
    if renders_apart:
        _refuse_several(root, by_base)
    return _render(*_with_labels(by_base))


def _refuse_several(root: Path, by_base: dict[str, dict[int, Path]]) -> None:
    """A folder of files that each hold a whole render is several renders."""
    from .exr import read_parts
    from .layers import layers_of_parts

    def passes_in(file: Path) -> int:
        if file.suffix.lower() != ".exr":
            return 1
        return len(layers_of_parts([(part.name, part.channels) for part in read_parts(file)]))

    whole = [base for base, frames in by_base.items() if passes_in(next(iter(frames.values()))) > 3]
    if len(whole) > 1:
        raise SeveralRenders(root, {base: [str(path) for path in by_base[base].values()] for base in whole})


def _with_labels(by_base: dict[str, dict[int, Path]]) -> tuple[str, dict[int, tuple[SourceFile, ...]]]:
    """Files per pass: what all names share is the render's name, what differs is the pass."""
    bases = list(by_base)
    shared = _shared_start(bases)
    frames: dict[int, list[SourceFile]] = {}
    for base, files in by_base.items():
        label = base[shared:].strip("._-/ ") or "beauty"
        for number, path in files.items():
            frames.setdefault(number, []).append(SourceFile(path, label))
    name = bases[0][:shared].strip("._-/ ") or next(iter(by_base.values())).popitem()[1].parent.name
    most = max(len(files) for files in frames.values())
    return name, {number: tuple(files) for number, files in frames.items() if len(files) == most}


def _shared_start(names: list[str]) -> int:
    """How many letters all names share, cut back to a whole word."""
    length = next((i for i, letters in enumerate(zip(*names, strict=False)) if len(set(letters)) > 1), None)
    if length is None:
        length = min(len(name) for name in names)
    for name in names:
        starts = {0, len(name), *(start for _, start, _ in split_words(name))}
        if length < len(name) and length not in starts:
            length = max(start for start in starts if start <= length)
    return length


def _render(name: str, frames: dict[int, tuple[SourceFile, ...]]) -> RenderSource:
    numbers = sorted(frames)
    missing = sorted(set(_steps(numbers)) - set(numbers))
    return RenderSource(name, {number: frames[number] for number in numbers}, tuple(missing))


def _steps(numbers: list[int]) -> Iterable[int]:
    """Every frame that a sequence with this usual step should have."""
    if len(numbers) < 2:
        return numbers
    gaps = [b - a for a, b in pairwise(numbers)]
    return range(numbers[0], numbers[-1] + 1, max(min(gaps), 1))
