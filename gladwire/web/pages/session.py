"""Session: the stage line, the verdict, and the panels below; what can be taken out of it."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import JSONResponse, Response

from gladwire.core.case.proof import since_before
from gladwire.core.findings import Finding
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.unnamed.record import Unnamed, UnnamedRecord
from gladwire.core.measured import Measured
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.timeline import Placed
from gladwire.export import File, session_object
from gladwire.store.cases import charging_session
from gladwire.store.measurements import newest_measurement
from gladwire.store.models import Capture, Case, ChargingSession
from gladwire.web.charts.stage_line import StageLine, stage_line
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import capture_or_404, csv_of
from gladwire.web.services import Database
from gladwire.web.session_panels import Panel, Shown, panels, readings_part
from gladwire.web.session_view import SessionView, is_waiting, session_view
from gladwire.web.signing import name_of
from gladwire.web.templating import render
from gladwire.work.cases import stages_of

router = APIRouter()

_LINE_WIDTH, _LINE_HEIGHT = 1180.0, 780.0


@dataclass(frozen=True)
class Question:
    """Channels of a capture nothing tells, and what each may be."""

    capture: Capture
    channels: tuple[Unnamed, ...]


@dataclass(frozen=True)
class Told:
    """The top of the page: stage line, verdict, and what the verdict rests on."""

    judgement: Judgement
    measured: Measured
    pilot: PilotRecord | None
    holds_frames: bool
    line: StageLine
    upright: StageLine
    since: str
    amended: list[str]
    settled_by: str
    guesses: list[str]
    questions: list[Question]
    not_placed: list[Placed]


@dataclass(frozen=True)
class SessionPage:
    """main, side, below: (panel, its part) as they stand in each column."""

    area: str
    session: ChargingSession
    case: Case | None
    place_in_case: int
    capture: Capture
    waiting: bool
    by_name: str
    result: Told | None
    main: list[tuple[Panel, Any]]
    side: list[tuple[Panel, Any]]
    below: list[tuple[Panel, Any]]


def session_or_404(db: Database, number: int) -> ChargingSession:
    session = charging_session(db, number)
    if session is None or not session.captures:
        raise RefusedError(404, f"There is no session {number}.", "Look on Today or through the cases.")
    return session


@router.get("/sessions/{number}")
def one_session(
    request: Request, db: Database, number: int, capture: int | None = None, at: float | None = None
) -> Response:
    """A session's page. capture: the one chosen; at: a moment of its file whose segment is opened."""
    session = session_or_404(db, number)
    view = session_view(session)
    chosen = next((c for c in session.captures if c.id == capture), None) or _worth_opening(session, view)
    siblings = [s.id for s in session.case.sessions] if session.case else []
    shown = Shown(db, session, view, chosen, name_of(request), request.cookies.get("connector", "type2"), at)
    page = SessionPage(
        area="cases" if session.case else "today",
        session=session,
        case=session.case,
        place_in_case=siblings.index(session.id) + 1 if siblings else 0,
        capture=chosen,
        waiting=is_waiting(session),
        by_name=shown.by_name,
        result=_told(shown) if view else None,
        main=panels(shown, "main"),
        side=panels(shown, "side"),
        below=panels(shown, "below"),
    )
    return render("session.html", page)


@router.get("/sessions/{number}/state")
def state(db: Database, number: int) -> Response:
    """Polled while captures wait: asks the page to come again once all are done."""
    if is_waiting(session_or_404(db, number)):
        return Response(status_code=204)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.get("/sessions/{number}/results.json")
def results(db: Database, number: int) -> Response:
    """The session's judgement and where each capture lies on its clock."""
    session = session_or_404(db, number)
    view = session_view(session)
    if view is None:
        raise RefusedError(409, "No capture of this session has a result yet.", "Wait for the analysis.")
    files = [File(p) for p in view.placed]
    content = {
        "captures": [
            {"name": c.name, "sha256": c.sha256, **p.alignment.model_dump(mode="json")}
            for c, p in zip(view.captures, view.placed, strict=True)
        ],
        **session_object(files, view.scene, view.judgement),
        "made_of": json.loads(session.judgement.made_of) if session.judgement else None,
    }
    name = f"session-{number}.results.json"
    return JSONResponse(content, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/sessions/{number}/findings.csv")
def findings_csv(db: Database, number: int) -> Response:
    """What was found in the session, on its clock."""
    view = session_view(session_or_404(db, number))
    rows = [finding.model_dump() for finding in view.judgement.findings] if view else []
    return csv_of(f"session-{number}.findings.csv", list(Finding.model_fields), rows)


@router.get("/captures/{number}/readings/{segment}")
def readings(request: Request, db: Database, number: int, segment: int) -> Response:
    """The readings of one segment, as a fragment."""
    capture = capture_or_404(db, number)
    view = session_view(capture.session)
    part = readings_part(view, capture, segment, name_of(request)) if view else None
    if part is None:
        raise RefusedError(404, f"There is no segment {segment + 1} in this capture.", "Choose another.")
    return render("parts/readings.html", part)


def _worth_opening(session: ChargingSession, view: SessionView | None) -> Capture:
    """The capture that sets the clock; one that could not be read when there is nothing else."""
    if view is None:
        return session.captures[-1]
    return next(
        (c for c, p in zip(view.captures, view.placed, strict=True) if p.alignment.how == "first"), view.captures[0]
    )


def _told(shown: Shown) -> Told:
    stored = newest_measurement(shown.capture)
    judgement, view = shown.judgement, shown.seen
    return Told(
        judgement=judgement,
        measured=shown.placed.measured,
        pilot=shown.pilot,
        holds_frames=bool(shown.placed.measured.of(ConversationRecord)),
        line=stage_line(judgement.stages, _LINE_WIDTH / len(judgement.stages)),
        upright=stage_line(judgement.stages, _LINE_HEIGHT / 15, room=170),
        since=_since(shown.session, judgement),
        amended=_amended(view),
        settled_by=stored.settlement.by_name if stored and stored.settlement else "",
        guesses=[guess for m in view.measured for guess in _guesses(m)],
        questions=_questions(view),
        not_placed=[p for p in view.placed if p.alignment.how == "none"],
    )


def _since(session: ChargingSession, judgement: Judgement) -> str:
    """What changed against the session before of the same case and mode."""
    if session.case is None:
        return ""
    before = [s for s in session.case.sessions if s.id < session.id and s.mode == session.mode]
    stages = stages_of(before[-1]) if before else ()
    return since_before(stages, judgement.stages) if stages else ""


def _amended(view: SessionView) -> list[str]:
    """Corrected readings the verdict follows, each in a few words."""
    return [
        f"{s.amended_by} at {s.start_s:.2f} s"
        for pilot in view.scene.of(PilotRecord)
        for s in pilot.segments
        if s.machine
    ]


def _questions(view: SessionView) -> list[Question]:
    found = zip(view.captures, view.measured, strict=True)
    return [Question(capture, record.channels) for capture, m in found for record in m.of(UnnamedRecord)]


def _guesses(measured: Measured) -> list[str]:
    """What the verdict rests on that the file does not say, each in a few words."""
    pilot = measured.first(PilotRecord)
    if pilot is None:
        return []
    reading = pilot.interpretation
    words = {
        "scale": f"probe factor × {reading.scale:g}",
        "polarity": "polarity turned round",
        "offset": f"{reading.offset_v:+.2f} V added",
        "ac_coupled": "states told from the swing alone",
    }
    channel = [f"channel “{pilot.channel}” taken for the pilot"] if measured.channel_guessed else []
    return channel + [judgement for kind, judgement in words.items() if kind in reading.guessed]
