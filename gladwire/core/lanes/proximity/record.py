"""Stretches of one proximity level, and what each means."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.records import Record
from gladwire.core.moments import Moment

ProximityState = Literal[
    "absent", "latched", "pressed", "low", "high", "between", "coded", "doubtful", "made", "unread", "unknown"
]
# States in which proximity says that a plug is in.
HOME = ("latched", "coded", "doubtful", "made")


class ProximitySegment(BaseModel):
    """A stretch of one level. Times in seconds of the file; value in `unit`; meaning is a sentence."""

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    value: float
    unit: Literal["V", "ohm"]
    state: ProximityState
    meaning: str

    @property
    def duration_s(self) -> float:
        return self.end_s - self.start_s


class ProximityRecord(Record):
    """One proximity channel. start_s, end_s: of the channel."""

    lane: ClassVar[str] = "proximity"

    channel: str
    segments: tuple[ProximitySegment, ...]
