"""Session: the stage line, the verdict, the lanes on one clock, the readings, the causes, and how captures were read."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import JSONResponse, Response

from gladwire.core.case.proof import MODES, Mode, since_before
from gladwire.core.diagnosis.cautions import PROBE_CAUTION
from gladwire.core.findings import Finding
from gladwire.core.lanes.all import ROLE_BY_KEY
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.frames.record import Connection, ConversationRecord
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.lanes.pilot.values import MeasuredValue, values_of
from gladwire.core.lanes.power.against import against_earlier
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.measured import Measured
from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import FIELDS
from gladwire.core.power.reference import Compare
from gladwire.core.scene.stamps import BY_KEY, KINDS, StampKind
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.explained import EXPLAINED
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.timeline import Placed
from gladwire.core.settled import Settled
from gladwire.core.standards.connectors import BY_KEY as CONNECTORS
from gladwire.export import File, session_object
from gladwire.formats.reader import Reader
from gladwire.formats.registry import BY_KEY as READER_BY_KEY
from gladwire.formats.registry import READERS
from gladwire.store.captures import WAITING
from gladwire.store.cases import cases, charging_session
from gladwire.store.equipment import all_equipment, sessions_with
from gladwire.store.judgements import waits
from gladwire.store.measurements import newest_measurement, settled_of
from gladwire.store.models import Capture, Case, ChargingSession, Observation, ReadingPicture, Settlement
from gladwire.store.readings import pictures_of
from gladwire.web.case_view import stages_of
from gladwire.web.charts.attenuation import Attenuation, attenuation
from gladwire.web.charts.dialogue import Dialogue, dialogue
from gladwire.web.charts.faces import Face, contacts_in, face
from gladwire.web.charts.lanes import lanes_json
from gladwire.web.charts.scale import Scale, scale_of
from gladwire.web.charts.stage_line import StageLine, stage_line
from gladwire.web.errors import RefusedError
from gladwire.web.pages.buses import BusPart, KeyLogRow, bus_parts, key_log_rows
from gladwire.web.pages.captures import capture_or_404, csv_of
from gladwire.web.pages.known import Known, known_of
from gladwire.web.power_view import Neighbour, PowerPanel, neighbours, power_panels, whole_of
from gladwire.web.services import Database
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

    measured: MeasuredValue
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
    measured: Measured | None
    waiting: bool
    shown_only: bool


@dataclass(frozen=True)
class StampRow:
    """A stamped event as it is listed."""

    observation: Observation
    kind: StampKind


@dataclass(frozen=True)
class ResultPart:
    """Everything of the page that needs a result. measured, pilot: of the capture chosen for segments and settling."""

    said: Judgement
    measured: Measured
    pilot: PilotRecord | None
    holds_frames: bool
    holds_bus: bool
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
    neighbours: Sequence[Neighbour]
    known: Known | None
    pictures: Sequence[ReadingPicture]
    buses: list[BusPart]
    tls: list[Connection]
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
    reader: str
    readers: tuple[Reader, ...]
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
        return is_waiting(self.session)


def is_waiting(session: ChargingSession) -> bool:
    """Whether something of the session is still to be read, measured or judged."""
    return waits(session) or any(c.state in WAITING for c in session.captures)


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
        settled=settled_of(settlement),
        reader=settlement.reader if settlement else "",
        readers=READERS,
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
    part = _readings_part(view, capture, segment, name_of(request)) if view else None
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


def _recording(capture: Capture, view: SessionView | None) -> RecordingRow:
    placed = view.placed_of(capture) if view else None
    shown_only = bool(view and capture.name in view.shown_only)
    alignment, measured = (placed.alignment, placed.measured) if placed else (None, None)
    return RecordingRow(capture, alignment, measured, capture.state in WAITING, shown_only)


def _result_part(
    db: Database, session: ChargingSession, view: SessionView, chosen: Capture, request: Request
) -> ResultPart:
    placed = view.placed_of(chosen) or view.placed[0]
    stored = newest_measurement(chosen)
    pilot = _pilot_of(placed)
    said = view.judgement
    segments = list(pilot.segments) if pilot else []
    worth = _worth_showing(said, pilot) if pilot else None
    return ResultPart(
        said=said,
        measured=placed.measured,
        pilot=pilot,
        holds_frames=bool(placed.measured.of(ConversationRecord)),
        holds_bus=bool(placed.measured.of(CanRecord)),
        line=stage_line(said.stages, _LINE_WIDTH / len(said.stages)),
        upright=stage_line(said.stages, _LINE_HEIGHT / 15, room=170),
        chosen=_readings_part(view, chosen, worth, name_of(request)) if worth is not None else None,
        segments=segments[:_MOST_ROWS],
        more_segments=max(0, len(segments) - _MOST_ROWS),
        findings=list(said.findings),
        guesses=[guess for m in view.measured for guess in _guesses(m)],
        amended=_amended(view),
        settled_by=stored.settlement.by_name if stored and stored.settlement else "",
        lanes=lanes_json(session, view),
        since=_since(session, said),
        dialogues=_dialogues(view),
        powers=power_panels(session, view),
        neighbours=_beside(db, session, view) if session.stall else [],
        earlier=against_earlier(whole_of(view), _earlier(db, session)) if session.vehicle_id else None,
        known=known_of(db, _context(view)) if view.holds(PowerReport) else None,
        pictures=pictures_of(db, [c.id for c in view.captures]),
        buses=bus_parts(view),
        tls=[t for c in view.scene.of(ConversationRecord) for t in c.connections if t.tls or t.certificate_chains],
        profiles=[a for c in view.scene.of(ConversationRecord) for run in c.slac if (a := attenuation(run))][:4],
        explained=EXPLAINED,
        face=_face(said, request.cookies.get("connector", "type2")),
    )


def _beside(db: Database, session: ChargingSession, view: SessionView) -> list[Neighbour]:
    """Sessions at other stalls of the same site that began while this one went on."""
    stalls = [e.id for e in all_equipment(db, "stall", session.stall.site)] if session.stall else []
    return neighbours(session, view, sessions_with(db, stalls)) if len(stalls) > 1 else []


def _earlier(db: Database, session: ChargingSession) -> list[tuple[str, bool, PowerReport]]:
    """Other sessions of the same vehicle that hold power."""
    found = []
    for other in sessions_with(db, [session.vehicle_id] if session.vehicle_id else [], 12):
        view = session_view(other) if other.id != session.id and other.captures else None
        report = whole_of(view) if view else None
        if report:
            found.append((other.title, other.stall_id == session.stall_id, report))
    return found


def _context(view: SessionView) -> Context:
    """What is known of the session's equipment, as it was settled last."""
    return next((r.context for m in reversed(view.measured) for r in m.of(PowerReport)), Context())


def _dialogues(view: SessionView) -> list[tuple[str, Dialogue]]:
    """(file, its dialogue on the session's clock) of every capture of frames that could be placed."""
    return [
        (capture.name, dialogue(capture.id, record, view.judgement.findings))
        for capture, placed in zip(view.captures, view.placed, strict=True)
        for record in placed.of(ConversationRecord)
    ]


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
    stages = stages_of(before[-1]) if before else ()
    return since_before(stages, said.stages) if stages else ""


def _amended(view: SessionView) -> list[str]:
    """Corrected readings the verdict follows, each in a few words."""
    return [
        f"{s.amended_by} at {s.start_s:.2f} s"
        for pilot in view.scene.of(PilotRecord)
        for s in pilot.segments
        if s.machine
    ]


def _pilot_of(placed: Placed) -> PilotRecord | None:
    """A capture's pilot: on the session's clock, or on its own where it could not be placed."""
    return placed.first(PilotRecord) or placed.measured.first(PilotRecord)


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
    placed = view.placed_of(capture)
    pilot = _pilot_of(placed) if placed else None
    if placed is None or pilot is None or not 0 <= number < len(pilot.segments):
        return None
    segment = pilot.segments[number]
    found = [Reading(m, scale_of(m)) for m in values_of(pilot, segment)]
    middle = placed.alignment.clock.in_file((segment.start_s + segment.end_s) / 2)
    return ReadingsPart(capture.id, number, len(pilot.segments), segment, found, middle, by_name)


def _entry(settlement: Settlement) -> SettledEntry:
    values = settled_of(settlement)
    said = []
    for name, role in values.roles.items():
        said.append(f"“{name}” is {ROLE_BY_KEY[role].words if role in ROLE_BY_KEY else role}")
    if values.scale is not None:
        said.append(f"probe factor × {values.scale:g}")
    if values.inverted is not None:
        said.append("turned round" if values.inverted else "not turned round")
    if values.offset_v is not None:
        said.append(f"{values.offset_v:+g} V added")
    if settlement.reader:
        said.append(
            f"read as {READER_BY_KEY[settlement.reader].title if settlement.reader in READER_BY_KEY else settlement.reader}"
        )
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
