"""The workshop: evaluators of frames, the thread that evaluates, what is kept, and the bounds of all of it."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

import psutil

from escala.core.errors import BadSource
from escala.media.intake import Decoder, take_in_frame
from escala.media.places import EVERYWHERE, Roots
from escala.media.sources import SourceFile
from escala.media.store import StoredFrame, trim_store
from escala.model.render import Render
from escala.model.variant import Variant

from .cache import ByteCache
from .evaluator import Evaluator
from .progress import Progress, untold
from .source.intake import frame_files, read_render, render_of_frame, time_of
from .source.reading import read_engine, reading_of
from .source.takeover import Changes, compare_renders
from .worker import LONG, MOVING, SMALL, EvaluationThread

_DOORS, _MOST_ENGINES = 64, 24
_MOST_RESIDENT = 1280 * 2**20
Result = TypeVar("Result")


class Workshop:
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
        self._engines: OrderedDict[tuple[int, int], tuple[Render, Evaluator]] = OrderedDict()
        # One door for each of many shots and frames: what shares one only waits a little longer.
        self._doors = [threading.Lock() for _ in range(_DOORS)]
        self._lock = threading.Lock()

    def evaluate(self, job: Callable[[], Result], urgency: int, viewer: str | None = None) -> Result:
        """The result of a job of the evaluation thread. Raises as `EvaluationThread.run`."""
        try:
            return self.thread.run(job, urgency, viewer)
        finally:
            if urgency != MOVING:
                self._relieve()

    def engine_for(self, shot: int, render: Render, frame: int | None = None) -> Evaluator:
        """The evaluator of a frame, the first by default; decoded when needed. Raises `BadSource` for other frames."""
        number = render.first_frame if frame is None else frame
        if number not in render.frames:
            raise BadSource(f"{render.name} has no frame {number}")
        with self._doors[hash((shot, number)) % _DOORS]:  # of many who ask at once, one decodes
            kept = self._kept(shot, number)
            if kept is not None and kept[0] is render:
                return kept[1]
            stored = self.stored(frame_files(render, number))
            read = render_of_frame(render, number, stored)
            engine = Evaluator(read, stored, self.cache, self.roots, time_of(render, number), self.picture)
            self.cache.welcome(stored.folder.name)
            with self._lock:
                self._engines[shot, number] = render, engine
                while len(self._engines) > _MOST_ENGINES:
                    self._engines.popitem(last=False)
        return engine

    def engine_of_variant(self, shot: int, render: Render, variant: Variant, frame: int | None = None) -> Evaluator:
        """The evaluator of a frame as a variant reads the render: with its roles, repairs and recipe."""
        engine = self.engine_for(shot, render, frame)
        if not variant.changes_reading:
            return engine
        number, first = render.first_frame if frame is None else frame, self.engine_for(shot, render)
        return self.evaluate(lambda: read_engine(first, number, engine, variant, self.store), SMALL)

    def reading_of(self, shot: int, render: Render, variant: Variant, progress: Progress = untold) -> Render:
        """The render as a variant reads it."""
        if not variant.changes_reading:
            return render
        first = self.engine_for(shot, render)
        return self.evaluate(lambda: reading_of(first, variant, self.store, progress), SMALL)

    def read(
        self, sources: Sequence[str | Path], fit: bool = False, progress: Progress = untold
    ) -> tuple[Render, StoredFrame]:
        """Take in a render and recognise it, behind whoever waits for a picture. Raises as `read_render`."""
        return read_render(
            sources, self.store, progress, fit, self.roots, lambda work: self.evaluate(work, LONG), self.decoder
        )

    def compare(self, shot: int, before: Render, after: Render, frame: StoredFrame) -> Changes:
        """What is new in a render that takes the place of a shot's."""
        kept = self._kept(shot, before.first_frame)
        newer = Evaluator(after, frame, self.cache, self.roots)
        return self.evaluate(lambda: compare_renders(before, newer, kept[1] if kept else None), LONG)

    def stored(self, files: Sequence[SourceFile]) -> StoredFrame:
        """A decoded frame. Raises `OutsideRoots` where a file has become a link to elsewhere."""
        self.roots.check(file.path for file in files)
        return take_in_frame(files, self.store, decoder=self.decoder)

    def picture(self, path: str) -> StoredFrame:
        """A picture from outside, decoded. Raises errors where it is missing, broken, or not below the roots."""
        return self.stored((SourceFile(self.roots.readable(path)),))

    def forget(self, shot: int) -> None:
        """Let the evaluators of a shot go, and what is kept of those of its frames that no other shot shows."""
        with self._lock:
            gone = {self._engines.pop(key)[1].frame.folder.name for key in list(self._engines) if key[0] == shot}
        for folder in gone - {frame.folder.name for frame in self._frames()}:
            self.cache.drop(folder)

    def trim(self) -> None:
        """Keep the pass store within its limit; frames in use stay."""
        trim_store(self.store, self.store_limit, [frame.folder for frame in self._frames()])

    def _kept(self, shot: int, number: int) -> tuple[Render, Evaluator] | None:
        with self._lock:
            kept = self._engines.get((shot, number))
            if kept is not None:
                self._engines.move_to_end((shot, number))
            return kept

    def _frames(self) -> list[StoredFrame]:
        with self._lock:
            return [engine.frame for _, engine in self._engines.values()]

    def _relieve(self) -> None:
        """Let the pages of decoded frames go, once they are many: they are on the disk, and come back as needed."""
        if psutil.Process().memory_info().rss > _MOST_RESIDENT:
            for frame in self._frames():
                frame.release()
