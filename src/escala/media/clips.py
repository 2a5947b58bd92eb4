"""Clips: pictures, sequences and videos from outside a render, by their own frame numbers."""

import re
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from escala.core.errors import BadSource, EscalaError, UnreadableFile

from .exr import read_parts
from .intake import probe_video
from .path_safety import EVERYWHERE, Roots, printable
from .sources import SourceFile, matching_files, split_frame
from .stills import PICTURES
from .video import VIDEO_SUFFIXES

CLIP_SUFFIXES = (".exr", *PICTURES, *VIDEO_SUFFIXES)
_NUMBERED = re.compile(r"^(?P<base>.*[._-])(?P<digits>\d{2,})(?P<rest>\.\w+)$")
_PATTERN = re.compile(r"#|%0?\d*d|@")


@dataclass(frozen=True)
class Clip:
    """What a path names: one picture, a sequence, or a video.

    `frames`: numbers there are, rising: as in the file names, of a video counted from 0, of a picture 0 alone. `files`:
    the file of each; a video has one. `frame_rate`: as the file says, None where it says nothing.
    """

    path: str
    frames: tuple[int, ...]
    files: tuple[Path, ...]
    frame_rate: float | None = None
    is_video: bool = False

    @property
    def is_still(self) -> bool:
        """Whether it is one picture."""
        return len(self.frames) == 1

    @property
    def missing(self) -> tuple[int, ...]:
        """The frames that are missing in between."""
        there = set(self.frames)
        return tuple(n for n in range(self.frames[0], self.frames[-1] + 1) if n not in there)

    def frame_at(self, number: int, after_end: str = "hold") -> int | None:
        """The frame that is shown for a number: itself, or the nearest earlier one where it is missing.

        `after_end`: before the first frame and beyond the last "hold" shows these, "loop" begins again, "none" shows
        nothing (None). A picture is the same at any number.
        """
        if self.is_still:
            return self.frames[0]
        first, last = self.frames[0], self.frames[-1]
        if not first <= number <= last:
            if after_end == "none":
                return None
            count = last - first + 1
            number = first + (number - first) % count if after_end == "loop" else min(max(number, first), last)
        return self.frames[bisect_right(self.frames, number) - 1]

    def source(self, frame: int) -> SourceFile:
        """The file of a frame that is there."""
        if self.is_video:
            return SourceFile(self.files[0], video_frame=frame)
        return SourceFile(self.files[self.frames.index(frame)])


def is_clip(path: str) -> bool:
    """Whether there is a file, a folder, or any file of a sequence's pattern at a path."""
    place = Path(path)
    try:
        return place.exists() or (bool(_PATTERN.search(place.name)) and bool(matching_files(place)))
    except (EscalaError, OSError, ValueError):
        return False


def open_clip(path: str, roots: Roots = EVERYWHERE) -> Clip:
    """What a path names: a file, a pattern (#### or %04d), or a folder of one sequence.

    Raises `BadSource` or `UnreadableFile` in a sentence; `OutsideRoots` for what lies outside.
    """
    real = roots.sources(path)
    suffix = real.suffix.lower()
    if real.is_dir():
        return _sequence(path, _pictures_in(real), roots)
    if _PATTERN.search(real.name) and not real.exists():
        return _sequence(path, matching_files(real), roots)
    if suffix in VIDEO_SUFFIXES:
        header = probe_video(real)
        return Clip(path, tuple(range(header.frames)), (real,), header.frame_rate, is_video=True)
    if suffix not in CLIP_SUFFIXES:
        raise UnreadableFile(real, f"files of kind {suffix or 'without extension'} are not read as layers")
    return Clip(path, (0,), (real,))


def group_clips(files: Sequence[Path]) -> list[tuple[str, int]]:
    """Files as clips: numbered ones of one name as a sequence's pattern, with the number of files of each."""
    groups: dict[tuple[Path, str, str, int], list[Path]] = {}
    alone: list[tuple[str, int]] = []
    for file in files:
        number = _NUMBERED.match(file.name)
        if number is None or file.suffix.lower() in VIDEO_SUFFIXES:
            alone.append((str(file), 1))
            continue
        groups.setdefault((file.parent, number["base"], number["rest"], len(number["digits"])), []).append(file)
    for (folder, base, rest, digits), members in groups.items():
        name = str(members[0]) if len(members) == 1 else str(folder / f"{base}{'#' * digits}{rest}")
        alone.append((name, len(members)))
    return sorted(alone)


def _pictures_in(folder: Path) -> list[Path]:
    found = sorted(p for p in folder.iterdir() if p.suffix.lower() in (".exr", *PICTURES) and p.name[0] != ".")
    if not found:
        raise UnreadableFile(folder, "the folder holds no picture")
    return found


def _sequence(path: str, files: Sequence[Path], roots: Roots) -> Clip:
    """Files of one sequence, by the numbers in their names."""
    roots.check(files)
    stems: dict[str, dict[int, Path]] = {}
    for file in files:
        base, number = split_frame(file.stem)
        stems.setdefault(base, {})[0 if number is None else number] = file
    if len(stems) > 1:
        names = ", ".join(sorted(stems)[:3])
        raise BadSource(f"{printable(path)} holds several pictures or sequences ({names}): name one of them")
    frames = dict(sorted(next(iter(stems.values())).items()))
    return Clip(path, tuple(frames), tuple(frames.values()), _sequence_rate(next(iter(frames.values()))))


def _sequence_rate(file: Path) -> float | None:
    """Frames a second, as the header of an EXR file says."""
    if file.suffix.lower() != ".exr":
        return None
    try:
        attributes = read_parts(file)[0].attributes
        text = next((str(v) for name, v in attributes.items() if name.lower() == "framespersecond"), "")
        rate = float(Fraction(text.replace(" ", "")))
    except (EscalaError, ValueError, ZeroDivisionError, OverflowError):
        return None
    return rate if 0 < rate <= 1000 else None
