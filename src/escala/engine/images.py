"""Images from outside a render: labels, dirt, comparison images; decoded before evaluation, shared by all frames."""

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import numpy as np

from escala.core.colour.file_colour import FileColour
from escala.core.errors import BadSource, EscalaError, UnreadableFile
from escala.core.planes import Matte, Planes, as_planes
from escala.media.clips import Clip
from escala.media.intake import DecodeFailed
from escala.media.sources import SourceFile
from escala.media.store import StoredFrame, StoredPass
from escala.model.surface import Label
from escala.model.variant import Variant

from .keys import Key

# Decoded images that stay open; those that a request holds stay open besides.
_MAX_OPEN = 64
# Of these at most so many frames of one clip: a thousand are played one after another.
_MAX_OF_CLIP = 4


@dataclass(frozen=True)
class ImageSource:
    """Where an image comes from, and how it is interpreted.

    `path`: its file, sequence, folder or video. `space`: the colour space of its values; None: as the file declares.
    `alpha`: "associated" or "unassociated"; None: associated in EXR files only. `frame`: of a clip, its own number.
    """

    path: str
    space: str | None = None
    alpha: str | None = None
    frame: int | None = None

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

    @property
    def alpha_pass(self) -> StoredPass | None:
        """The pass of its own that holds its alpha, where there is one."""
        return next((p for p in self.frame.passes.values() if p is not self.colour_pass and p.letters == ("A",)), None)

    @property
    def has_alpha(self) -> bool:
        """Whether it holds alpha at all."""
        return self.alpha_pass is not None or len(self.colour_pass.channels) in (2, 4)

    def stored(self) -> tuple[Planes, Matte | None, FileColour]:
        """Colour, (3, H, W), and alpha as they are stored, and what the file says of its colour."""
        raster = self.frame.header.raster
        colour, alpha = self._read(0, slice(0, raster.height), slice(0, raster.width))
        return colour, alpha, self.colour_pass.colour

    def stored_region(self, level: int, rows: slice, columns: slice) -> tuple[Planes, Matte | None]:
        """Colour, (3, h, w), and alpha as they are stored, of a region of the displayed picture at a pyramid level."""
        display, raster, step = self.frame.header.display, self.frame.header.raster, 1 << level
        down, across = (display.y - raster.y) // step, (display.x - raster.x) // step
        return self._read(
            level, slice(rows.start + down, rows.stop + down), slice(columns.start + across, columns.stop + across)
        )

    def _read(self, level: int, rows: slice, columns: slice) -> tuple[Planes, Matte | None]:
        planes = as_planes(self.frame.planes(self.colour_pass.name, level)[:, rows, columns])
        colour = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
        beside = self.alpha_pass
        if beside is not None:
            return colour, as_planes(self.frame.planes(beside.name, level)[0, rows, columns])
        return colour, planes[-1] if planes.shape[0] in (2, 4) else None


class Images(Protocol):
    """Decoded images from outside; no file is touched."""

    def find(self, source: ImageSource) -> OutsideImage | None:
        """An image as it was decoded last; None where its file is missing or unreadable."""

    def find_clip(self, path: str) -> Clip | None:
        """What a path of a layer named when it was looked up last; None likewise."""


class NoImages:
    """Where nothing is read from outside."""

    def find(self, source: ImageSource) -> None:
        """As `Images.find`."""

    def find_clip(self, path: str) -> None:
        """As `Images.find_clip`."""


NO_IMAGES = NoImages()


def image_sources(variant: Variant) -> tuple[ImageSource, ...]:
    """The images that a variant shows beside its plate: the chosen picture of each active label, dirt of the lens."""
    labels = [source for label in variant.labels if label.changes and (source := label_source(label))]
    dirt = variant.lens.dirt
    return (*labels, ImageSource(dirt.picture)) if dirt.changes and dirt.picture else tuple(labels)


def label_source(label: Label) -> ImageSource | None:
    """The image of a label."""
    return None if label.picture is None else ImageSource(label.picture, label.space)


class ImagePool:
    """Decoded images by source.

    `decode` decodes a file, `open_clip` finds out what a path of a layer names; both are called in the thread that
    prepares a request.
    """

    def __init__(self, decode: Callable[[SourceFile], StoredFrame], open_clip: Callable[[str], Clip]) -> None:
        self._decode = decode
        self._open_clip = open_clip
        self._ahead = ThreadPoolExecutor(1, thread_name_prefix="decoding ahead")
        self._clips: OrderedDict[str, tuple[object, Clip]] = OrderedDict()
        self._open: weakref.WeakValueDictionary[ImageSource, OutsideImage] = weakref.WeakValueDictionary()
        self._recent: OrderedDict[ImageSource, OutsideImage] = OrderedDict()
        self._lock = threading.Lock()

    def load(self, source: ImageSource) -> OutsideImage:
        """A decoded image, read anew where its file changed. Raises errors where it is missing, broken or outside."""
        file = SourceFile(Path(source.path)) if source.frame is None else self.clip(source.path).source(source.frame)
        frame = self._decode(file)
        with self._lock:
            image = self._open.get(source)
            if image is None or image.frame.folder != frame.folder:
                image = OutsideImage(source, frame)
            self._open[source] = self._recent[source] = image
            self._recent.move_to_end(source)
            if source.frame is not None:
                alike = [one for one in self._recent if one.path == source.path]
                for old in alike[:-_MAX_OF_CLIP]:
                    del self._recent[old]
            while len(self._recent) > _MAX_OPEN:
                self._recent.popitem(last=False)
        return image

    def prepare(self, sources: Iterable[ImageSource]) -> list[OutsideImage]:
        """Decode the images of a request. Hold what is returned until it was evaluated; missing files are excluded."""
        held = []
        for source in dict.fromkeys(sources):
            try:
                held.append(self.load(source))
            except (BadSource, UnreadableFile, DecodeFailed):
                with self._lock:
                    self._open.pop(source, None)
                    self._recent.pop(source, None)
        return held

    def clip(self, path: str) -> Clip:
        """What a path of a layer names, looked up anew where its file or folder changed. Raises as `open_clip`."""
        state = _state_of(path)
        with self._lock:
            kept = self._clips.get(path)
        if kept is None or kept[0] != state:
            kept = state, self._open_clip(path)
        with self._lock:
            self._clips[path] = kept
            self._clips.move_to_end(path)
            while len(self._clips) > _MAX_OPEN:
                self._clips.popitem(last=False)
        return kept[1]

    def prepare_clip(self, path: str) -> Clip | None:
        """As `clip`; None where it is missing or unreadable."""
        try:
            return self.clip(path)
        except (BadSource, UnreadableFile, DecodeFailed):
            with self._lock:
                self._clips.pop(path, None)
            return None

    def prefetch(self, sources: Iterable[ImageSource]) -> None:
        """Decode the next frames of clips in the background, where they are not decoded yet; errors come later."""
        for source in sources:
            with suppress(EscalaError, RuntimeError):  # closed, perhaps
                file = self.clip(source.path).source(source.frame or 0)
                self._ahead.submit(self._quietly, file)

    def _quietly(self, file: SourceFile) -> None:
        with suppress(EscalaError, OSError):
            self._decode(file)

    def close(self) -> None:
        """Stop decoding ahead."""
        self._ahead.shutdown(wait=False, cancel_futures=True)

    def find(self, source: ImageSource) -> OutsideImage | None:
        """As `Images.find`."""
        with self._lock:
            return self._open.get(source)

    def find_clip(self, path: str) -> Clip | None:
        """As `Images.find_clip`."""
        with self._lock:
            kept = self._clips.get(path)
        return kept[1] if kept else None


def _state_of(path: str) -> object:
    """What changes when a file, or the folder of a sequence, does."""
    place = Path(path)
    try:
        state = (place if place.exists() else place.parent).stat()
    except (OSError, ValueError):
        return None
    return state.st_mtime_ns, state.st_size
