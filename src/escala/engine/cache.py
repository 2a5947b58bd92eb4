"""Results kept by what made them, within a budget of bytes; the least recently used go first."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import numpy as np
import psutil

Value = TypeVar("Value")


class ByteCache:
    """Arrays (or objects that hold arrays) by key."""

    def __init__(self, budget: int | None = None) -> None:
        self.budget = budget or psutil.virtual_memory().total // 4
        self._kept: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._size = 0
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """What is kept under `key`, else what `make` returns, kept from now on."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key][0]  # type: ignore[no-any-return]
        value = make()
        self.put(key, value)
        return value

    def peek(self, key: Hashable) -> Any | None:
        """What is kept under `key`, or None."""
        with self._lock:
            entry = self._kept.get(key)
            return None if entry is None else entry[0]

    def put(self, key: Hashable, value: Any) -> None:
        """Keep a value, and let older ones go when the budget is passed."""
        size = _size_of(value)
        with self._lock:
            if key in self._kept:
                self._size -= self._kept.pop(key)[1]
            self._kept[key] = (value, size)
            self._size += size
            while self._size > self.budget and len(self._kept) > 1:
                _, (_, freed) = self._kept.popitem(last=False)
                self._size -= freed

    def drop(self, matches: Callable[[Hashable], bool]) -> None:
        """Forget all keys that match."""
        with self._lock:
            for key in [key for key in self._kept if matches(key)]:
                self._size -= self._kept.pop(key)[1]

    @property
    def size(self) -> int:
        """Bytes kept."""
        return self._size


def _size_of(value: Any) -> int:
    if isinstance(value, np.ndarray):
        return int(value.nbytes)
    if isinstance(value, tuple | list):
        return sum(_size_of(item) for item in value)
    return 256
