"""The power records of a session as its page shows them: each drawn, two of one time compared, parts spliced to one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from gladwire.core.lanes.power.against import fall_after
from gladwire.core.lanes.power.joined import clocks_apart, same_charge, same_time
from gladwire.core.lanes.power.report import PowerReport, record_of
from gladwire.core.lanes.power.sources import Compared, compare_sources
from gladwire.formats.dates import moment_of
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


class Named(NamedTuple):
    """A capture's power on the session's clock; by_hand: a person placed it there."""

    name: str
    report: PowerReport
    by_hand: bool


def reports_of(view: SessionView) -> list[Named]:
    """Of every capture that holds power and could be placed."""
    return [Named(p.name, report, p.alignment.how == "hand") for p in view.placed for report in p.of(PowerReport)]


def whole_of(view: SessionView) -> PowerReport | None:
    """The session's power as one record, None where none was captured."""
    return view.scene.first(PowerReport)


def power_panels(session: ChargingSession, view: SessionView) -> list[PowerPanel]:
    """The spliced whole first where there are parts, then every record."""
    named = reports_of(view)
    panels = []
    for number, one in enumerate(named):
        drawing = power_drawing(one.report)
        if drawing is None:
            continue
        compared = one.report.compared or _beside(named[:number], one)
        name = one.name if len(named) > 1 else ""
        panels.append(PowerPanel(f"power-{number}", session.id, name, drawing, compared))
    whole = whole_of(view)
    drawing = power_drawing(whole) if whole and whole.notes else None
    if drawing and whole:
        panels.insert(0, PowerPanel("power-whole", session.id, "all parts, spliced", drawing, None, whole.notes))
    return panels


def _beside(before: Sequence[Named], one: Named) -> Compared | None:
    """A record against the first before it that reads the same charge."""
    for other in before:
        if same_time(other.report, one.report):
            return compare_sources(record_of(other.report), record_of(one.report), other.by_hand or one.by_hand)
        if same_charge(other.report, one.report):
            text = clocks_apart(other.report, one.report)
            return Compared(first=other.report.source, second=one.report.source, text=text, refused=True)
    return None


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
        fall = fall_after(whole, at)
        fits = f"power falls {fall.start_s - at:.0f} s later" if fall else ""
        found.append(Neighbour(other, other.stall.name, at, fits))
    return sorted(found, key=lambda b: b.at_s)
