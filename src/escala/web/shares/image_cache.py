"""Encoded images of shares for a short time: many pages that show one variant have each image made once."""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from dataclasses import dataclass, field

from escala.engine.worker import Overloaded

# The image, its media type, and the region that it shows.
Encoded = tuple[bytes, str, str]
_MOST_BYTES = 64 * 2**20
# Files from outside, such as plates, may change under a revision: an image is kept no longer than so many seconds.
_KEPT_SECONDS = 5.0
# So many requests may wait for images that others have begun: each holds a thread of the server.
_MOST_WAITING = 64


@dataclass(eq=False)
class _Entry:
    future: Future[Encoded] = field(default_factory=Future)
    since: float = field(default_factory=time.monotonic)
    size: int = 0

    @property
    def is_stale(self) -> bool:
        """Whether it was made too long ago; one that is being made is not."""
        return self.future.done() and time.monotonic() - self.since > _KEPT_SECONDS


class SharedImages:
    """The newest images by what they show. Requests for one that is being made wait for it."""

    def __init__(self) -> None:
        self._entries: OrderedDict[Hashable, _Entry] = OrderedDict()
        self._waiting = 0
        self._lock = threading.Lock()

    def image(self, key: Hashable, make: Callable[[], Encoded]) -> Encoded:
        """The image of a key, made by the first request. Raises what `make` raises, to all that wait; `Overloaded`."""
        with self._lock:
            entry = self._entries.get(key)
            is_mine = entry is None or entry.is_stale
            if entry is None or is_mine:
                entry = self._entries[key] = _Entry()
                self._entries.move_to_end(key)
            elif not entry.future.done() and self._waiting >= _MOST_WAITING:
                raise Overloaded("Many requests wait for this image: try again in a moment.")
            self._waiting += not is_mine
        if is_mine:
            self._make(key, entry, make)
            return entry.future.result()
        try:
            return entry.future.result()
        finally:
            with self._lock:
                self._waiting -= 1

    def _make(self, key: Hashable, entry: _Entry, make: Callable[[], Encoded]) -> None:
        try:
            found = make()
        except BaseException as error:
            with self._lock:
                if self._entries.get(key) is entry:
                    del self._entries[key]
            entry.future.set_exception(error)
            return
        with self._lock:
            entry.since, entry.size = time.monotonic(), len(found[0])
            self._trim()
        entry.future.set_result(found)

    def _trim(self) -> None:
        """Let the oldest go until the rest fits. Those that are being made have no size yet, and stay."""
        total = sum(entry.size for entry in self._entries.values())
        for key, entry in list(self._entries.items()):
            if entry.size and (total > _MOST_BYTES or entry.is_stale):
                total -= entry.size
                del self._entries[key]
