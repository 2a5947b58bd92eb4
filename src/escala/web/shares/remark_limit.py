"""How many notes a share takes in a time."""

import threading
import time
from collections import deque

MOST_REMARKS = 30
_WINDOW = 60.0


class RemarkLimit:
    """How many remarks each share takes in a time; refused ones do not count."""

    def __init__(self) -> None:
        self._times: dict[int, deque[float]] = {}
        self._lock = threading.Lock()

    def wait(self, share: int) -> float:
        """Seconds until a share takes a remark; 0 where it takes one now, which is counted then."""
        now = time.monotonic()
        with self._lock:
            times = self._times.setdefault(share, deque())
            while times and now - times[0] >= _WINDOW:
                times.popleft()
            if len(times) >= MOST_REMARKS:
                return _WINDOW - (now - times[0])
            times.append(now)
        return 0.0

    def take_back(self, share: int) -> None:
        """A remark that was refused after all does not count."""
        with self._lock:
            self._times[share].pop()
