"""The evaluator pool: evaluators of frames, the thread that evaluates, what is cached, and the bounds of all of it."""

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from pathlib import Path
from types import MappingProxyType
from typing import TypeVar

import psutil

from escala.core.errors import BadSource
from escala.media.clips import open_clip
from escala.media.intake import Decoder, import_frame
from escala.media.path_safety import EVERYWHERE, Roots
from escala.media.sources import SourceFile
from escala.media.store import StoredFrame, trim_store
from escala.model.plate import RenderLayer
from escala.model.render import Render
from escala.model.variant import Variant

from .cache import ByteCache
from .evaluator import Evaluator
from .images import ImagePool, OutsideImage, image_sources
from .plate.clips import layer_sources, shot_rate
from .plate.further import frame_of_further, reading_variant
from .progress import Progress, no_progress
from .source.intake import frame_files, read_render, render_of_frame, time_of
from .source.reading import cached_reading, interpretation_key, interpretation_of, interpreted_evaluator
from .source.render_update import Changes, compare_renders
from .worker import LONG, PREVIEW, SMALL, EvaluationThread

_DOORS, _MOST_ENGINES, _MAX_INTERPRETATIONS = 64, 24, 4
_MOST_RESIDENT = 1280 * 2**20
# Frames of clips after which the store is brought back to its limit.
_TRIM_AFTER = 32
Result = TypeVar("Result")
# A shot by its number, or a further render of it by both.
ShotKey = int | tuple[int, str]
NO_RENDERS: Mapping[str, Render] = MappingProxyType({})


@dataclass(frozen=True)
class StorePlace:
    """Where decoded frames are kept, in `limit` bytes, and where their files may lie."""

    folder: Path
    limit: int
    roots: Roots = EVERYWHERE


@dataclass
class _Kept:
    """The evaluator of a frame as it was recognised, and those of it as variants interpret it, the newest last."""

    render: Render
    digest: str
    evaluator: Evaluator
    interpreted: OrderedDict[str, tuple[Evaluator, Evaluator]] = field(default_factory=OrderedDict)


@dataclass(frozen=True, eq=False)
class _Which:
    """An interpretation: the evaluators of the first frame, which decides, and of the frame; where it is cached."""

    first: Evaluator
    evaluator: Evaluator
    number: int
    variant: Variant
    kept: _Kept | None

    @cached_property
    def key(self) -> str:
        """Identifies what of the variant changes the interpretation."""
        return interpretation_key(self.variant)

    @property
    def known(self) -> Evaluator | None:
        """The evaluator, where it is cached."""
        if not self.variant.changes_interpretation:
            return self.evaluator
        found = self.kept.interpreted.get(self.key) if self.kept else None
        return found[1] if found and found[0] is self.first else None


@dataclass(frozen=True)
class OpenedFrame:
    """A frame that is ready to be evaluated; the outside images of its variant stay open for as long as it is held.

    `interpret` gives the evaluator of the frame as the variant interprets it. Call it in a job of the evaluation
    thread: an interpretation that is not cached is worked out within that job. `known`: the cached one, else None.
    `further`: the frames of further renders that the variant's plate shows; they stay, too.
    """

    interpret: Callable[[], Evaluator]
    known: Evaluator | None
    images: tuple[OutsideImage, ...]
    further: tuple[object, ...] = ()


class _FurtherFrames:
    """Frames of further renders by shot, frame of the first render, and name, for as long as a request holds them."""

    def __init__(self) -> None:
        self._open: dict[tuple[int, int, str], list[weakref.ref[_Which]]] = {}
        self._lock = threading.Lock()

    def add(self, key: tuple[int, int, str], frame: _Which) -> None:
        """Make a frame the newest under a key."""
        with self._lock:
            self._open.setdefault(key, []).append(weakref.ref(frame))
            for each in list(self._open):
                self._open[each] = [one for one in self._open[each] if one() is not None]
                if not self._open[each]:
                    del self._open[each]

    def find(self, key: tuple[int, int, str]) -> _Which | None:
        """The newest frame that a request still holds."""
        with self._lock:
            alive = [found for one in self._open.get(key, ()) if (found := one()) is not None]
        return alive[-1] if alive else None

    def drop(self, key: tuple[int, int, str]) -> None:
        """Find none under a key any more."""
        with self._lock:
            self._open.pop(key, None)


class EvaluatorPool:
    """Makes and keeps the evaluators of shots, each shot by its number.

    `store`: where decoded frames lie, in `store_limit` bytes. `decoder`: how they are decoded, in a child by default.
    """

    def __init__(
        self, store: Path, store_limit: int, roots: Roots = EVERYWHERE, decoder: Decoder | None = None
    ) -> None:
        self.store = store
        self.store_limit = store_limit
        self.roots = roots
        self.decoder = decoder
        self.cache = ByteCache()
        self.thread = EvaluationThread()
        self.images = ImagePool(self._decoded_image, lambda path: open_clip(path, self.roots))
        self._engines: OrderedDict[tuple[ShotKey, int], _Kept] = OrderedDict()
        self._further = _FurtherFrames()
        self._since_trim = 0
        # One door for each of many shots and frames: what shares one only waits a little longer.
        self._doors = [threading.Lock() for _ in range(_DOORS)]
        self._lock = threading.Lock()

    @property
    def place(self) -> StorePlace:
        """Where another process finds the decoded frames of this one."""
        return StorePlace(self.store, self.store_limit, self.roots)

    def __enter__(self) -> "EvaluatorPool":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """End the evaluation thread, and let everything that is cached go."""
        self.thread.close()
        self.images.close()
        with self._lock:
            self._engines.clear()

    def evaluate(self, job: Callable[[], Result], priority: int, viewer: str | None = None, client: str = "") -> Result:
        """The result of a job of the evaluation thread. Raises as `EvaluationThread.run`."""
        try:
            return self.thread.run(job, priority, viewer, client)
        finally:
            if priority != PREVIEW:
                self._relieve()

    def engine_for(
        self, shot: ShotKey, render: Render, frame: int | None = None, is_cacheable: bool = True
    ) -> Evaluator:
        """The evaluator of a frame, the first by default; decoded when needed. Raises `BadSource` for other frames.

        `is_cacheable`: whether it takes the place of the one unused for longest; exports pass through without.
        """
        number = render.first_frame if frame is None else frame
        if number not in render.frames:
            raise BadSource(f"{render.name} has no frame {number}")
        with self._doors[hash((shot, number)) % _DOORS]:  # of many who ask at once, one decodes
            kept = self._kept(shot, number, render)
            if kept is not None:
                return kept.evaluator
            stored = self.stored(frame_files(render, number))
            read = render_of_frame(render, number, stored)
            find_render = partial(self._find_render, shot, number)
            time = time_of(render, number)
            evaluator = Evaluator(read, stored, self.cache, self.roots, time, self.images, find_render)
            self.cache.welcome(stored.folder.name)
            if is_cacheable:
                with self._lock:
                    self._engines[shot, number] = _Kept(render, render.digest, evaluator)
                    while len(self._engines) > _MOST_ENGINES:
                        self._engines.popitem(last=False)
        return evaluator

    def open(
        self,
        shot: int,
        render: Render,
        variant: Variant,
        frame: int | None = None,
        is_cacheable: bool = True,
        further: Mapping[str, Render] = NO_RENDERS,
    ) -> OpenedFrame:
        """Decode what a variant needs of a frame, in the calling thread: passes, and images from outside.

        `further`: the further renders of the shot by name.
        """
        evaluator = self.engine_for(shot, render, frame, is_cacheable)
        first = self.engine_for(shot, render) if variant.changes_interpretation else evaluator
        number = render.first_frame if frame is None else frame
        asked, variant = variant, variant.settled(evaluator.time(variant))
        for path in variant.plate.pictures:
            self.images.prepare_clip(path)
        rate, offset = shot_rate(render, variant), evaluator.frame_offset
        layers = tuple(layer_sources(variant, self.images, offset, rate))
        images = tuple(self.images.prepare((*image_sources(variant), *layers)))
        if len(render.frames) > 1:
            self.images.prefetch(set(layer_sources(variant, self.images, offset + 1, rate)) - set(layers))
            self._note_clips(len(layers))
        others = self._open_further(shot, render, variant, number, is_cacheable, further)
        kept = self._kept(shot, number, render)
        which = _Which(first, evaluator, number, asked, kept if kept and kept.evaluator is evaluator else None)
        return OpenedFrame(lambda: self._interpreted(which), which.known, images, others)

    def _note_clips(self, count: int) -> None:
        """Keep the store within its limit while clips are played: each frame that is shown adds to it."""
        with self._lock:
            self._since_trim += count
            is_due = self._since_trim >= _TRIM_AFTER
            self._since_trim = 0 if is_due else self._since_trim
        if is_due:
            self.trim()

    def _open_further(
        self,
        shot: int,
        render: Render,
        variant: Variant,
        number: int,
        is_cacheable: bool,
        further: Mapping[str, Render],
    ) -> tuple[_Which, ...]:
        """The further renders of a plate, on or off, at the same frame; a still is at every frame."""
        opened = []
        for name in dict.fromkeys(x.render for x in variant.plate.layers if isinstance(x, RenderLayer)):
            other = further.get(name)
            at = None if other is None else frame_of_further(render, other, number)
            if other is None or at is None:
                self._further.drop((shot, number, name))
                continue
            key = shot, name
            evaluator = self.engine_for(key, other, at, is_cacheable)
            first = self.engine_for(key, other)
            kept = self._kept(key, at, other)
            kept = kept if kept and kept.evaluator is evaluator else None
            opened.append(_Which(first, evaluator, at, variant, kept))
            self._further.add((shot, number, name), opened[-1])
        return tuple(opened)

    def _find_render(self, shot: ShotKey, number: int, layer: RenderLayer) -> Evaluator | None:
        """The evaluator of a further render as it was opened last, beside a frame of the first, as a layer reads it."""
        found = None if isinstance(shot, tuple) else self._further.find((shot, number, layer.render))
        return None if found is None else self._interpreted(replace(found, variant=reading_variant(layer)))

    def engine_of_variant(
        self, shot: int, render: Render, variant: Variant, frame: int | None = None, client: str = ""
    ) -> Evaluator:
        """The evaluator of a frame as a variant reads the render: with its roles, repairs and recipe."""
        opened = self.open(shot, render, variant, frame)
        return opened.known or self.evaluate(opened.interpret, SMALL, client=client)

    def interpretation_of(
        self, shot: int, render: Render, variant: Variant, progress: Progress = no_progress
    ) -> Render:
        """The render as a variant reads it."""
        if not variant.changes_interpretation:
            return render
        first = self.engine_for(shot, render)
        known = cached_reading(first, variant)
        return known or self.evaluate(lambda: interpretation_of(first, variant, self.store, progress), SMALL)

    def read(
        self, sources: Sequence[str | Path], fit: bool = False, progress: Progress = no_progress
    ) -> tuple[Render, StoredFrame]:
        """Read a render and detect its roles, at a lower priority than images. Raises as `read_render`."""
        return read_render(
            sources, self.store, progress, fit, self.roots, lambda work: self.evaluate(work, LONG), self.decoder
        )

    def compare(self, shot: ShotKey, before: Render, after: Render, frame: StoredFrame) -> Changes:
        """What is new in a render that takes the place of a shot's."""
        kept = self._kept(shot, before.first_frame, before)
        newer = Evaluator(after, frame, self.cache, self.roots)
        return self.evaluate(lambda: compare_renders(before, newer, kept.evaluator if kept else None), LONG)

    def stored(self, files: Sequence[SourceFile], is_quiet: bool = False) -> StoredFrame:
        """A decoded frame. Raises `OutsideRoots` where a file has become a link to elsewhere. As `import_frame`."""
        self.roots.check(file.path for file in files)
        return import_frame(files, self.store, decoder=self.decoder, is_quiet=is_quiet)

    def forget(self, shot: int) -> None:
        """Let the evaluators of a shot go, and what is kept of those of its frames that no other shot shows."""
        with self._lock:
            gone = {
                self._engines.pop(key).evaluator.frame.folder.name
                for key in list(self._engines)
                if key[0] == shot or (isinstance(key[0], tuple) and key[0][0] == shot)
            }
        for folder in gone - {frame.folder.name for frame in self._frames()}:
            self.cache.drop(folder)

    def trim(self) -> None:
        """Keep the pass store within its limit; frames in use stay."""
        trim_store(self.store, self.store_limit)

    def _decoded_image(self, file: SourceFile) -> StoredFrame:
        """An image from outside, decoded. Raises errors where it is missing, broken, or not below the roots."""
        return self.stored((replace(file, path=self.roots.readable(file.path)),))

    def _interpreted(self, which: _Which) -> Evaluator:
        """An evaluator as a variant interprets its frame, cached for each of the newest interpretations."""
        if which.known is not None:
            return which.known
        made = interpreted_evaluator(which.first, which.number, which.evaluator, which.variant, self.store)
        if which.kept is not None:
            which.kept.interpreted[which.key] = which.first, made
            while len(which.kept.interpreted) > _MAX_INTERPRETATIONS:
                which.kept.interpreted.popitem(last=False)
        return made

    def _kept(self, shot: ShotKey, number: int, render: Render) -> _Kept | None:
        with self._lock:
            kept = self._engines.get((shot, number))
            if kept is not None:
                self._engines.move_to_end((shot, number))
        is_same = kept is not None and (kept.render is render or kept.digest == render.digest)
        return kept if is_same else None

    def _frames(self) -> list[StoredFrame]:
        with self._lock:
            kept = list(self._engines.values())
        made = [evaluator for each in kept for _, evaluator in tuple(each.interpreted.values())]
        return [evaluator.frame for evaluator in (*(each.evaluator for each in kept), *made)]

    def _relieve(self) -> None:
        """Let the pages of decoded frames go, once they are many: they are on the disk, and come back as needed."""
        if psutil.Process().memory_info().rss > _MOST_RESIDENT:
            for frame in self._frames():
                frame.release()
