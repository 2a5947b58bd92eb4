"""Baked views refined in the background: read from the user's cache folder, else computed in a child process.

A thread of low priority would not do: while it waits for a processor it may hold the interpreter's lock, for which
everything else in the process then waits.
"""

import atexit
import hashlib
import logging
import os
import pickle
import subprocess
import sys
import threading
import time
from contextlib import suppress
from functools import cache
from pathlib import Path
from queue import Queue
from weakref import ref
from zipfile import BadZipFile

import numpy as np

from escala.core.colour import baked_view, view_cells
from escala.core.colour.baked_view import BakedView, Table
from escala.core.errors import EscalaError
from escala.environment import prepare_environment, user_cache
from escala.media.atomic_write import write_atomically

_LOG = logging.getLogger(__name__)
_NICENESS = 15
# Bytes of tables that are kept: 20 to 70 megabytes each.
_MOST_BYTES = 2**30


class Refiner:
    """Refines views in the order in which they are added; a view that is no longer used is skipped.

    `folder`: where refined tables are kept for other processes.
    """

    def __init__(self, folder: Path) -> None:
        self._tables = _Tables(folder)
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
            try:
                if view is not None:
                    self._refine(view)
            except Exception:  # whatever fails for one view, the next ones are refined
                _LOG.exception("a view could not be refined")
            finally:
                self._waiting.task_done()

    def _refine(self, view: BakedView) -> None:
        """Use the refined table, unless the child process fails: the view then stays as it is."""
        table = self._tables.get(view.key)
        if table is None:
            table = self._computed(view)
            if table is not None:
                self._tables.put(view.key, table)
        if table is not None:
            view.table = table

    def _computed(self, view: BakedView) -> Table | None:
        pickled = pickle.dumps(view)
        with self._lock:
            if self._is_closed:
                return None
            self._child = child = subprocess.Popen(
                [sys.executable, "-m", __name__],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        answer, _ = child.communicate(pickled)
        with self._lock:
            self._child = None
        table: Table | None = pickle.loads(answer) if child.returncode == 0 else None
        return table


class _Tables:
    """Refined tables in a folder, the newest of them. What cannot be read or written there is computed again."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def get(self, key: str) -> Table | None:
        """The table of a view; None where there is none."""
        file = self._file(key)
        try:
            with file.open("rb") as opened, np.load(opened) as kept:
                table = kept["words"], kept["nodes"]
            os.utime(file)
        except (OSError, ValueError, KeyError, EOFError, BadZipFile):
            return None
        return table

    def put(self, key: str, table: Table) -> None:
        """Keep a table, and remove those that were unused for longest once all together are too large."""
        with suppress(OSError, EscalaError):
            self._folder.mkdir(parents=True, exist_ok=True)
            words, nodes = table
            write_atomically(self._file(key), lambda file: np.savez(file, words=words, nodes=nodes))
            total = 0
            for file in sorted(self._folder.glob("*.npz"), key=lambda file: -file.stat().st_mtime):
                total += file.stat().st_size
                if total > _MOST_BYTES:
                    file.unlink()

    def _file(self, key: str) -> Path:
        return self._folder / f"{hashlib.sha256((key + _code_digest()).encode()).hexdigest()[:32]}.npz"


@cache
def _code_digest() -> str:
    """Identifies the code that makes tables: those of another version are not used."""
    sources = [Path(str(module.__file__)).read_bytes() for module in (baked_view, view_cells)]
    return hashlib.sha256(b"".join(sources)).hexdigest()


REFINER = Refiner(user_cache() / "views")
atexit.register(REFINER.close)


def _end_with(parent: int) -> None:
    """End this process once its parent has ended, however that happened."""
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(1)


def main() -> None:
    """Refine the pickled view on standard input, and write its table to standard output."""
    prepare_environment()
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    if sys.platform == "linux":
        os.nice(_NICENESS)
    view: BakedView = pickle.load(sys.stdin.buffer)
    view.refine()
    pickle.dump(view.table, sys.stdout.buffer)


if __name__ == "__main__":
    main()
