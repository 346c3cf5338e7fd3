"""The power records of a session as its page shows them: each drawn, two of one time compared, parts spliced to one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

from gladwire.core.power.report import PowerReport, record_of, report_of
from gladwire.core.power.sources import Compared, compare_sources
from gladwire.core.power.splice import splice
from gladwire.core.session.clock import on_clock
from gladwire.store.models import ChargingSession
from gladwire.web.charts.power import PowerDrawing, power_drawing
from gladwire.web.session_view import SessionView

# Records that share more than this are two readings of one thing; others follow each other.
_OVERLAP_S = 60.0


@dataclass(frozen=True)
class PowerPanel:
    """name: of the file, empty for the only one. notes: what was joined and how."""

    id: str
    session: int
    name: str
    drawing: PowerDrawing
    compared: Compared | None = None
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Key:
    """Reports of a session, told apart by what they were stored as."""

    key: tuple[object, ...]
    reports: tuple[PowerReport, ...]

    def __hash__(self) -> int:
        return hash(self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and self.key == other.key


def reports_of(view: SessionView) -> list[tuple[str, PowerReport]]:
    """(file, its power on the session's clock) of every capture that holds one and could be placed."""
    found = []
    for capture, scene in zip(view.captures, _scenes(view), strict=True):
        if scene is not None:
            found.append((capture.name, scene))
    return found


def _scenes(view: SessionView) -> list[PowerReport | None]:
    pairs = zip(view.analyses, view.together.alignments, strict=True)
    return [on_clock(a.power, p.clock) if a.power and p.how != "none" else None for a, p in pairs]


def whole_of(view: SessionView) -> tuple[PowerReport | None, tuple[str, ...]]:
    """(the session's power as one record, how parts were joined); None where none was captured."""
    named = reports_of(view)
    if not named:
        return None, ()
    key = (
        tuple((c.id, c.sha256) for c in view.captures),
        tuple((r.start_s, r.energy_kwh, str(r.context)) for _, r in named),
    )
    return _whole(_Key(key, tuple(r for _, r in named)))


@lru_cache(maxsize=64)
def _whole(asked: _Key) -> tuple[PowerReport | None, tuple[str, ...]]:
    runs = _parts(asked.reports)
    if len(runs) == 1:
        return runs[0], ()
    pauses = [b.start_s - a.end_s for a, b in pairwise(runs)]
    record, joints = splice([record_of(r) for r in runs], pauses)
    return report_of(record, runs[0].context), tuple(j.words for j in joints)


def _parts(reports: Sequence[PowerReport]) -> list[PowerReport]:
    """Reports that follow each other, in order; of several of one time the one of most energy."""
    kept: list[PowerReport] = []
    for report in sorted(reports, key=lambda r: -r.energy_kwh):
        if all(min(k.end_s, report.end_s) - max(k.start_s, report.start_s) <= _OVERLAP_S for k in kept):
            kept.append(report)
    return sorted(kept, key=lambda r: r.start_s)


def power_panels(session: ChargingSession, view: SessionView) -> list[PowerPanel]:
    """The spliced whole first where there are parts, then every record."""
    named = reports_of(view)
    panels = []
    for number, (name, report) in enumerate(named):
        drawing = power_drawing(report)
        if drawing is None:
            continue
        others = [r for i, (_, r) in enumerate(named) if i < number and _same_time(r, report)]
        compared = report.compared or (compare_sources(record_of(others[0]), record_of(report)) if others else None)
        panels.append(PowerPanel(f"power-{number}", session.id, name if len(named) > 1 else "", drawing, compared))
    whole, joints = whole_of(view)
    drawing = power_drawing(whole) if whole and joints else None
    if drawing:
        panels.insert(0, PowerPanel("power-whole", session.id, "all parts, spliced", drawing, None, joints))
    return panels


def _same_time(a: PowerReport, b: PowerReport) -> bool:
    return min(a.end_s, b.end_s) - max(a.start_s, b.start_s) > _OVERLAP_S
