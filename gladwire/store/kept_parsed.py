"""Rows already parsed, the newest used kept, by the number of a row that never changes."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class KeptParsed(Generic[T]):
    """At most `most` objects; safe from several threads."""

    def __init__(self, most: int) -> None:
        self._most, self._kept, self._lock = most, OrderedDict[object, T](), Lock()

    def get(self, key: object) -> T | None:
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                self._kept.move_to_end(key)
            return found

    def put(self, key: object, value: T) -> T:
        with self._lock:
            self._kept[key] = value
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return value

    def clear(self) -> None:
        """Forget all: for a store whose numbers begin anew."""
        with self._lock:
            self._kept.clear()
