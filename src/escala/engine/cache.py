"""Results kept by what made them, within a budget of bytes; the least recently used go first."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any, NamedTuple, TypeVar

import numpy as np
import psutil
from numpy.typing import NDArray
from pydantic import BaseModel

Value = TypeVar("Value")

_MOST_BYTES = 640 * 2**20
# An object by itself; what the table, the key's tuple and the lock's bookkeeping take for each entry.
_OBJECT_BYTES, _ENTRY_BYTES = 64, 512
_MOST_DROPPED = 64


class _Entry(NamedTuple):
    """What is kept, and how many bytes it and its key take."""

    value: Any
    key_bytes: int
    size: int


class ByteCache:
    """Arrays (or objects that hold arrays) by key."""

    def __init__(self, budget: int | None = None) -> None:
        self.budget = budget or min(psutil.virtual_memory().total // 8, _MOST_BYTES)
        self._kept: OrderedDict[Hashable, _Entry] = OrderedDict()
        self._size = 0
        self._dropped: OrderedDict[str, None] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """What is kept under `key`, else what `make` returns, kept from now on."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key].value  # type: ignore[no-any-return]
        value = make()
        self.put(key, value)
        return value

    def peek(self, key: Hashable) -> Any | None:
        """What is kept under `key`, or None."""
        with self._lock:
            entry = self._kept.get(key)
            return None if entry is None else entry.value

    def put(self, key: Hashable, value: Any) -> None:
        """Keep a value, and let older ones go when the budget is passed; nothing of an owner that was dropped."""
        if _owner(key) in self._dropped:
            return
        value_bytes = _size_of(value)
        with self._lock:
            before = self._kept.pop(key, None)
            key_bytes = before.key_bytes if before else _size_of(key)
            self._kept[key] = _Entry(value, key_bytes, value_bytes + key_bytes + _ENTRY_BYTES)
            self._size += self._kept[key].size - (before.size if before else 0)
            while self._size > self.budget and len(self._kept) > 1:
                self._size -= self._kept.popitem(last=False)[1].size

    def drop(self, owner: str) -> None:
        """Forget all keys that begin with `owner`, also those that an evaluation under way would put back."""
        with self._lock:
            self._dropped[owner] = None
            while len(self._dropped) > _MOST_DROPPED:
                self._dropped.popitem(last=False)
            for key in [key for key in self._kept if _owner(key) == owner]:
                self._size -= self._kept.pop(key).size

    def welcome(self, owner: str) -> None:
        """Keep again what begins with `owner`."""
        with self._lock:
            self._dropped.pop(owner, None)

    @property
    def size(self) -> int:
        """Bytes kept."""
        return self._size


def _owner(key: Hashable) -> Any:
    return key[0] if isinstance(key, tuple) and key else key


def _size_of(value: Any) -> int:
    """Bytes that a value holds, what it shares with nobody: arrays with what they are a view of, texts, documents."""
    kind: type = type(value)
    return _measure_of(kind)(value)


@cache
def _measure_of(kind: Hashable) -> Callable[[Any], int]:
    """How values of a type are measured: found out once, since keys hold hundreds of them."""
    assert isinstance(kind, type)
    if issubclass(kind, str | bytes):
        return len
    if issubclass(kind, np.ndarray):
        return _bytes_of_array
    if issubclass(kind, BaseModel):
        return lambda document: 2 * len(document.model_dump_json())
    if issubclass(kind, dict):
        return lambda table: sum([_size_of(key) + _size_of(entry) for key, entry in table.items()])
    if issubclass(kind, tuple | list | set | frozenset):
        return lambda entries: _OBJECT_BYTES + sum([_size_of(entry) for entry in entries])
    names = [field.name for field in fields(kind)] if is_dataclass(kind) else []
    return lambda value: _OBJECT_BYTES + sum([_size_of(getattr(value, name)) for name in names])


def _bytes_of_array(array: NDArray[Any]) -> int:
    owner = array.base if isinstance(array.base, np.ndarray) else array
    return int(max(array.nbytes, owner.nbytes))
