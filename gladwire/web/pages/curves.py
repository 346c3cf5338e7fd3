"""Curves: power of several sessions laid over each other, windows, distance and price, and one held against another."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from gladwire.core.lanes.power.against import pack_c_of, soc_and_kw
from gladwire.core.lanes.power.record import PowerRecord, energy_so_far
from gladwire.core.lanes.power.report import PowerReport, record_of
from gladwire.core.lanes.power.windows import Window, soc_course, window_of_energy, window_of_soc, window_of_time
from gladwire.core.power.distance import UNITS, distance
from gladwire.core.power.reference import Compare, compare_with, reference_of
from gladwire.core.power.tariff import Tariff, price
from gladwire.store.cases import recent_sessions
from gladwire.store.equipment import details_of, sessions_with
from gladwire.store.models import ChargingSession
from gladwire.web.charts.plot import STYLES, Plot, Series, plot
from gladwire.web.errors import RefusedError
from gladwire.web.forms import number_in, told
from gladwire.web.pages.compare import whose
from gladwire.web.pages.session import session_or_404
from gladwire.web.power_view import whole_of
from gladwire.web.services import Database
from gladwire.web.session_view import is_waiting, session_view
from gladwire.web.templating import render

router = APIRouter()

# Windows people use; each is named wherever it is used.
WINDOWS = ((10.0, 80.0), (0.0, 90.0), (0.0, 100.0), (15.0, 80.0), (20.0, 80.0))
OF = (("soc", "% of charge"), ("min", "minutes"), ("kwh", "kWh"))
ALIGNED = (("plug", "at plug-in"), ("soc", "at a state of charge"), ("ramp", "at the end of the ramp"))
_MOST = len(STYLES)


@dataclass(frozen=True)
class Laid:
    """A session laid over the others. window: the chosen one, None where it is not covered; zero_s: where it is aligned."""

    session: ChargingSession
    report: PowerReport
    record: PowerRecord
    style: int
    zero_s: float
    window: Window | None
    distance: str
    cost: str
    compared: Compare | None
    joints: Sequence[str]


@dataclass(frozen=True)
class Offered:
    session: ChargingSession
    chosen: bool


@dataclass(frozen=True)
class CurvesPage:
    area: str
    laid: Sequence[Laid]
    plots: Sequence[Plot]
    offered: Sequence[Offered]
    typed: Mapping[str, str]
    units: Sequence[str]
    windows: Sequence[tuple[float, float]]
    aligned: Sequence[tuple[str, str]]
    of: Sequence[tuple[str, str]]
    trouble: str
    tens: PowerReport | None
    vehicles: str


@router.get("/curves")
def curves(request: Request, db: Database, s: Annotated[list[int] | None, Query()] = None) -> Response:
    """Sessions whose numbers are given as `s`; the first is what the others are held against."""
    numbers = list(dict.fromkeys(s or []))[:_MOST]
    asked = {
        **{"from": "", "to": "", "of": "soc", "align": "plug", "at": "20", "unit": UNITS[0]},
        **dict(request.query_params),
    }
    typed = {k: v.strip()[:20] for k, v in asked.items()}
    trouble, at = "", 20.0
    window = _shared(db, numbers)
    try:
        if typed["from"] or typed["to"]:
            window = (number_in(typed["from"]) or 0.0, number_in(typed["to"]) or 100.0)
        at = number_in(typed["at"]) or 0.0
        [number_in(typed.get(key, "")) for key in ("consumption", "per_kwh", "per_min", "per_start")]
    except ValueError as error:
        trouble, typed = told(error), {**typed, "consumption": "", "per_kwh": "", "per_min": "", "per_start": ""}
    most = 100.0 if typed["of"] == "soc" else 1e5
    if not 0 <= window[0] < window[1] <= most:
        trouble, window = f"A window from 0 to {most:g} was expected, its end above its start.", (10.0, 80.0)
    typed |= {"from": f"{window[0]:g}", "to": f"{window[1]:g}"}
    laid: list[Laid] = []
    for number in numbers:
        one = _laid(session_or_404(db, number), len(laid), window, at, typed, laid[0] if laid else None)
        if one is None and is_waiting(session_or_404(db, number)):
            raise RefusedError(409, f"Session {number} is still being read and measured.", "Come again in a moment.")
        if one is None:
            raise RefusedError(
                404, f"Session {number} holds no power record.", "Choose others, or drop a record of it."
            )
        laid.append(one)
    page = CurvesPage(
        "cases", laid, _plots(laid, typed), _offered(db, numbers, laid), typed, UNITS, WINDOWS, ALIGNED, OF, trouble,
        laid[0].report if laid else None, whose([one.session for one in laid]),
    )  # fmt: skip
    return render("curves.html", page)


def _shared(db: Database, numbers: Sequence[int]) -> tuple[float, float]:
    """10 to 80 % where every session covers it, else what they all cover."""
    views = [session_view(session_or_404(db, number)) for number in numbers]
    reports = [whole_of(view) for view in views if view]
    starts = [r.start_soc for r in reports if r and r.start_soc is not None]
    ends = [r.end_soc for r in reports if r and r.end_soc is not None]
    low, high = max([*starts, 10.0]), min([*ends, 80.0])
    return (float(np.ceil(low)), float(np.floor(high))) if high - low >= 2.0 else (10.0, 80.0)


def _laid(
    session: ChargingSession,
    style: int,
    window: tuple[float, float],
    at: float,
    typed: Mapping[str, str],
    first: Laid | None,
) -> Laid | None:
    view = session_view(session)
    report = whole_of(view) if view else None
    if report is None:
        return None
    record = record_of(report)
    chosen = _window(record, report, typed["of"], window)
    return Laid(
        session, report, record, style, _zero(record, report, typed["align"], at), chosen, _far(chosen, typed, session),
        _cost(chosen, typed), _compared(first, record, report) if first else None, report.notes,
    )  # fmt: skip


def _window(record: PowerRecord, report: PowerReport, of: str, window: tuple[float, float]) -> Window | None:
    """The asked window of charge, of minutes since the beginning or of energy; None where it is not covered, or power was
    hardly read."""
    with contextlib.suppress(ValueError):
        return _window_of(record, report, of, window)
    return None


def _window_of(record: PowerRecord, report: PowerReport, of: str, window: tuple[float, float]) -> Window | None:
    """Raises ValueError where power was hardly read."""
    if of == "kwh":
        return window_of_energy(record, *window, report.ramp_ends_at_s)
    if of == "min":
        start, end = (report.start_s + 60.0 * minutes for minutes in window)
        return window_of_time(record, start, end, report.ramp_ends_at_s) if end <= report.end_s + 1e-6 else None
    return window_of_soc(record, *window, report.ramp_ends_at_s)


def _zero(record: PowerRecord, report: PowerReport, align: str, at: float) -> float:
    """The moment that becomes nought, in seconds of the record; plug-in where the asked one is not covered."""
    if align == "soc":
        moment = soc_course(record).when(at)
        return report.start_s if moment is None else moment
    if align == "ramp" and report.ramp_ends_at_s is not None:
        return report.ramp_ends_at_s
    return report.start_s


def _far(window: Window | None, typed: Mapping[str, str], session: ChargingSession) -> str:
    use = _use(typed, session)
    if window is None or use is None:
        return ""
    far, length = distance(window.energy_kwh, *use)
    return f"{far:.0f} {length}, {far / window.minutes:.1f} {length} a minute at {use[0]:g} {use[1]}"


def _use(typed: Mapping[str, str], session: ChargingSession) -> tuple[float, str] | None:
    """(consumption, its unit), typed or the vehicle's own."""
    value = number_in(typed.get("consumption", ""))
    if value and value > 0 and typed["unit"] in UNITS:
        return value, typed["unit"]
    known = details_of(session.vehicle) if session.vehicle else {}
    value, unit = known.get("consumption"), known.get("consumption_unit", "")
    return (float(value), str(unit)) if value and unit in UNITS else None


def _cost(window: Window | None, typed: Mapping[str, str]) -> str:
    prices = {key: number_in(typed.get(key, "")) or 0.0 for key in ("per_kwh", "per_min", "per_start")}
    if window is None or not any(prices.values()) or min(prices.values()) < 0:
        return ""
    return f"{price(Tariff(**prices), window.energy_kwh, window.minutes):.2f}"


def _compared(first: Laid, record: PowerRecord, report: PowerReport) -> Compare | None:
    """The later ones held against the first."""
    soc, kw = soc_and_kw(first.record)
    mine = soc_and_kw(record)
    try:
        reference = reference_of(f"“{first.session.title}”", soc, kw, pack_c_of(first.report), _same_post(first))
    except ValueError:
        return None
    return compare_with(*mine, reference, pack_c_of(report), pack_kwh=report.context.pack_kwh)


def _same_post(first: Laid) -> bool:
    return first.session.stall_id is not None


def _plots(laid: Sequence[Laid], typed: Mapping[str, str]) -> list[Plot]:
    """The standard charts: power, volts and amperes over time, power over charge, distance and charge over minutes."""

    def lines(of: str, over_soc: bool = False) -> list[Series]:
        found = []
        for one in laid:
            values = one.record.values.get(of)
            if values is None:
                continue
            xs = soc_and_kw(one.record)[0] if over_soc else (one.record.time_s - one.zero_s) / 60.0
            points = [(float(x), None if y != y else float(y)) for x, y in zip(xs, values, strict=True) if x == x]
            found.append(Series(one.session.title[:22], [p[0] for p in points], [p[1] for p in points], one.style))
        return found

    minutes = "minutes"
    wanted = [
        plot("Power over charge", "state of charge in %", "kW", lines("power_kw", True)),
        plot("Power over time", minutes, "kW", lines("power_kw")),
        plot("Charge over time", minutes, "%", lines("soc_percent"), 820, 220),
        plot("Distance added over minutes", minutes, _length(laid, typed), _distances(laid, typed), 820, 220),
        plot("Volts over time", minutes, "V", lines("volts_v"), 820, 200),
        plot("Amperes over time", minutes, "A", lines("amps_a"), 820, 200),
    ]
    return [p for p in wanted if p]


def _length(laid: Sequence[Laid], typed: Mapping[str, str]) -> str:
    use = next((u for one in laid if (u := _use(typed, one.session))), None)
    return "mi" if use and "mi" in use[1] else "km"


def _distances(laid: Sequence[Laid], typed: Mapping[str, str]) -> list[Series]:
    found = []
    for one in laid:
        use = _use(typed, one.session)
        if use is None:
            continue
        times, total = energy_so_far(one.record)
        far = distance(1.0, *use)[0]
        xs = ((times - one.zero_s) / 60.0).tolist()
        found.append(Series(one.session.title[:22], xs, (total * far).tolist(), one.style))
    return found


def _offered(db: Database, numbers: Sequence[int], laid: Sequence[Laid]) -> list[Offered]:
    """Sessions that can be laid over: of the same vehicles and stalls, and the newest."""
    used = [n for one in laid for n in (one.session.vehicle_id, one.session.stall_id) if n is not None]
    found = {one.session.id: one.session for one in laid}
    for session in (*(sessions_with(db, used) if used else ()), *recent_sessions(db, 40)):
        found.setdefault(session.id, session)
    rows = []
    for session in found.values():
        view = session_view(session) if session.captures else None
        if view and view.holds(PowerReport):
            rows.append(Offered(session, session.id in numbers))
    return rows[:60]
