"""Session: the stage line, the verdict, the lanes on one clock, the readings, the causes, and how captures were read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import JSONResponse, Response

from gladwire.core.analysis import Analysis
from gladwire.core.case.proof import MODES, Mode, since_before
from gladwire.core.diagnosis.cause import PROBE_CAUTION
from gladwire.core.findings import Finding
from gladwire.core.lanes.frames.record import Talk
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.lanes.pilot.values import Measured, readings_of
from gladwire.core.lanes.roles import ROLE_WORDS
from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import FIELDS
from gladwire.core.power.reference import Compare
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.clock import on_clock
from gladwire.core.session.explained import EXPLAINED
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.stamps import BY_KEY, KINDS, StampKind
from gladwire.core.settled import Settled
from gladwire.core.standards.connectors import BY_KEY as CONNECTORS
from gladwire.store.cases import cases, charging_session
from gladwire.store.equipment import all_equipment, sessions_with
from gladwire.store.models import Capture, Case, ChargingSession, Observation, ReadingPicture, Settlement
from gladwire.store.readings import pictures_of
from gladwire.web.charts.attenuation import Attenuation, attenuation
from gladwire.web.charts.dialogue import Dialogue, dialogue
from gladwire.web.charts.faces import Face, contacts_in, face
from gladwire.web.charts.lanes import lanes_json, moved_pilot
from gladwire.web.charts.scale import Scale, scale_of
from gladwire.web.charts.stage_line import StageLine, stage_line
from gladwire.web.errors import RefusedError
from gladwire.web.pages.buses import BusPart, KeyLogRow, bus_parts, key_log_rows
from gladwire.web.pages.captures import capture_or_404
from gladwire.web.pages.known import Known, known_of
from gladwire.web.power_view import Beside, PowerPanel, against_earlier, beside, power_panels
from gladwire.web.services import Database, newest_analysis
from gladwire.web.session_view import SessionView, session_view
from gladwire.web.signing import name_of
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
    """Readings of one segment, its times on the session's clock. number counts from 0; at_file_s: inside it, in its
    file's own time."""

    capture: int
    number: int
    count: int
    segment: Segment
    readings: list[Reading]
    at_file_s: float
    by_name: str = ""


@dataclass(frozen=True)
class SettledEntry:
    """One settlement as the history tells it."""

    by_name: str
    why: str
    made_at: Any
    says: str


@dataclass(frozen=True)
class RecordingRow:
    """One capture of the session. alignment: None while it has no result."""

    capture: Capture
    alignment: Alignment | None
    analysis: Analysis | None
    waiting: bool
    beside: bool


@dataclass(frozen=True)
class StampRow:
    """A stamped event as it is listed."""

    observation: Observation
    kind: StampKind


@dataclass(frozen=True)
class ResultPart:
    """Everything of the page that needs a result. analysis: of the capture chosen for segments and settling."""

    said: Judgement
    analysis: Analysis
    pilot: PilotRecord | None
    line: StageLine
    upright: StageLine
    chosen: ReadingsPart | None
    segments: list[Segment]
    more_segments: int
    findings: list[Finding]
    guesses: list[str]
    amended: list[str]
    settled_by: str
    lanes: str
    since: str
    face: Face | None
    dialogues: list[tuple[str, Dialogue]]
    powers: list[PowerPanel]
    earlier: Compare | None
    beside: Sequence[Beside]
    known: Known | None
    pictures: Sequence[ReadingPicture]
    buses: list[BusPart]
    sealed: list[Talk]
    profiles: list[Attenuation]
    explained: Mapping[str, str]


@dataclass(frozen=True)
class SessionPage:
    area: str
    session: ChargingSession
    case: Case | None
    place_in_case: int
    capture: Capture
    recordings: list[RecordingRow]
    result: ResultPart | None
    settled: Settled
    interval_us: float | None
    history: list[SettledEntry]
    stamps: list[StampRow]
    stamp_kinds: tuple[StampKind, ...]
    modes: tuple[Mode, ...]
    by_name: str
    key_logs: list[KeyLogRow]
    open_cases: list[Case]
    caution: str

    @property
    def waiting(self) -> bool:
        return any(r.waiting for r in self.recordings)


def session_or_404(db: Database, number: int) -> ChargingSession:
    session = charging_session(db, number)
    if session is None or not session.captures:
        raise RefusedError(404, f"There is no session {number}.", "Look on Today or through the cases.")
    return session


@router.get("/sessions/{number}")
def one_session(request: Request, db: Database, number: int, capture: int | None = None) -> Response:
    session = session_or_404(db, number)
    view = session_view(session)
    chosen = next((c for c in session.captures if c.id == capture), None) or _worth_opening(session, view)
    settlement = chosen.settlements[-1] if chosen.settlements else None
    siblings = [s.id for s in session.case.sessions] if session.case else []
    page = SessionPage(
        area="cases" if session.case else "today",
        session=session,
        case=session.case,
        place_in_case=siblings.index(session.id) + 1 if siblings else 0,
        capture=chosen,
        recordings=[_recording(c, view) for c in session.captures],
        result=_result_part(db, session, view, chosen, request) if view else None,
        settled=Settled.model_validate_json(settlement.settled) if settlement else Settled(),
        interval_us=settlement.interval_s * 1e6 if settlement and settlement.interval_s else None,
        history=[_entry(s) for s in chosen.settlements],
        stamps=[StampRow(o, BY_KEY[o.kind]) for o in session.observations if o.at_s is not None and o.kind in BY_KEY],
        stamp_kinds=KINDS,
        modes=MODES,
        by_name=name_of(request),
        key_logs=key_log_rows(db, session),
        open_cases=[] if session.case else list(cases(db, "open")),
        caution=PROBE_CAUTION,
    )
    return render("session.html", page)


@router.get("/sessions/{number}/state")
def state(db: Database, number: int) -> Response:
    """Polled while captures wait: asks the page to come again once all are done."""
    if any(c.state in ("received", "analysing") for c in session_or_404(db, number).captures):
        return Response(status_code=204)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.get("/sessions/{number}/results.json")
def results(db: Database, number: int) -> Response:
    """The session's judgement and where each capture lies on its clock."""
    session = session_or_404(db, number)
    view = session_view(session)
    if view is None:
        raise RefusedError(409, "No capture of this session has a result yet.", "Wait for the analysis.")
    pairs = zip(view.captures, view.together.alignments, strict=True)
    content = {
        "captures": [{"name": c.name, "sha256": c.sha256, **a.model_dump(mode="json")} for c, a in pairs],
        "scene": view.together.scene.model_dump(mode="json"),
        **{k: v for k, v in view.together.judgement.model_dump(mode="json").items() if k in Judgement.model_fields},
    }
    name = f"session-{number}.results.json"
    return JSONResponse(content, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/captures/{number}/readings/{segment}")
def readings(request: Request, db: Database, number: int, segment: int) -> Response:
    """The readings of one segment, as a fragment."""
    capture = capture_or_404(db, number)
    view = session_view(capture.session)
    part = _readings_part(view, capture, segment, name_of(request)) if view else None
    if part is None:
        raise RefusedError(404, f"There is no segment {segment + 1} in this capture.", "Choose another.")
    return render("parts/readings.html", part)


def _worth_opening(session: ChargingSession, view: SessionView | None) -> Capture:
    """The capture that sets the clock; one that could not be read when there is nothing else."""
    if view is None:
        return session.captures[-1]
    hows = [a.how for a in view.together.alignments]
    return view.captures[hows.index("first")]


def _recording(capture: Capture, view: SessionView | None) -> RecordingRow:
    alignment = view.alignment_of(capture) if view else None
    analysis = view.analyses[[c.id for c in view.captures].index(capture.id)] if view and alignment else None
    beside = bool(view and capture.name in view.together.aside)
    return RecordingRow(capture, alignment, analysis, capture.state in ("received", "analysing"), beside)


def _result_part(
    db: Database, session: ChargingSession, view: SessionView, chosen: Capture, request: Request
) -> ResultPart:
    alignment = view.alignment_of(chosen)
    stored = newest_analysis(chosen)
    ids = [c.id for c in view.captures]
    analysis = view.analyses[ids.index(chosen.id) if chosen.id in ids else 0]
    pilot = moved_pilot(analysis, alignment)
    said = view.together.judgement
    segments = list(pilot.segments) if pilot else []
    worth = _worth_showing(said, pilot) if pilot else None
    return ResultPart(
        said=said,
        analysis=analysis,
        pilot=pilot,
        line=stage_line(said.stages, _LINE_WIDTH / len(said.stages)),
        upright=stage_line(said.stages, _LINE_HEIGHT / 15, room=170),
        chosen=_readings_part(view, chosen, worth, name_of(request)) if worth is not None else None,
        segments=segments[:_MOST_ROWS],
        more_segments=max(0, len(segments) - _MOST_ROWS),
        findings=list(said.findings),
        guesses=[guess for a in view.analyses for guess in _guesses(a)],
        amended=_amended(view),
        settled_by=stored.settlement.by_name if stored and stored.settlement else "",
        lanes=lanes_json(session, view),
        since=_since(session, said),
        dialogues=_dialogues(view),
        powers=power_panels(session, view),
        beside=_beside(db, session, view) if session.stall else [],
        earlier=against_earlier(view, _earlier(db, session)) if session.vehicle_id else None,
        known=known_of(db, _context(view)) if any(a.power for a in view.analyses) else None,
        pictures=pictures_of(db, [c.id for c in view.captures]),
        buses=bus_parts(view),
        sealed=[t for c in view.together.scene.conversations for t in c.talks if t.sealed or t.chains],
        profiles=[a for c in view.together.scene.conversations for run in c.slac if (a := attenuation(run))][:4],
        explained=EXPLAINED,
        face=_face(said, request.cookies.get("connector", "type2")),
    )


def _beside(db: Database, session: ChargingSession, view: SessionView) -> list[Beside]:
    """Sessions at other stalls of the same site that began while this one went on."""
    stalls = [e.id for e in all_equipment(db, "stall", session.stall.site)] if session.stall else []
    return beside(session, view, sessions_with(db, stalls)) if len(stalls) > 1 else []


def _earlier(db: Database, session: ChargingSession) -> list[tuple[str, bool, SessionView]]:
    """Other sessions of the same vehicle that have a result."""
    found = []
    for other in sessions_with(db, [session.vehicle_id] if session.vehicle_id else [], 12):
        view = session_view(other) if other.id != session.id and other.captures else None
        if view:
            found.append((other.title, other.stall_id == session.stall_id, view))
    return found


def _context(view: SessionView) -> Context:
    """What is known of the session's equipment, as it was settled last."""
    return next((a.power.context for a in reversed(view.analyses) if a.power), Context())


def _dialogues(view: SessionView) -> list[tuple[str, Dialogue]]:
    """(file, its dialogue on the session's clock) of every capture of frames that could be placed."""
    found = []
    for capture, analysis, alignment in zip(view.captures, view.analyses, view.together.alignments, strict=True):
        if analysis.conversation and alignment.how != "none":
            record = on_clock(analysis.conversation, alignment.clock)
            found.append((capture.name, dialogue(capture.id, record, view.together.judgement.findings)))
    return found


def _face(said: Judgement, connector: str) -> Face | None:
    """The face of the connector last looked at, with the contacts the next test speaks of; None where it names none."""
    marked = contacts_in(said.causes[0].next_test) if said.causes else ()
    if not marked:
        return None
    return face(connector if connector in CONNECTORS else "type2", marked=marked)


def _since(session: ChargingSession, said: Judgement) -> str:
    """What changed against the session before of the same case and mode."""
    if session.case is None:
        return ""
    before = [s for s in session.case.sessions if s.id < session.id and s.mode == session.mode]
    view = session_view(before[-1]) if before else None
    return since_before(view.together.judgement.stages, said.stages) if view else ""


def _amended(view: SessionView) -> list[str]:
    """Corrected readings the verdict follows, each in a few words."""
    return [
        f"{s.amended_by} at {s.start_s:.2f} s"
        for pilot in view.together.scene.pilots
        for s in pilot.segments
        if s.machine
    ]


def _guesses(analysis: Analysis) -> list[str]:
    """What the verdict rests on that the file does not say, each in a few words."""
    if analysis.pilot is None:
        return []
    reading = analysis.pilot.reading
    words = {
        "scale": f"probe factor × {reading.scale:g}",
        "polarity": "polarity turned round",
        "offset": f"{reading.offset_v:+.2f} V added",
        "ac_coupled": "states told from the swing alone",
    }
    channel = [f"channel “{analysis.pilot.channel}” taken for the pilot"] if analysis.channel_guessed else []
    return channel + [said for kind, said in words.items() if kind in reading.guessed]


def _worth_showing(said: Judgement, pilot: PilotRecord) -> int | None:
    """The segment the verdict speaks of, else the longest in which a vehicle asks or waits."""
    segments = pilot.segments
    if not segments:
        return None
    grave = next((f for f in said.findings if f.severity == "fault"), None)
    if grave:
        hit = next((i for i, s in enumerate(segments) if s.start_s <= grave.start_s < s.end_s), None)
        if hit is not None:
            return hit
    return max(
        range(len(segments)),
        key=lambda i: (segments[i].state in "BCD", segments[i].oscillating, segments[i].duration_s),
    )


def _readings_part(view: SessionView, capture: Capture, number: int, by_name: str) -> ReadingsPart | None:
    alignment = view.alignment_of(capture)
    if alignment is None:
        return None
    analysis = view.analyses[[c.id for c in view.captures].index(capture.id)]
    pilot = moved_pilot(analysis, alignment)
    if pilot is None or not 0 <= number < len(pilot.segments):
        return None
    segment = pilot.segments[number]
    found = [Reading(m, scale_of(m)) for m in readings_of(pilot, segment)]
    middle = alignment.clock.in_file((segment.start_s + segment.end_s) / 2)
    return ReadingsPart(capture.id, number, len(pilot.segments), segment, found, middle, by_name)


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
    if values.context is not None:
        said.append(_chain_words(values.context))
    said += [f"at {a.at_s:.2f} s in the file {_corrected(a.values)}" for a in values.amendments]
    return SettledEntry(
        settlement.by_name, settlement.why, settlement.made_at, ", ".join(said) or "all left to the machine"
    )


def _chain_words(context: Context) -> str:
    """What is known of vehicle and post, in one line."""
    told = [(FIELDS[k], v) for k, v in context.model_dump().items() if k in FIELDS and v not in (None, 0)]
    return "; ".join(f"{title.lower()} {value:g} {unit}".strip() for (title, unit), value in told)


def _corrected(values: dict[str, Any]) -> str:
    words = {"state": "state {}", "high_v": "high {:g} V", "low_v": "low {:g} V", "duty_percent": "duty {:g} %"}
    return " and ".join(words[name].format(value) for name, value in values.items())
