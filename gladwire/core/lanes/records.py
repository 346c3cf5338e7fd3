"""What lanes record, whatever the lane: one base for every record, and records by lane."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any, ClassVar, TypeVar, cast

from pydantic import BaseModel, ConfigDict

from gladwire.core.moments import Clock, Moment, on_clock


class Record(BaseModel):
    """What was measured of one lane in one capture. lane: the lane's key. start_s, end_s: what was captured of it."""

    model_config = ConfigDict(frozen=True)

    lane: ClassVar[str]

    start_s: Moment
    end_s: Moment


R = TypeVar("R", bound=Record)


class Records:
    """Records by the key of their lane, in order of time. Nobody changes them."""

    def __init__(self, by_lane: Mapping[str, Iterable[Record]] | None = None) -> None:
        self._by_lane = {key: found for key, records in (by_lane or {}).items() if (found := tuple(records))}

    @classmethod
    def of_all(cls, records: Iterable[Record]) -> Records:
        by_lane: dict[str, list[Record]] = {}
        for record in records:
            by_lane.setdefault(record.lane, []).append(record)
        return cls(by_lane)

    def of(self, kind: type[R]) -> tuple[R, ...]:
        """All records of one lane, by their type."""
        return cast(tuple[R, ...], self._by_lane.get(kind.lane, ()))

    def first(self, kind: type[R]) -> R | None:
        found = self.of(kind)
        return found[0] if found else None

    @property
    def lanes(self) -> frozenset[str]:
        return frozenset(self._by_lane)

    def __iter__(self) -> Iterator[Record]:
        return (record for records in self._by_lane.values() for record in records)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Records) and self._by_lane == other._by_lane

    def __hash__(self) -> int:
        return hash(tuple(self._by_lane))

    def moved(self, clock: Clock) -> Records:
        """The same on the session's clock."""
        return Records({key: [on_clock(r, clock) for r in records] for key, records in self._by_lane.items()})

    def dumped(self) -> dict[str, list[dict[str, Any]]]:
        """As JSON values, by lane."""
        return {key: [r.model_dump(mode="json") for r in records] for key, records in self._by_lane.items()}
