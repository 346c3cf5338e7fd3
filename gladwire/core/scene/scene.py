"""Everything measured and noticed of one plug-in, on one clock: what the rules across lanes look at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple, TypeVar

from gladwire.core.answers import Answer, Before
from gladwire.core.lanes.pilot.record import PilotRecord, as_one
from gladwire.core.lanes.records import Record, Records
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.stamps import Stamp

R = TypeVar("R", bound=Record)


class Beside(NamedTuple):
    """Another vehicle's session heard in the same captures, judged for itself. told: outcome and verdict in words."""

    vehicle: str
    start_s: float
    end_s: float
    told: str


@dataclass(frozen=True)
class Scene:
    """records: by lane, in order of time; those that are judged do not overlap where their lane says so. beside: sessions of
    other vehicles in the same captures, whose records are not here. answers: what tests showed. before: by code of a cause,
    what closed cases say."""

    records: Records = field(default_factory=Records)
    stamps: tuple[Stamp, ...] = ()
    inspections: tuple[Inspection, ...] = ()
    beside: tuple[Beside, ...] = ()
    answers: tuple[Answer, ...] = ()
    before: Mapping[str, Before] = field(default_factory=dict)

    def of(self, kind: type[R]) -> tuple[R, ...]:
        return self.records.of(kind)

    def first(self, kind: type[R]) -> R | None:
        return self.records.first(kind)

    @cached_property
    def pilot(self) -> PilotRecord | None:
        """All pilots as one record: what looks across gaps looks at this, the pilot's own rules do not."""
        return as_one(self.of(PilotRecord))

    @property
    def end_s(self) -> float:
        return max((r.end_s for r in self.records), default=0.0)
