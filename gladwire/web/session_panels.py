"""The panels of the Session page: each a typed part and a template, in the order they stand in.

To add one: a function that makes its part (None where there is nothing to show), its template under `templates/session/`, its
line in PANELS.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal, NamedTuple

from gladwire.core.case.checklist.plan import Plan
from gladwire.core.case.checklist.step import Step, judged
from gladwire.core.case.checklist.steps import step_of
from gladwire.core.case.proof import MODES, Mode
from gladwire.core.diagnosis.answers import words
from gladwire.core.diagnosis.cause import Disagreement, OwnerShare, RankedCause, Rests
from gladwire.core.diagnosis.causes import BY_CODE as CAUSE_BY_CODE
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.cautions import PROBE_CAUTION
from gladwire.core.diagnosis.next_test import ENOUGH, Proposal, forbidden
from gladwire.core.diagnosis.ranking import rivals
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
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
from gladwire.core.quantities import BY_KEY as QUANTITIES
from gladwire.core.scene.stamps import BY_KEY, KINDS, StampKind
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.explained import EXPLAINED
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.marks import instrument_mark
from gladwire.core.session.timeline import Placed
from gladwire.core.settled import Settled
from gladwire.core.standards.connectors import BY_KEY as CONNECTORS
from gladwire.formats.reader import Reader
from gladwire.formats.registry import BY_KEY as READER_BY_KEY
from gladwire.formats.registry import READERS
from gladwire.store.captures import WAITING
from gladwire.store.cases import open_case_names
from gladwire.store.equipment import all_equipment, sessions_with, taken_with
from gladwire.store.judgements import earlier_verdicts
from gladwire.store.measurements import settled_of
from gladwire.store.models import (
    Capture,
    ChargingSession,
    EarlierVerdict,
    Equipment,
    Observation,
    ReadingPicture,
    Settlement,
)
from gladwire.store.readings import pictures_of
from gladwire.web.charts.attenuation import Attenuation, attenuation
from gladwire.web.charts.dialogue import Dialogue, dialogue
from gladwire.web.charts.faces import Face, contacts_in, face
from gladwire.web.charts.lanes import lanes_json
from gladwire.web.charts.scale import Scale, scale_of
from gladwire.web.charts.stage_line import Mark, stage_line
from gladwire.web.forms import seconds_typed
from gladwire.web.instruments import Instrument, instruments_for
from gladwire.web.pages.buses import BusPart, KeyLogRow, bus_parts, key_log_rows
from gladwire.web.pages.known import Known, known_of
from gladwire.web.power_view import Neighbour, PowerPanel, neighbours, power_panels, whole_of
from gladwire.web.services import Database
from gladwire.web.session_view import SessionView, is_waiting, session_view
from gladwire.web.stamps_waiting import Laid, laid_for
from gladwire.web.took_part import TookPart, took_part
from gladwire.work.cases import entry_of, plan_of, speaks_now, walk_of
from gladwire.work.judging import answers_of, tested
from gladwire.work.listing import recorded

# A list longer than this is neither read nor drawn; the download holds all.
_MOST_ROWS = 400
_MOST_PROFILES = 4


@dataclass
class Shown:
    """What panels are made of. view: None while nothing has a result. capture: the one chosen for segments and settling;
    at_s: a moment of its file whose segment is asked for."""

    db: Database
    session: ChargingSession
    view: SessionView | None
    capture: Capture
    by_name: str
    connector: str
    at_s: float | None = None

    @property
    def seen(self) -> SessionView:
        """The view, where there is one. Raises LookupError else; panels beside the others are asked only with one."""
        if self.view is None:
            raise LookupError("this session has no result yet")
        return self.view

    @property
    def judgement(self) -> Judgement:
        return self.seen.judgement

    @property
    def placed(self) -> Placed:
        """The chosen capture, else the first with a result."""
        return self.seen.placed_of(self.capture) or self.seen.placed[0]

    @property
    def pilot(self) -> PilotRecord | None:
        return pilot_of(self.placed)

    @cached_property
    def dialogues(self) -> list[tuple[str, Dialogue]]:
        """(file, its dialogue on the session's clock) of every capture of frames that could be placed."""
        return [
            (capture.name, dialogue(capture.id, record, self.judgement.findings))
            for capture, placed in zip(self.seen.captures, self.seen.placed, strict=True)
            for record in placed.of(ConversationRecord)
        ]

    @cached_property
    def powers(self) -> list[PowerPanel]:
        return power_panels(self.session, self.seen)

    @cached_property
    def buses(self) -> list[BusPart]:
        return bus_parts(self.seen)

    @property
    def other_alone(self) -> bool:
        """Whether neither pilot nor frames lead the page: then the bus or the power record does."""
        return self.pilot is None and not self.dialogues


class Panel(NamedTuple):
    """key: its template, `session/<key>.html`. place: column; those below stand without a result too."""

    key: str
    place: Literal["main", "side", "below"]
    part: Callable[[Shown], Any]

    @property
    def template(self) -> str:
        return f"session/{self.key}.html"


@dataclass(frozen=True)
class LanesPart:
    """lanes: what is drawn, as JSON."""

    lanes: str
    pilot: bool
    stamp_kinds: tuple[StampKind, ...]


def _lanes(shown: Shown) -> LanesPart:
    return LanesPart(lanes_json(shown.session, shown.seen), shown.pilot is not None, KINDS)


@dataclass(frozen=True)
class PowerPart:
    """leads: the first thing on the page."""

    panels: list[PowerPanel]
    leads: bool = False


def _power_first(shown: Shown) -> PowerPart | None:
    return PowerPart(shown.powers, not shown.buses) if shown.powers and shown.other_alone else None


def _power(shown: Shown) -> PowerPart | None:
    return PowerPart(shown.powers) if shown.powers and not shown.other_alone else None


def _buses_first(shown: Shown) -> list[BusPart] | None:
    return (shown.buses or None) if shown.other_alone else None


def _buses(shown: Shown) -> list[BusPart] | None:
    return None if shown.other_alone else (shown.buses or None)


def _dialogues(shown: Shown) -> list[tuple[str, Dialogue]] | None:
    return shown.dialogues or None


def _tls(shown: Shown) -> list[Connection] | None:
    conversations = shown.seen.scene.of(ConversationRecord)
    return [c for record in conversations for c in record.connections if c.tls or c.certificate_chains] or None


def _attenuation(shown: Shown) -> list[Attenuation] | None:
    runs = [run for record in shown.seen.scene.of(ConversationRecord) for run in record.slac]
    return [drawn for run in runs if (drawn := attenuation(run))][:_MOST_PROFILES] or None


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
    corrections: Sequence[tuple[int, float]] = ()


@dataclass(frozen=True)
class ReadingsPanel:
    """chosen: readings of the segment worth showing first; None where there is no pilot. Room is kept for those asked for."""

    chosen: ReadingsPart | None


def _readings(shown: Shown) -> ReadingsPanel:
    worth = None
    if shown.pilot:
        asked = None if shown.at_s is None else _segment_at(shown.placed, shown.pilot, shown.at_s)
        worth = asked if asked is not None else _worth_showing(shown.judgement, shown.pilot)
    return ReadingsPanel(None if worth is None else readings_part(shown.seen, shown.capture, worth, shown.by_name))


def readings_part(view: SessionView, capture: Capture, number: int, by_name: str) -> ReadingsPart | None:
    """Readings of a segment, None where there is none of that number."""
    placed = view.placed_of(capture)
    pilot = pilot_of(placed) if placed else None
    if placed is None or pilot is None or not 0 <= number < len(pilot.segments):
        return None
    segment = pilot.segments[number]
    found = [Reading(m, scale_of(m)) for m in values_of(pilot, segment)]
    middle = placed.alignment.clock.in_file((segment.start_s + segment.end_s) / 2)
    settled = settled_of(capture.settlements[-1] if capture.settlements else None)
    corrections = [
        (place, a.at_s) for place, a in enumerate(settled.amendments) if _segment_at(placed, pilot, a.at_s) == number
    ]
    return ReadingsPart(capture.id, number, len(pilot.segments), segment, found, middle, by_name, corrections)


def _segment_at(placed: Placed, pilot: PilotRecord, file_s: float) -> int | None:
    """The segment that holds a moment of the capture's file."""
    at = placed.alignment.clock.on_session(file_s)
    return next((i for i, s in enumerate(pilot.segments) if s.start_s <= at < s.end_s), None)


def pilot_of(placed: Placed) -> PilotRecord | None:
    """A capture's pilot: on the session's clock, or on its own where it could not be placed."""
    return placed.first(PilotRecord) or placed.measured.first(PilotRecord)


def _worth_showing(judgement: Judgement, pilot: PilotRecord) -> int | None:
    """The segment the verdict speaks of, else the longest in which a vehicle asks or waits."""
    segments = pilot.segments
    if not segments:
        return None
    grave = next((f for f in judgement.findings if f.severity == "fault"), None)
    if grave:
        hit = next((i for i, s in enumerate(segments) if s.start_s <= grave.start_s < s.end_s), None)
        if hit is not None:
            return hit
    return max(
        range(len(segments)),
        key=lambda i: (segments[i].state in "BCD", segments[i].oscillating, segments[i].duration_s),
    )


def _findings(shown: Shown) -> Sequence[Finding]:
    return shown.judgement.findings


@dataclass(frozen=True)
class SegmentsPart:
    segments: list[Segment]
    more: int


def _segments(shown: Shown) -> SegmentsPart | None:
    if shown.pilot is None:
        return None
    segments = list(shown.pilot.segments)
    return SegmentsPart(segments[:_MOST_ROWS], max(0, len(segments) - _MOST_ROWS))


@dataclass(frozen=True)
class CausesPart:
    """Causes, what share of them each party owns and what is left open. rivals: the two it is not decided between, if any;
    both: titles of two that are likelier together. rests: what the first rests on most; disagreement: where people and
    captures part. heaviest: of all weights, in the
    logarithm of odds their bars are drawn by."""

    causes: Sequence[RankedCause]
    owners: Sequence[OwnerShare]
    open_: float
    rivals: Sequence[RankedCause]
    both: Sequence[str]
    rests: Rests | None
    disagreement: Disagreement | None
    heaviest: float


def _causes(shown: Shown) -> CausesPart:
    told = shown.judgement
    left = max(0.0, 1.0 - sum(s.share for s in told.owners))
    both = [CAUSE_BY_CODE[code].title for code in told.both if code in CAUSE_BY_CODE]
    weights = [abs(e.weight) for c in told.causes for e in (*c.evidence, *c.against)]
    named = () if both else rivals(told.causes)
    return CausesPart(told.causes, told.owners, left, named, both, told.rests, told.disagreement, max([1.0, *weights]))


@dataclass(frozen=True)
class AnswerRow:
    """What a test showed. words: the result's; observation: where it is kept."""

    observation: Observation
    do: str
    words: str


@dataclass(frozen=True)
class NextPart:
    """The next test, those after it, and what tests showed so far. face: of the connector, with the contacts the test speaks
    of. leads: title of the leading cause; enough: it, where it is sure enough to act on. held: a danger forbids to probe or
    to try again."""

    test: Proposal
    others: Sequence[Proposal]
    answers: Sequence[AnswerRow]
    face: Face | None
    leads: str
    enough: RankedCause | None
    held: bool
    session: int
    by_name: str


def _next(shown: Shown) -> NextPart | None:
    told = shown.judgement
    planned = _planned(shown)
    if not told.next and planned is None:
        return None
    test = planned or told.next[0]
    others = [p for p in told.next if p.key != test.key]
    marked = contacts_in(test.do)
    connector = shown.connector if shown.connector in CONNECTORS else "type2"
    if connector == "type2" and any(s.stage == "precharge" for s in told.stages):
        connector = "ccs2"
    drawn = face(connector, marked=marked) if marked else None
    sure = told.causes[0] if told.causes and told.causes[0].confidence >= ENOUGH else None
    struck = [o for o in shown.session.observations if o.kind == "test" and o.struck_by]
    answers = [_answered(o) for o in (*tested(shown.session), *struck) if o.place in TESTS]
    leads = told.causes[0].title if told.causes else ""
    held = forbidden(told.findings, answers_of(shown.session))
    return NextPart(test, others, answers, drawn, leads, sure, held, shown.session.id, shown.by_name)


def _planned(shown: Shown) -> Proposal | None:
    """What the case's checklist asks for now, where this session is the one that speaks for it."""
    case = shown.session.case
    if case is None or case.state != "open" or speaks_now(case) is not shown.session:
        return None
    found = walk_of(case)
    asked = found.now.proposal if found and found.now else None
    return asked if asked and asked.results else None


def _answered(o: Observation) -> AnswerRow:
    test = TESTS[o.place]
    own = next((c for c in CAUSES if c.test == test.key), None)
    said = judged(step_of(o.place), entry_of(o)).text if o.kind == "step" else words(test, o.unit, own)
    return AnswerRow(o, test.do, said or "It could not be told.")


@dataclass(frozen=True)
class StagesPart:
    marks: Sequence[Mark]
    explained: Mapping[str, str]


def _stages(shown: Shown) -> StagesPart:
    return StagesPart(stage_line(shown.judgement.stages, 1.0).marks, EXPLAINED)


def _pictures(shown: Shown) -> Sequence[ReadingPicture] | None:
    """Of displays: only readings of power come with them."""
    typed = shown.view is not None and shown.view.holds(PowerReport)
    return (pictures_of(shown.db, [c.id for c in shown.seen.captures]) if typed else ()) or None


def _neighbours(shown: Shown) -> list[Neighbour] | None:
    """Sessions at other stalls of the same site that began while this one went on."""
    if shown.view is None or shown.session.stall is None:
        return None
    stalls = [e.id for e in all_equipment(shown.db, "stall", shown.session.stall.site)]
    found = neighbours(shown.session, shown.seen, sessions_with(shown.db, stalls)) if len(stalls) > 1 else []
    return found or None


def _earlier(shown: Shown) -> Compare | None:
    """Against other sessions of the same vehicle that hold power."""
    if shown.view is None or not shown.session.vehicle_id:
        return None
    found = []
    for other in sessions_with(shown.db, [shown.session.vehicle_id], 12):
        view = session_view(other) if other.id != shown.session.id and other.captures else None
        report = whole_of(view) if view else None
        if report:
            found.append((other.title, other.stall_id == shown.session.stall_id, report))
    return against_earlier(whole_of(shown.seen), found)


def _known(shown: Shown) -> Known | None:
    """What is known of the session's equipment, as it was settled last."""
    if shown.view is None or not shown.view.holds(PowerReport):
        return None
    reports = (r for m in reversed(shown.view.measured) for r in m.of(PowerReport))
    return known_of(shown.db, next((r.context for r in reports), Context()))


@dataclass(frozen=True)
class RecordingRow:
    """One capture of the session. alignment: None while it has no result. looks_like: the instrument whose files look the
    same, offered where nobody said what this one was taken with."""

    capture: Capture
    alignment: Alignment | None
    measured: Measured | None
    waiting: bool
    shown_only: bool
    looks_like: Equipment | None


@dataclass(frozen=True)
class StampRow:
    """A stamped event as it is listed."""

    observation: Observation
    kind: StampKind


@dataclass(frozen=True)
class RecordingsPart:
    """steps: those of its case's checklist that are captured. instruments: what it may have been taken with."""

    recordings: list[RecordingRow]
    key_logs: list[KeyLogRow]
    stamps: list[StampRow]
    modes: tuple[Mode, ...]
    steps: list[Step]
    instruments: list[Instrument]


def _recordings(shown: Shown) -> RecordingsPart:
    session = shown.session
    stamped = [o for o in session.observations if o.at_s is not None and o.kind in BY_KEY]
    plan = plan_of(session.case) if session.case else None
    return RecordingsPart(
        [_recording(shown.db, c, shown.view) for c in session.captures],
        key_log_rows(shown.db, session),
        [StampRow(o, BY_KEY[o.kind]) for o in stamped],
        MODES,
        _captured_steps(session, plan),
        instruments_for(shown.db, plan),
    )


def _captured_steps(session: ChargingSession, plan: Plan | None) -> list[Step]:
    if session.case is None:
        return []
    keys = (*(plan.steps if plan else ()), *(s.step for s in session.case.sessions if s.step))
    return [step_of(key) for key in dict.fromkeys(keys) if key in TESTS and TESTS[key].kind in ("capture", "try")]


def _recording(db: Database, capture: Capture, view: SessionView | None) -> RecordingRow:
    placed = view.placed_of(capture) if view else None
    shown_only = bool(view and capture.name in view.shown_only)
    alignment, measured = (placed.alignment, placed.measured) if placed else (None, None)
    mark = instrument_mark(measured) if measured and capture.instrument is None else ""
    looks_like = taken_with(db, mark) if mark else None
    return RecordingRow(capture, alignment, measured, capture.state in WAITING, shown_only, looks_like)


@dataclass(frozen=True)
class SettledEntry:
    """One settlement as the history tells it."""

    by_name: str
    why: str
    made_at: Any
    says: str


@dataclass(frozen=True)
class CorrectionRow:
    """A correction in force. at_s: in its file's own time. place: among those settled; segment: which it is, in words."""

    place: int
    at_s: float
    segment: str
    says: str
    by_name: str
    why: str


@dataclass(frozen=True)
class ReadingPart:
    """How the chosen capture was read, and the form that settles it. measured: None while it has no result."""

    measured: Measured | None
    pilot: PilotRecord | None
    holds_frames: bool
    holds_bus: bool
    settled: Settled
    reader: str
    readers: tuple[Reader, ...]
    interval: str
    history: list[SettledEntry]
    corrections: list[CorrectionRow]
    caution: str


def _reading(shown: Shown) -> ReadingPart | None:
    if is_waiting(shown.session):
        return None
    settlement = shown.capture.settlements[-1] if shown.capture.settlements else None
    measured = shown.placed.measured if shown.view else None
    settled = settled_of(settlement)
    return ReadingPart(
        measured=measured,
        pilot=shown.pilot if shown.view else None,
        holds_frames=bool(measured and measured.of(ConversationRecord)),
        holds_bus=bool(measured and measured.of(CanRecord)),
        settled=settled,
        reader=settlement.reader if settlement else "",
        readers=READERS,
        interval=seconds_typed(settlement.interval_s) if settlement and settlement.interval_s else "",
        history=[_entry(s) for s in shown.capture.settlements],
        corrections=[
            CorrectionRow(place, a.at_s, _segment_words(shown, a.at_s), _corrected(a.values), a.by_name, a.why)
            for place, a in enumerate(settled.amendments)
        ],
        caution=PROBE_CAUTION,
    )


def _segment_words(shown: Shown, file_s: float) -> str:
    number = _segment_at(shown.placed, shown.pilot, file_s) if shown.view and shown.pilot else None
    if number is None or shown.pilot is None:
        return ""
    segment = shown.pilot.segments[number]
    return f"segment {number + 1}, {segment.label if segment.state != 'unknown' else 'no state'}, "


def _entry(settlement: Settlement) -> SettledEntry:
    values = settled_of(settlement)
    judgement = []
    for name, role in values.roles.items():
        judgement.append(f"“{name}” is {ROLE_BY_KEY[role].words if role in ROLE_BY_KEY else role}")
    for title, quantity in values.columns.items():
        what = QUANTITIES[quantity].title.lower() if quantity in QUANTITIES else quantity or "none of these"
        judgement.append(f"column “{title}” is {what}")
    for name, factor in values.factors.items():
        nought = values.noughts.get(name, 0.0)
        judgement.append(f"“{name}” less {nought:g}, × {factor:g}" if nought else f"“{name}” × {factor:g}")
    if values.scale is not None:
        judgement.append(f"probe factor × {values.scale:g}")
    if values.inverted is not None:
        judgement.append("turned round" if values.inverted else "not turned round")
    if values.offset_v is not None:
        judgement.append(f"{values.offset_v:+g} V added")
    if settlement.reader:
        judgement.append(
            f"read as {READER_BY_KEY[settlement.reader].title if settlement.reader in READER_BY_KEY else settlement.reader}"
        )
    if settlement.interval_s is not None:
        judgement.append(f"{settlement.interval_s * 1e6:g} µs between samples")
    if values.context is not None:
        judgement.append(_chain_words(values.context))
    judgement += [f"at {a.at_s:.2f} s in the file {_corrected(a.values)}" for a in values.amendments]
    return SettledEntry(
        settlement.by_name, settlement.why, settlement.made_at, ", ".join(judgement) or "all left to the machine"
    )


def _chain_words(context: Context) -> str:
    """What is known of vehicle and post, in one line."""
    told = [(FIELDS[k], v) for k, v in context.model_dump().items() if k in FIELDS and v not in (None, 0)]
    return "; ".join(f"{title.lower()} {value:g} {unit}".strip() for (title, unit), value in told)


def _corrected(values: dict[str, Any]) -> str:
    words = {"state": "state {}", "high_v": "high {:g} V", "low_v": "low {:g} V", "duty_percent": "duty {:g} %"}
    return " and ".join(words[name].format(value) for name, value in values.items())


def _said_before(shown: Shown) -> Sequence[EarlierVerdict] | None:
    return earlier_verdicts(shown.db, shown.session.id) or None


def _pad(shown: Shown) -> Laid | None:
    if shown.view is None:
        return None
    ends = [channel.end_s for m in shown.view.measured for channel in m.channels]
    told = recorded(shown.session)  # the clock of a place nobody named says nothing of a stamp's moment
    return laid_for(shown.session, told.at if told and told.zoned else None, max(ends, default=0.0))


def _took_part(shown: Shown) -> TookPart:
    return took_part(shown.db, shown.session, shown.view.marks if shown.view else ())


def _make_case(shown: Shown) -> bool | None:
    return None if shown.session.case else True


def _place(shown: Shown) -> Sequence[tuple[int, str]]:
    """Open cases it can be put into."""
    return open_case_names(shown.db)


PANELS: tuple[Panel, ...] = (
    Panel("buses", "main", _buses_first),
    Panel("power", "main", _power_first),
    Panel("lanes", "main", _lanes),
    Panel("dialogues", "main", _dialogues),
    Panel("buses", "main", _buses),
    Panel("tls", "main", _tls),
    Panel("attenuation", "main", _attenuation),
    Panel("power", "main", _power),
    Panel("readings", "main", _readings),
    Panel("findings", "main", _findings),
    Panel("segments", "main", _segments),
    Panel("next", "side", _next),
    Panel("causes", "side", _causes),
    Panel("stages", "side", _stages),
    Panel("pictures", "below", _pictures),
    Panel("neighbours", "below", _neighbours),
    Panel("earlier", "below", _earlier),
    Panel("known", "below", _known),
    Panel("recordings", "below", _recordings),
    Panel("reading", "below", _reading),
    Panel("pad", "below", _pad),
    Panel("said-before", "below", _said_before),
    Panel("took-part", "below", _took_part),
    Panel("place", "below", _place),
    Panel("make-case", "below", _make_case),
)


def panels(shown: Shown, place: str) -> list[tuple[Panel, Any]]:
    """(panel, part) of those with something to show in a column; main and side need a result."""
    if shown.view is None and place != "below":
        return []
    made = ((panel, panel.part(shown)) for panel in PANELS if panel.place == place)
    return [(panel, part) for panel, part in made if part is not None]
