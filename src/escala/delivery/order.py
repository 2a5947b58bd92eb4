"""Orders: frames of a variant, and the files that are written of each. They can be pickled."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from escala.core.errors import BadSource, UnknownChoice
from escala.engine.evaluator_pool import StorePlace
from escala.model.delivery_preset import DeliveryFile
from escala.model.render import Render
from escala.model.time import Time
from escala.model.variant import Variant

from .naming import Naming, pattern_name
from .outputs import OUTPUTS


@dataclass(frozen=True)
class FileOrder:
    """A kind of file that is ordered, and how its files are named. `station`: where on the path the result is taken."""

    file: DeliveryFile
    naming: Naming
    station: str = "display"


@dataclass(frozen=True)
class Order:
    """Frames of a variant to be written as files.

    `render`: as it was read; `store`: where its decoded frames are kept. `further`: the further renders of the shot by
    name. `keeps`: whether files that are there whole are kept.
    """

    shot: int
    render: Render
    variant: Variant
    frames: tuple[int, ...]
    files: tuple[FileOrder, ...]
    store: StorePlace
    further: Mapping[str, Render] = field(default_factory=dict)
    keeps: bool = False

    @property
    def stills(self) -> tuple[FileOrder, ...]:
        """The files of which each frame has its own."""
        return tuple(one for one in self.files if not one.file.is_video)

    @property
    def videos(self) -> tuple[FileOrder, ...]:
        """The files that hold all frames."""
        return tuple(one for one in self.files if one.file.is_video)

    def time(self, number: int) -> Time:
        """The time at which the variant is settled for a frame."""
        return Time(number, self.variant.source.frame_rate or self.render.frame_rate)


def wanted_frames(render: Render, frames: Sequence[int]) -> tuple[int, ...]:
    """The requested frames, each once; all when none is named. Raises `BadSource` for one that is not there."""
    numbers = tuple(dict.fromkeys(frames)) or tuple(sorted(render.frames))
    absent = next((number for number in numbers if number not in render.frames), None)
    if absent is not None:
        raise BadSource(f"{render.name} has no frame {absent}")
    return numbers


def files_of_preset(
    folder: Path, files: Sequence[DeliveryFile], render: Render, variant: str, revision: int = 0
) -> tuple[FileOrder, ...]:
    """The files of a preset in a folder. `variant`: its name, for names of files."""
    words = {"variant": variant, "revision": str(revision), "date": datetime.now().strftime("%Y-%m-%d")}
    return tuple(FileOrder(file, pattern_name(folder, file, render, words)) for file in files)


def names_of(one: FileOrder, read: Render, variant: Variant, time: Time) -> list[str]:
    """The names of what a file order writes at a time. `read`: the render as the variant reads it.

    Raises `UnknownChoice` for a name of `only` that is not there, `BadSource` where there is nothing to write.
    """
    known = OUTPUTS[one.file.what].names(read, variant, time)
    for name in one.file.only:
        if name not in known:
            raise UnknownChoice(one.file.what, name, known)
    names = [name for name in known if not one.file.only or name in one.file.only]
    if not names:
        raise BadSource(f"the variant has no {one.file.what} to export")
    return names


def paths_of(order: Order, one: FileOrder, read: Render, number: int) -> dict[Path, list[str]]:
    """The files of a frame, each with the names of what it holds; of a video those of all frames.

    Raises `BadSource` where two would have one name, and as `names_of`.
    """
    names = names_of(one, read, order.variant, order.time(number))
    at = None if one.file.is_video else number
    if one.file.is_layered or (one.file.is_video and one.file.what == "breakdown"):
        return {one.naming.path("", at): names}
    found: dict[Path, list[str]] = {}
    for name in names:
        path = one.naming.path(name, at)
        if path in found:
            raise BadSource(f"{path.name} would be the file of both {found[path][0]} and {name}: use {{name}} in names")
        found[path] = [name]
    return found
