"""Session: the stage line, the verdict, the pilot lane, the readings, the causes, and how the capture was read."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

from fastapi import APIRouter, Request
from starlette.responses import Response

from gladwire.core.analysis import Analysis
from gladwire.core.diagnosis.cause import PROBE_CAUTION
from gladwire.core.findings import Finding
from gladwire.core.lock import LockAttempt
from gladwire.core.pilot.reading import Settled
from gladwire.core.pilot.readings import Measured, readings_of
from gladwire.core.pilot.record import Segment
from gladwire.core.roles import ROLE_WORDS
from gladwire.core.standards.pilot_levels import STATES
from gladwire.store.cases import cases, charging_session
from gladwire.store.models import Capture, Case, ChargingSession, Settlement
from gladwire.web.charts.scale import Scale, scale_of
from gladwire.web.charts.stage_line import StageLine, stage_line
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import capture_or_404
from gladwire.web.services import Database, newest_analysis, parsed
from gladwire.web.templating import render

router = APIRouter()

_LINE_WIDTH, _LINE_HEIGHT = 1180.0, 780.0
# A list longer than this is neither read nor drawn; the download holds all.
_MOST_ROWS = 400


@dataclass(frozen=True)
class Reading:
    """A measured value with its drawing."""

    measured: Measured
    scale: Scale


@dataclass(frozen=True)
class ReadingsPart:
    """Readings of one segment. number counts from 0."""

    number: int
    count: int
    segment: Segment
    readings: list[Reading]


@dataclass(frozen=True)
class SettledEntry:
    """One settlement as the history tells it."""

    by_name: str
    why: str
    made_at: Any
    says: str


@dataclass(frozen=True)
class ResultPart:
    """Everything of the page that needs a result."""

    analysis: Analysis
    line: StageLine
    upright: StageLine
    chosen: ReadingsPart | None
    segments: list[Segment]
    more_segments: int
    findings: list[Finding]
    guesses: list[str]
    settled_by: str
    lane: str


@dataclass(frozen=True)
class SessionPage:
    area: str
    session: ChargingSession
    case: Case | None
    place_in_case: int
    capture: Capture
    captures: list[Capture]
    result: ResultPart | None
    settled: Settled
    interval_us: float | None
    history: list[SettledEntry]
    by_name: str
    open_cases: list[Case]
    caution: str

    @property
    def waiting(self) -> bool:
        return self.capture.state in ("received", "analysing")


@router.get("/sessions/{number}")
def one_session(request: Request, db: Database, number: int, capture: int | None = None) -> Response:
    session = charging_session(db, number)
    if session is None or not session.captures:
        raise RefusedError(404, f"There is no session {number}.", "Look on Today or through the cases.")
    chosen = next((c for c in session.captures if c.id == capture), session.captures[-1])
    settlement = chosen.settlements[-1] if chosen.settlements else None
    siblings = [s.id for s in session.case.sessions] if session.case else []
    page = SessionPage(
        area="cases" if session.case else "today",
        session=session,
        case=session.case,
        place_in_case=siblings.index(session.id) + 1 if siblings else 0,
        capture=chosen,
        captures=list(session.captures),
        result=_result_part(chosen),
        settled=Settled.model_validate_json(settlement.settled) if settlement else Settled(),
        interval_us=settlement.interval_s * 1e6 if settlement and settlement.interval_s else None,
        history=[_entry(s) for s in chosen.settlements],
        by_name=unquote(request.cookies.get("by_name", "")),
        open_cases=[] if session.case else list(cases(db, "open")),
        caution=PROBE_CAUTION,
    )
    return render("session.html", page)


@router.get("/captures/{number}/state")
def state(db: Database, number: int) -> Response:
    """Polled while a capture waits: asks the page to come again once it is done."""
    capture = capture_or_404(db, number)
    if capture.state in ("received", "analysing"):
        return Response(status_code=204)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.get("/captures/{number}/readings/{segment}")
def readings(db: Database, number: int, segment: int) -> Response:
    """The readings of one segment, as a fragment."""
    stored = newest_analysis(capture_or_404(db, number))
    result = parsed(stored) if stored else None
    if result is None or not 0 <= segment < len(result.pilot.segments):
        raise RefusedError(404, f"There is no segment {segment + 1} in this capture.", "Choose another.")
    return render("parts/readings.html", _readings_part(result, segment))


def _result_part(capture: Capture) -> ResultPart | None:
    stored = newest_analysis(capture)
    if stored is None:
        return None
    analysis = parsed(stored)
    segments = list(analysis.pilot.segments)
    stages = analysis.stages
    return ResultPart(
        analysis=analysis,
        line=stage_line(stages, _LINE_WIDTH / len(stages)),
        upright=stage_line(stages, _LINE_HEIGHT / 15, room=170),
        chosen=_readings_part(analysis, _worth_showing(analysis)) if segments else None,
        segments=segments[:_MOST_ROWS],
        more_segments=max(0, len(segments) - _MOST_ROWS),
        findings=list(analysis.findings),
        guesses=_guesses(analysis),
        settled_by=stored.settlement.by_name if stored.settlement else "",
        lane=_lane_json(capture, analysis),
    )


def _guesses(analysis: Analysis) -> list[str]:
    """What the verdict rests on that the file does not say, each in a few words."""
    reading = analysis.pilot.reading
    words = {
        "scale": f"probe factor × {reading.scale:g}",
        "polarity": "polarity turned round",
        "offset": f"{reading.offset_v:+.2f} V added",
        "ac_coupled": "states told from the swing alone",
    }
    channel = [f"channel “{analysis.pilot.channel}” taken for the pilot"] if analysis.channel_guessed else []
    return channel + [said for kind, said in words.items() if kind in reading.guessed]


def _worth_showing(analysis: Analysis) -> int:
    """The segment the verdict speaks of, else the longest in which a vehicle asks or waits."""
    segments = analysis.pilot.segments
    grave = next((f for f in analysis.findings if f.severity == "fault"), None)
    if grave:
        hit = next((i for i, s in enumerate(segments) if s.start_s <= grave.start_s < s.end_s), None)
        if hit is not None:
            return hit
    return max(
        range(len(segments)),
        key=lambda i: (segments[i].state in "BCD", segments[i].oscillating, segments[i].duration_s),
    )


def _readings_part(analysis: Analysis, number: int) -> ReadingsPart:
    segment = analysis.pilot.segments[number]
    found = [Reading(m, scale_of(m)) for m in readings_of(analysis.pilot, segment)]
    return ReadingsPart(number, len(analysis.pilot.segments), segment, found)


def _lane_json(capture: Capture, analysis: Analysis) -> str:
    """What the lane's script needs to begin with; samples are asked for by range."""
    record = analysis.pilot
    content = {
        "capture": capture.id,
        "start": record.start_s,
        "end": record.end_s,
        "interval": 1.0 / record.rate_hz,
        "segments": [
            {
                "label": s.label,
                "start": s.start_s,
                "end": s.end_s,
                "high": s.high_v,
                "low": s.low_v,
                "duty": s.duty_percent if s.oscillating else None,
                "amps": s.advertised_current_a,
            }
            for s in record.segments[: 10 * _MOST_ROWS]
        ],
        "events": [{"kind": e.kind, "at": e.time_s, "text": e.text} for e in record.events if e.kind == "interruption"],
        "lanes": _more_lanes(analysis),
        "states": [{"letter": s.letter, "nominal": s.nominal_v, "accept": list(s.accept)} for s in STATES],
    }
    # "<" must not end the script element the JSON stands in.
    return json.dumps(content).replace("<", "\\u003c")


def _more_lanes(analysis: Analysis) -> list[dict[str, Any]]:
    """Lanes below the pilot: channels with a role, each with the stretches that were told of it."""
    lanes = []
    for number, channel in enumerate(analysis.channels):
        marks: list[dict[str, Any]] = []
        if channel.role == "pp" and analysis.proximity and analysis.proximity.channel == channel.name:
            marks = [{"start": s.start_s, "end": s.end_s, "text": s.state} for s in analysis.proximity.segments]
        elif channel.role == "lock_current" and analysis.lock and analysis.lock.current_channel == channel.name:
            marks = [{"start": a.start_s, "end": a.end_s, "text": _attempt_words(a)} for a in analysis.lock.attempts]
        elif channel.role == "mains_v" and analysis.mains:
            marks = [{"start": s.start_s, "end": s.end_s, "text": f"{s.rms:.0f} V"} for s in analysis.mains.volts]
        elif channel.role == "mains_a" and analysis.mains:
            marks = [{"start": s.start_s, "end": s.end_s, "text": f"{s.rms:.1f} A"} for s in analysis.mains.levels]
        elif channel.role != "lock_position":
            continue
        unit = {"ohm": "Ω"}.get(channel.unit, channel.unit)
        words = ROLE_WORDS[channel.role] + (", by its name" if channel.guessed else "")
        colour = {"mains_v": "volts", "mains_a": "amps"}.get(channel.role, "plum")
        lanes.append(
            {"colour": colour, "channel": number, "name": channel.name, "role": words, "unit": unit, "marks": marks}
        )
    return lanes


def _attempt_words(attempt: LockAttempt) -> str:
    return attempt.result.replace("_", " ") + (f" ×{attempt.pulses}" if attempt.pulses > 1 else "")


def _entry(settlement: Settlement) -> SettledEntry:
    values = Settled.model_validate_json(settlement.settled)
    said = []
    for name, role in values.roles.items():
        said.append(f"“{name}” is {ROLE_WORDS[role]}")
    if values.scale is not None:
        said.append(f"probe factor × {values.scale:g}")
    if values.inverted is not None:
        said.append("turned round" if values.inverted else "not turned round")
    if values.offset_v is not None:
        said.append(f"{values.offset_v:+g} V added")
    if settlement.interval_s is not None:
        said.append(f"{settlement.interval_s * 1e6:g} µs between samples")
    return SettledEntry(
        settlement.by_name, settlement.why, settlement.made_at, ", ".join(said) or "all left to the machine"
    )
