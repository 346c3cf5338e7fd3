"""Power records for tests: the simulator's stays as meters of several kinds would have written them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from gladwire.core.lanes.power.ledger import Entry, Ledger, keep_ledger
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.power.chain import Context
from gladwire.core.simulate.charge import Car, Course, Stay, charge

CAR = Car(
    cells=96, kwh=60.0, curve=((0, 110), (6, 130), (50, 130), (64, 90), (78, 58), (90, 24), (100, 4)), most_a=420.0
)
POST = Stay(CAR, 12.0, 80.0, kw=200.0, amps=300.0)


def seen(course: Course, every_s: int = 1, kw_only: bool = False, noise: float = 0.0, seed: int = 4) -> PowerRecord:
    """volts, amperes and SoC, or kW and SoC only, every so many seconds, with noise of this share."""
    rng = np.random.default_rng(seed)
    pick = slice(None, None, every_s)
    wander = 1.0 + noise * rng.normal(size=len(course.time_s[pick]))
    soc = np.floor(course.soc[pick])
    if kw_only:
        return PowerRecord(course.time_s[pick], {"power_kw": course.kw[pick] * wander, "soc_percent": soc})
    values = {"volts_v": course.volts[pick], "amps_a": course.amps[pick] * wander, "soc_percent": soc}
    return PowerRecord(course.time_s[pick], values)


def played(stay: Stay, **changes: object) -> Course:
    return charge(replace(stay, **changes))


def ledger(record: PowerRecord, context: Context | None = None, neighbours: Sequence[float] = ()) -> Ledger:
    found = keep_ledger(record, context, neighbours)
    assert found is not None
    return found


def minutes(kept: Ledger) -> dict[str, float]:
    """Minutes a limiter held, by key."""
    total: dict[str, float] = {}
    for entry in kept.entries:
        total[entry.limiter] = total.get(entry.limiter, 0.0) + entry.minutes
    return total


def at(kept: Ledger, second: float) -> Entry:
    return next(e for e in kept.entries if e.start_s <= second < e.end_s)
