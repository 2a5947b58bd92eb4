"""Names of delivered files: patterns with words, or one name with the frame number in it."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from escala.core.errors import BadSource
from escala.media.path_safety import place_in, plain_name
from escala.media.sources import split_frame
from escala.model.delivery_preset import EXTENSIONS, DeliveryFile
from escala.model.render import Render

_USUAL_PADDING = 4


class Naming(Protocol):
    """Where the files of a delivery lie. It can be pickled."""

    def path(self, name: str, number: int | None) -> Path:
        """The file of a name (empty for the result) and a frame; None for a video, which holds all frames."""


@dataclass(frozen=True)
class NumberedName:
    """One file name: #### or %04d in it is replaced, else the number is put before the extension of several frames."""

    out: Path
    several: bool

    def path(self, name: str, number: int | None) -> Path:
        """The file of a frame."""
        return self.out if number is None else frame_path(self.out, number, self.several)


@dataclass(frozen=True)
class PatternName:
    """A pattern with words, in a folder. `words`: values of all words but name and frame."""

    folder: Path
    pattern: str
    extension: str
    padding: int
    words: Mapping[str, str] = field(default_factory=dict)

    def path(self, name: str, number: int | None) -> Path:
        """The file of a name and a frame. Raises `BadSource` for a pattern that leads out of the folder."""
        values = {word: plain_name(value, word) for word, value in self.words.items()}
        values["name"] = plain_name(name, "") if name else ""
        values["frame"] = "" if number is None else f"{number:0{self.padding}d}"
        return place_in(self.folder, self.pattern.format_map(values) + self.extension)


def pattern_name(folder: Path, file: DeliveryFile, render: Render, words: Mapping[str, str]) -> PatternName:
    """The names of a file of a preset. `words`: variant, date and revision. Raises `BadSource` for a video by frame."""
    if file.is_video and "{frame}" in file.pattern:
        raise BadSource(f"{file.pattern}: a video holds all frames, its name cannot have {{frame}}")
    values = {**words, "shot": render.name, "what": file.what}
    return PatternName(folder, file.pattern, EXTENSIONS[file.format], frame_padding(render), values)


def frame_padding(render: Render) -> int:
    """Digits of the frame numbers in the names of the source."""
    stem = Path(render.frames[render.first_frame][0].path).stem
    number = split_frame(stem)[1]
    written = [digits for digits in re.findall(r"\d+", stem) if int(digits) == number]
    return len(written[-1]) if written else _USUAL_PADDING


def frame_path(out: Path, number: int, several: bool) -> Path:
    """The file of a frame: #### or %04d in the name is replaced, else the number is put before the extension."""
    name = re.sub(r"#+", lambda match: f"{number:0{len(match.group())}d}", out.name)
    name = re.sub(r"%0?(\d*)d", lambda match: f"{number:0{int(match.group(1) or 1)}d}", name)
    if name == out.name and several:
        name = f"{out.stem}.{number:04d}{out.suffix}"
    return out.with_name(name)
