"""Server-sent events: what happens on the server, told to every open page."""

import json
import queue
import threading
from collections.abc import Iterator
from typing import Any

_QUIET_SECONDS = 15.0
_MOST_WAITING = 1000


class EventHub:
    """Hands every event to all who listen."""

    def __init__(self) -> None:
        self._listeners: set[queue.Queue[str]] = set()
        self._lock = threading.Lock()

    def tell(self, kind: str, **facts: Any) -> None:
        """Send an event; a listener that does not keep up loses it."""
        text = f"data: {json.dumps({'kind': kind, **facts})}\n\n"
        with self._lock:
            for listener in self._listeners:
                if not listener.full():
                    listener.put_nowait(text)

    def listen(self) -> Iterator[str]:
        """The stream of one page; a comment keeps it open while nothing happens."""
        own: queue.Queue[str] = queue.Queue(_MOST_WAITING)
        with self._lock:
            self._listeners.add(own)
        try:
            yield ": listening\n\n"
            while True:
                try:
                    yield own.get(timeout=_QUIET_SECONDS)
                except queue.Empty:
                    yield ": still here\n\n"
        finally:
            with self._lock:
                self._listeners.discard(own)
