"""Arrays kept in memory while there is room: the oldest go first, by how many bytes they take, not by how
many they are.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """Things by key, made once when they are asked for, up to ``most_bytes`` in all."""

    def __init__(self, most_bytes: int, size_of: Callable[[T], int]) -> None:
        self._most, self._size_of = most_bytes, size_of
        self._things: OrderedDict[object, T] = OrderedDict()
        self._bytes, self._lock = 0, threading.Lock()

    def get(self, key: object, make: Callable[[], T]) -> T:
        """The thing of a key; two threads may make it at once, and both get the same one."""
        with self._lock:
            if key in self._things:
                self._things.move_to_end(key)
                return self._things[key]
        made = make()
        with self._lock:
            if key in self._things:
                return self._things[key]
            self._things[key] = made
            self._bytes += self._size_of(made)
            while self._bytes > self._most and len(self._things) > 1:
                _, gone = self._things.popitem(last=False)
                self._bytes -= self._size_of(gone)
        return made

    def __len__(self) -> int:
        return len(self._things)
