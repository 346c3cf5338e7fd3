"""Which way a lock was driven, where the pilot tells: a capture begun in a charge first shows the release."""

from __future__ import annotations

from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.pilot.asking import requests
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.records import Records
from gladwire.core.standards.pilot_timing import TOGGLE_MAX_S

# A vehicle that lets go of the lock as it stops asking may do it this much before; common practice, no source.
_TOGETHER_S = 0.3


def with_locks_as_used(records: Records) -> Records:
    """Locks whose first pulse comes after the only or last request was over are read the other way: nobody locks then. A
    toggle by which a vehicle wakes the post is no request to charge, unless the capture begins in it."""
    pilots = records.of(PilotRecord)
    asks = [(pilot, ask) for pilot in pilots for ask in requests(pilot)]
    charged = any(ask.duration_s > TOGGLE_MAX_S or ask.start_s <= pilot.start_s for pilot, ask in asks)
    ended = [ask.end_s for _, ask in asks]
    if not charged or not records.of(LockRecord):
        return records
    return Records.of_all(
        r.turned() if isinstance(r, LockRecord) and r.begins_locking_s >= max(ended) - _TOGETHER_S else r
        for r in records
    )
