"""What something was, from when on."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from typing import Generic, TypeVar

V = TypeVar("V")


class Course(Generic[V]):
    """A value over time, constant between its changes; seconds of the world's clock, which only goes on."""

    def __init__(self, value: V, at_s: float = 0.0) -> None:
        self._times = [at_s]
        self._values = [value]

    @property
    def now(self) -> V:
        return self._values[-1]

    def set(self, at_s: float, value: V) -> None:
        """From now on; the same value again is no change. What was set for later than that holds until then."""
        at_s = max(at_s, self._times[-1])
        if value == self._values[-1]:
            return
        if at_s == self._times[-1]:
            self._values[-1] = value
            return
        self._times.append(at_s)
        self._values.append(value)

    def at(self, time_s: float) -> V:
        """What it was then; before the first, what it was at first."""
        return self._values[max(0, bisect_right(self._times, time_s) - 1)]

    def between(self, first_s: float, last_s: float) -> Iterator[tuple[float, float, V]]:
        """(from, to, value) of every stretch that reaches into this time, each cut to it."""
        n = max(0, bisect_right(self._times, first_s) - 1)
        for k in range(n, len(self._times)):
            begins = self._times[k]
            if begins >= last_s and k > n:
                return
            ends = self._times[k + 1] if k + 1 < len(self._times) else last_s
            yield max(begins, first_s) if k > n else first_s, min(ends, last_s), self._values[k]

    def begun(self, time_s: float) -> float:
        """When what it was then began."""
        return self._times[max(0, bisect_right(self._times, time_s) - 1)]

    def forget(self, before_s: float) -> None:
        """Keep only what still holds at that moment, and what came later."""
        n = max(0, bisect_right(self._times, before_s) - 1)
        del self._times[:n], self._values[:n]

    def __len__(self) -> int:
        return len(self._times)
