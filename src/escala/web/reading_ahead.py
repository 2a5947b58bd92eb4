"""Frames of the sequence that is looked at, decoded ahead at a low priority: playing finds them in the store."""

import threading
from contextlib import suppress

from escala.core.errors import EscalaError
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.source.intake import frame_files
from escala.media.intake import is_decoding, warm_readers
from escala.model.render import Render

# Frames of one sequence take at most this share of the store.
_STORE_SHARE = 0.5
# While a sequence plays, so many of its frames are decoded at once.
_PLAYING_READERS = 2
# What a page needs while it opens a shot comes first.
_OPENING_SECONDS = 1.0
# Between two frames others have their turn.
_PAUSE_SECONDS = 0.05


class AheadReader:
    """Decodes the frames of one sequence after another in a thread of its own, until all are there or it is closed."""

    def __init__(self, evaluator_pool: EvaluatorPool, closing: threading.Event) -> None:
        self._pool = evaluator_pool
        self._closing = closing
        self._lock = threading.Lock()
        self._wanted: Render | None = None
        self._thread: threading.Thread | None = None

    def prepare(self, render: Render) -> None:
        """Start what decodes the frames of a sequence while it plays, for one that may be opened next."""
        if len(render.frames) > 1:
            with suppress(OSError):  # no more processes: one reader is slower
                warm_readers(_PLAYING_READERS)

    def read(self, render: Render) -> None:
        """Decode the frames of a render in place of what was wanted before; a still needs none."""
        if len(render.frames) < 2:
            return
        with self._lock:
            self._wanted = render
            if self._thread is None or not self._thread.is_alive():
                self._thread = threading.Thread(target=self._work, daemon=True, name="reading ahead")
                self._thread.start()

    def wait(self, seconds: float) -> None:
        """Wait until it has ended."""
        thread = self._thread
        if thread is not None:
            thread.join(seconds)

    def _work(self) -> None:
        while True:
            with self._lock:
                render, self._wanted = self._wanted, None
                if render is None or self._closing.is_set():
                    self._thread = None
                    return
            self._decode(render)

    def _decode(self, render: Render) -> None:
        self.prepare(render)
        self._closing.wait(_OPENING_SECONDS)
        space = self._pool.store_limit * _STORE_SHARE
        for number in sorted(render.frames):
            if not self._waits_for_turn() or space <= 0:
                return
            with suppress(EscalaError, OSError):  # whoever opens the frame gets the error
                frame = self._pool.stored(frame_files(render, number), is_quiet=True)
                space -= sum(file.stat().st_size for file in frame.folder.iterdir())

    def _waits_for_turn(self) -> bool:
        """Wait while frames that are needed are decoded, as by a sequence that plays.

        Returns False where the reader is closed, or another sequence is wanted.
        """
        while True:
            if self._closing.wait(_PAUSE_SECONDS) or self._wanted is not None:
                return False
            if not is_decoding():
                return True
