"""Baked views refined in the background, one after another, in a child process.

A thread of low priority would not do: while it waits for a processor it may hold the interpreter's lock, for which
everything else in the process then waits.
"""

import atexit
import os
import pickle
import subprocess
import sys
import threading
from queue import Queue
from weakref import ref

from escala.core.colour.baked_view import BakedView
from escala.environment import prepare_environment

_NICENESS = 15


class Refiner:
    """Refines views in the order in which they are added; a view that is no longer used is skipped."""

    def __init__(self) -> None:
        self._waiting: Queue[ref[BakedView]] = Queue()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._child: subprocess.Popen[bytes] | None = None
        self._is_closed = False

    def add(self, view: BakedView) -> None:
        """Refine a view when those before it are done; it may be used meanwhile."""
        self._waiting.put(ref(view))
        with self._lock:
            if self._thread is None:
                self._thread = threading.Thread(target=self._work, name="refining views", daemon=True)
                self._thread.start()

    def wait(self) -> None:
        """Wait until every view is refined."""
        self._waiting.join()

    def close(self) -> None:
        """End the child process; nothing is refined from then on."""
        with self._lock:
            self._is_closed = True
            if self._child is not None:
                self._child.kill()

    def _work(self) -> None:
        while True:
            view = self._waiting.get()()
            if view is not None:
                self._refine(view)
            self._waiting.task_done()

    def _refine(self, view: BakedView) -> None:
        """Use the refined table, unless the child process fails: the view then stays as it is."""
        with self._lock:
            if self._is_closed:
                return
            self._child = child = subprocess.Popen(
                [sys.executable, "-m", __name__],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        answer, _ = child.communicate(pickle.dumps(view))
        with self._lock:
            self._child = None
        if child.returncode == 0:
            view.table = pickle.loads(answer)


REFINER = Refiner()
atexit.register(REFINER.close)


def main() -> None:
    """Refine the pickled view on standard input, and write its table to standard output."""
    prepare_environment()
    if sys.platform == "linux":
        os.nice(_NICENESS)
    view: BakedView = pickle.load(sys.stdin.buffer)
    view.refine()
    pickle.dump(view.table, sys.stdout.buffer)


if __name__ == "__main__":
    main()
