"""What a lock did: attempts to lock and release, and what became of each."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.records import Record
from gladwire.core.moments import Duration, Moment, Moments

LockResult = Literal["engaged", "obstructed", "released", "no_feedback", "none"]


class LockAttempt(BaseModel):
    """One attempt to lock or release. Times in seconds of the file, currents in the channel's unit.

    plateau: median current late in the longest pulse (a stall stands higher than a run). positioned: a position lane
    was there to answer. to_lock: driven the way of the first pulse of the recording, which is taken for locking
    until the pilot says otherwise (`core/session/locking.py`).
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
    current_unit: "A", "V" of a clamp, or "" where the file names none. lets_go: the first thing it did was to release."""

    lane: ClassVar[str] = "lock"

    current_channel: str
    position_channel: str
    attempts: tuple[LockAttempt, ...]
    moves: Moments = ()
    current_unit: str = "A"
    lets_go: bool = False

    @property
    def begins_locking_s(self) -> float:
        """When its first pulse (move, where no current was captured) begins that is taken for locking; before all time where
        there is none, or it is taken for a release."""
        firsts = [a.start_s for a in self.attempts[:1]] if self.current_channel else list(self.moves[:1])
        return firsts[0] if firsts and not self.lets_go else -math.inf

    def turned(self) -> LockRecord:
        """The same where the first thing it did was a release."""
        return self.model_copy(update={"attempts": tuple(_turned(a) for a in self.attempts), "lets_go": True})


_TURNED: dict[LockResult, LockResult] = {"engaged": "released", "released": "engaged"}


def _turned(attempt: LockAttempt) -> LockAttempt:
    result = _TURNED.get(attempt.result, attempt.result)
    return attempt.model_copy(update={"to_lock": not attempt.to_lock, "result": result})
