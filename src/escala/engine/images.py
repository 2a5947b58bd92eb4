"""Images from outside a render: labels, dirt, comparison images; decoded before evaluation, shared by all frames."""

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from escala.core.colour.file_colour import FileColour
from escala.core.errors import BadSource, UnreadableFile
from escala.core.planes import Matte, Planes, as_planes
from escala.media.store import StoredFrame, StoredPass
from escala.model.surface import Label
from escala.model.variant import Variant

from .keys import Key
from .viewer.viewport import full_viewport, sample_pass

# Decoded images that stay open; those that a request holds stay open besides.
_MAX_OPEN = 64


@dataclass(frozen=True)
class ImageSource:
    """Where an image comes from, and how it is interpreted.

    `path`: its file. `space`: the colour space of its values; None: as the file declares. `alpha`: "associated" or
    "unassociated"; None: associated in EXR files only.
    """

    path: str
    space: str | None = None
    alpha: str | None = None

    @property
    def is_associated(self) -> bool:
        """Whether colour is multiplied by alpha."""
        return (self.alpha or ("associated" if Path(self.path).suffix.lower() == ".exr" else "")) == "associated"


@dataclass(frozen=True, eq=False)
class OutsideImage:
    """A decoded image."""

    source: ImageSource
    frame: StoredFrame

    @property
    def fingerprint(self) -> str:
        """Identifies its pixels: place, size, time and contents of the file."""
        return self.frame.folder.name

    def key(self, kind: str, *facts: object) -> Key:
        """A cache key of what is made of this image, whatever frame it is used on; the image is its owner."""
        return (self.fingerprint, kind, self.source.is_associated, *facts)

    @property
    def colour_pass(self) -> StoredPass:
        """What to show: the nameless layer, else the first pass with colours, else the first."""
        passes = list(self.frame.passes.values())
        colours = [p for p in passes if len(p.channels) >= 3] or [p for p in passes if p.letters != ("A",)] or passes
        return next((p for p in colours if p.channels[0] in ("R", "r")), colours[0])

    def stored(self) -> tuple[Planes, Matte | None, FileColour]:
        """Colour, (3, H, W), and alpha as they are stored, and what the file says of its colour."""
        chosen, raster = self.colour_pass, self.frame.header.raster
        whole = full_viewport(0, 0, raster.width, raster.height)
        planes = as_planes(sample_pass(self.frame, chosen.name, whole))
        colour = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
        beside = next((p for p in self.frame.passes.values() if p is not chosen and p.letters == ("A",)), None)
        alpha = as_planes(sample_pass(self.frame, beside.name, whole))[0] if beside else None
        if alpha is None and planes.shape[0] in (2, 4):
            alpha = planes[-1]
        return colour, alpha, chosen.colour


# Looks up a decoded image; None where its file is missing or unreadable, which leaves what names it unresolved.
FindImage = Callable[[ImageSource], OutsideImage | None]


def no_images(source: ImageSource) -> None:
    """Where nothing is read from outside."""


def image_sources(variant: Variant) -> tuple[ImageSource, ...]:
    """The images that a variant shows: the chosen picture of each active label, and the dirt of the lens."""
    labels = [source for label in variant.labels if label.changes and (source := label_source(label))]
    dirt = variant.lens.dirt
    return (*labels, ImageSource(dirt.picture)) if dirt.changes and dirt.picture else tuple(labels)


def label_source(label: Label) -> ImageSource | None:
    """The image of a label."""
    return None if label.picture is None else ImageSource(label.picture, label.space)


class ImagePool:
    """Decoded images by source. `decode`: decodes a file; called in the thread that prepares a request."""

    def __init__(self, decode: Callable[[str], StoredFrame]) -> None:
        self._decode = decode
        self._open: weakref.WeakValueDictionary[ImageSource, OutsideImage] = weakref.WeakValueDictionary()
        self._recent: OrderedDict[ImageSource, OutsideImage] = OrderedDict()
        self._lock = threading.Lock()

    def load(self, source: ImageSource) -> OutsideImage:
        """A decoded image, read anew where its file changed. Raises errors where it is missing, broken or outside."""
        frame = self._decode(source.path)
        with self._lock:
            image = self._open.get(source)
            if image is None or image.frame.folder != frame.folder:
                image = OutsideImage(source, frame)
            self._open[source] = self._recent[source] = image
            self._recent.move_to_end(source)
            while len(self._recent) > _MAX_OPEN:
                self._recent.popitem(last=False)
        return image

    def prepare(self, sources: Iterable[ImageSource]) -> list[OutsideImage]:
        """Decode the images of a request. Hold what is returned until it was evaluated; missing files are excluded."""
        held = []
        for source in dict.fromkeys(sources):
            try:
                held.append(self.load(source))
            except (BadSource, UnreadableFile):
                with self._lock:
                    self._open.pop(source, None)
                    self._recent.pop(source, None)
        return held

    def find(self, source: ImageSource) -> OutsideImage | None:
        """An image as it was decoded last; no file is touched."""
        with self._lock:
            return self._open.get(source)
