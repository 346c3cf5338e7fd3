"""What a lock did: attempts to lock and release, and what became of each."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.records import Record
from gladwire.core.moments import Duration, Moment, Moments

LockResult = Literal["engaged", "obstructed", "released", "no_feedback", "none"]


class LockAttempt(BaseModel):
    """One attempt to lock or release. Times in seconds of the file, currents in the channel's unit.

    plateau: median current late in the longest pulse (a stall stands higher than a run). positioned: a position lane
    was there to answer. to_lock: driven the way of the first pulse of the recording, which is taken for locking.
    """

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    pulses: int
    longest_s: Duration
    plateau: float
    positioned: bool
    position_changed: bool
    result: LockResult
    to_lock: bool = True


class LockRecord(Record):
    """All attempts of a recording. current_channel: "" where only the position was captured; moves: its changes.
    current_unit: "A", "V" of a clamp, or "" where the file names none."""

    lane: ClassVar[str] = "lock"

    current_channel: str
    position_channel: str
    attempts: tuple[LockAttempt, ...]
    moves: Moments = ()
    current_unit: str = "A"
