"""What happens on the server, as a numbered log: pages ask what came after the last that they know.

No page holds a connection or a thread open for it, however many there are.
"""

import secrets
import threading
from collections import deque
from typing import Any

_MOST_KEPT = 1000


class EventLog:
    """The newest events. A `mark` says up to where a page knows them."""

    def __init__(self) -> None:
        # Numbers begin anew with every server; a mark of an earlier one is no number of this one.
        self._run = secrets.token_hex(4)
        self._kept: deque[tuple[int, dict[str, Any]]] = deque(maxlen=_MOST_KEPT)
        self._newest = 0
        self._lock = threading.Lock()

    def publish(self, kind: str, **facts: Any) -> None:
        """Add an event. Of one job, only the newest is kept: earlier ones say nothing more."""
        with self._lock:
            self._newest += 1
            if kind == "job":
                same = [entry for entry in self._kept if entry[1]["kind"] == kind and entry[1]["id"] == facts["id"]]
                for entry in same:
                    self._kept.remove(entry)
            self._kept.append((self._newest, {"kind": kind, **facts}))

    def since(self, mark: str) -> tuple[str, list[dict[str, Any]], bool]:
        """The new mark, the events after the old one, and whether some that came between are no longer known."""
        run, _, text = mark.partition(".")
        with self._lock:
            newest = f"{self._run}.{self._newest}"
            if not mark:
                return newest, [], False
            number = int(text) if text.isdecimal() and len(text) < 16 else -1
            if run != self._run or number > self._newest:
                return newest, [], True
            oldest = self._kept[0][0] if len(self._kept) == _MOST_KEPT else 0
            return newest, [facts for at, facts in self._kept if at > number], number + 1 < oldest
