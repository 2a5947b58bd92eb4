"""Pictures from outside that a variant names: what a label shows, what lies on the glass of a lens."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from escala.core.colour.file_colour import FileColour
from escala.core.errors import BadSource, UnreadableFile
from escala.core.planes import Matte, Planes, as_planes
from escala.media.store import StoredFrame

from .looking.look import full_look, sample_pass

# From the path of a picture to its decoded pixels; raises errors for one that is not there.
Pictures = Callable[[str], StoredFrame]


def no_pictures(path: str) -> StoredFrame:
    """Where nothing is read from outside."""
    raise BadSource(f"{path}: no picture is read here")


@dataclass(frozen=True)
class OutsidePicture:
    """A decoded picture file."""

    frame: StoredFrame
    path: str

    @property
    def folder(self) -> str:
        """By what it is known: its place, size, time and contents."""
        return self.frame.folder.name

    @property
    def is_associated(self) -> bool:
        """Whether its colour is multiplied by its alpha; in all but EXR files it is not."""
        return Path(self.path).suffix.lower() == ".exr"

    def stored(self) -> tuple[Planes, Matte | None, FileColour]:
        """Colour, (3, H, W), and alpha as they are stored, and what the file says of its colour."""
        passes = list(self.frame.passes.values())
        colours = [p for p in passes if len(p.channels) >= 3] or [p for p in passes if p.letters != ("A",)] or passes
        chosen = next((p for p in colours if p.channels[0] in ("R", "r")), colours[0])
        raster = self.frame.header.raster
        whole = full_look(0, 0, raster.width, raster.height)
        planes = as_planes(sample_pass(self.frame, chosen.name, whole))
        colour = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
        beside = next((p for p in passes if p is not chosen and p.letters == ("A",)), None)
        alpha = as_planes(sample_pass(self.frame, beside.name, whole))[0] if beside else None
        if alpha is None and planes.shape[0] in (2, 4):
            alpha = planes[-1]
        return colour, alpha, chosen.colour


def picture_at(path: str | None, pictures: Pictures) -> OutsidePicture | None:
    """The picture of a path; None where no path is named, or its file is missing or cannot be read: it waits."""
    if path is None:
        return None
    try:
        return OutsidePicture(pictures(path), path)
    except (BadSource, UnreadableFile):
        return None
