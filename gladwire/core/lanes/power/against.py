"""A power record held against others: earlier sessions of the vehicle, and neighbours that plug in."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gladwire.core.lanes.power.ledger import Entry
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import PowerReport, record_of
from gladwire.core.power.reference import Compare, best_reference, compare_with, reference_of
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import NEIGHBOUR_AFTER_S, NEIGHBOUR_BEFORE_S


def against_earlier(whole: PowerReport | None, earlier: Sequence[tuple[str, bool, PowerReport]]) -> Compare | None:
    """Held against the session of the same vehicle that covers most of it; None where none can be.

    earlier: (title, whether at the same stall, power) of other sessions of the vehicle.
    """
    # Where the record itself says what held it back, how it does on the whole would only blur that.
    if whole is None or not may_be_reference(whole):
        return None
    soc, kw = soc_and_kw(record_of(whole))
    found = []
    for title, same_stall, report in earlier:
        if not may_be_reference(report):
            continue
        try:
            reference = reference_of(f"“{title}”", *soc_and_kw(record_of(report)), pack_c_of(report), same_stall)
        except ValueError:
            continue
        compared = compare_with(soc, kw, reference, pack_c_of(whole), pack_kwh=whole.context.pack_kwh)
        found += [compared] if compared else []
    return best_reference(found)


def may_be_reference(report: PowerReport) -> bool:
    """Whether a session shows what its vehicle can take: nothing held it back or cut it short."""
    return report.verdict not in ("derated", "interrupted")


def soc_and_kw(record: PowerRecord) -> tuple[Floats, Floats]:
    """(SoC %, kW) at every reading of power, shape (n,); SoC NaN where it was never read."""
    times, soc = record.at_readings("soc_percent")
    kw = record.values["power_kw"]
    return (np.interp(record.time_s, times, soc) if len(times) else np.full(len(kw), np.nan)), kw


def pack_c_of(report: PowerReport) -> float | None:
    """The pack's mean temperature as read, else as it was said to be."""
    read = [v for v in report.curve.others.get("pack_c", ()) if v is not None]
    return sum(read) / len(read) if read else report.context.pack_c


def fall_after(report: PowerReport, at_s: float) -> Entry | None:
    """The step down that a neighbour who plugs in at `at_s` may explain."""
    falls = (
        e
        for e in report.of("shared_cabinet", "unexplained")
        if -NEIGHBOUR_BEFORE_S < e.start_s - at_s < NEIGHBOUR_AFTER_S
    )
    return next(falls, None)
