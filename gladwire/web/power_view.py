"""The power records of a session as its page shows them: each drawn, two of one time compared, parts spliced to one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC

import numpy as np
from dateutil import parser as dates

from gladwire.core.lanes.power.joined import same_time
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import PowerReport, record_of
from gladwire.core.lanes.power.sources import Compared, compare_sources
from gladwire.core.power.reference import Compare, best_reference, compare_with, reference_of
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import NEIGHBOUR_AFTER_S, NEIGHBOUR_BEFORE_S
from gladwire.store.models import ChargingSession
from gladwire.web.charts.power import PowerDrawing, power_drawing
from gladwire.web.session_view import SessionView


@dataclass(frozen=True)
class PowerPanel:
    """name: of the file, empty for the only one. notes: what was joined and how."""

    id: str
    session: int
    name: str
    drawing: PowerDrawing
    compared: Compared | None = None
    notes: tuple[str, ...] = ()


def reports_of(view: SessionView) -> list[tuple[str, PowerReport]]:
    """(file, its power on the session's clock) of every capture that holds one and could be placed."""
    return [(p.name, report) for p in view.placed for report in p.of(PowerReport)]


def whole_of(view: SessionView) -> PowerReport | None:
    """The session's power as one record, None where none was captured."""
    return view.scene.first(PowerReport)


def power_panels(session: ChargingSession, view: SessionView) -> list[PowerPanel]:
    """The spliced whole first where there are parts, then every record."""
    named = reports_of(view)
    panels = []
    for number, (name, report) in enumerate(named):
        drawing = power_drawing(report)
        if drawing is None:
            continue
        others = [r for i, (_, r) in enumerate(named) if i < number and same_time(r, report)]
        compared = report.compared or (compare_sources(record_of(others[0]), record_of(report)) if others else None)
        panels.append(PowerPanel(f"power-{number}", session.id, name if len(named) > 1 else "", drawing, compared))
    whole = whole_of(view)
    drawing = power_drawing(whole) if whole and whole.notes else None
    if drawing and whole:
        panels.insert(0, PowerPanel("power-whole", session.id, "all parts, spliced", drawing, None, whole.notes))
    return panels


def against_earlier(view: SessionView, earlier: Sequence[tuple[str, bool, SessionView]]) -> Compare | None:
    """The session held against the one of the same vehicle that covers most of it; None where none can be.

    earlier: (title, whether at the same stall, view) of other sessions of the vehicle.
    """
    whole = whole_of(view)
    # Where the record itself says what held it back, how it does on the whole would only blur that.
    if whole is None or whole.verdict in ("derated", "interrupted"):
        return None
    soc, kw = soc_and_kw(record_of(whole))
    found = []
    for title, same_stall, other in earlier:
        report = whole_of(other)
        if report is None or report.verdict in ("derated", "interrupted"):
            continue
        try:
            reference = reference_of(f"“{title}”", *soc_and_kw(record_of(report)), pack_c_of(report), same_stall)
        except ValueError:
            continue
        compared = compare_with(soc, kw, reference, pack_c_of(whole), pack_kwh=whole.context.pack_kwh)
        found += [compared] if compared else []
    return best_reference(found)


def soc_and_kw(record: PowerRecord) -> tuple[Floats, Floats]:
    """(SoC %, kW) at every reading of power, shape (n,); SoC NaN where it was never read."""
    times, soc = record.at_readings("soc_percent")
    kw = record.values["power_kw"]
    return (np.interp(record.time_s, times, soc) if len(times) else np.full(len(kw), np.nan)), kw


def pack_c_of(report: PowerReport) -> float | None:
    """The pack's mean temperature as read, else as it was said to be."""
    read = [v for v in report.curve.others.get("pack_c", ()) if v is not None]
    return sum(read) / len(read) if read else report.context.pack_c


def moment_of(text: str) -> float | None:
    """Seconds since 1970 of a file's own word for its start, None where it tells no date."""
    if not any(sign in text for sign in "-/.") or len(text) < 8:
        return None
    try:
        found = dates.parse(text)
    except (ValueError, OverflowError):
        return None
    return (found if found.tzinfo else found.replace(tzinfo=UTC)).timestamp()


@dataclass(frozen=True)
class Neighbour:
    """Another session of the same site that began while this one went on. at_s: on this session's clock.

    fits: the limiter's entry it may explain, where power stepped down as it began.
    """

    session: ChargingSession
    stall: str
    at_s: float
    fits: str


def neighbours(session: ChargingSession, view: SessionView, others: Sequence[ChargingSession]) -> list[Neighbour]:
    """What began meanwhile at other stalls of the site, by the files' own word for their start; in order of time."""
    began = next((at for c in session.captures if (at := moment_of(c.recorded_at)) is not None), None)
    whole = whole_of(view)
    if began is None or whole is None:
        return []
    found = []
    for other in others:
        start = next((at for c in other.captures if (at := moment_of(c.recorded_at)) is not None), None)
        if start is None or other.stall is None or other.id == session.id or other.stall_id == session.stall_id:
            continue
        at = start - began
        if not whole.start_s < at < whole.end_s:
            continue
        falls = [
            e
            for e in whole.of("shared_cabinet", "unexplained")
            if -NEIGHBOUR_BEFORE_S < e.start_s - at < NEIGHBOUR_AFTER_S
        ]
        fits = f"power falls {falls[0].start_s - at:.0f} s later" if falls else ""
        found.append(Neighbour(other, other.stall.name, at, fits))
    return sorted(found, key=lambda b: b.at_s)
