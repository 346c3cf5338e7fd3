"""Records made by hand, each standing exactly where a test wants it, and what the rules of its lane find in them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from gladwire.core.findings import SEVERITIES, Finding, Severity, apply
from gladwire.core.lanes.bus.record import CanRecord, Course
from gladwire.core.lanes.bus.rules import RULES as BUS
from gladwire.core.lanes.contactor.record import Closing, ContactorRecord
from gladwire.core.lanes.contactor.rules import RULES as CONTACTOR
from gladwire.core.lanes.contactor.rules import Switching
from gladwire.core.lanes.frames.connection import CapturedMessage
from gladwire.core.lanes.frames.held_back import held_back
from gladwire.core.lanes.frames.record import Connection, ConversationRecord, Exchange, SentMessage
from gladwire.core.lanes.frames.rules import RULES as FRAMES
from gladwire.core.lanes.mains.record import MainsRecord, Sag, Span
from gladwire.core.lanes.mains.rules import RULES as MAINS
from gladwire.core.lanes.mains.subject import Ac
from gladwire.core.lanes.pilot.interpretation import Interpretation
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.lanes.pilot.rules import RULES as PILOT
from gladwire.core.lanes.proximity.record import ProximityRecord, ProximitySegment
from gladwire.core.lanes.proximity.rules import RULES as PROXIMITY
from gladwire.core.lanes.records import Record, Records
from gladwire.core.plc.message import Message
from gladwire.core.plc.slac import SlacProfile, SlacRun
from gladwire.core.scene.rules.across_lanes import RULES as ACROSS
from gladwire.core.scene.rules.stamped import RULES as STAMPED
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.stamps import Stamp

LEVELS = {"A": 12.0, "B": 9.0, "C": 6.0, "D": 3.0, "E": 0.0, "F": -12.0}


def stays(*parts: tuple[str, float], **more: Any) -> PilotRecord:
    """A pilot of stretches (label, seconds), at nominal levels; `more` goes to every oscillating one."""
    segments, at = [], 0.0
    for label, lasts in parts:
        state, oscillates = label[0], label.endswith("2")
        values: dict[str, Any] = {"high_v": LEVELS[state]}
        if oscillates:
            values |= {
                "low_v": -12.0, "cycles": 100, "frequency_hz": 1000.0, "duty_percent": 26.6, "duty_doubt_percent": 0.01,
                "offer_kind": "current", "advertised_current_a": 16.0,
            }  # fmt: skip
            values |= more
        segments.append(
            Segment(state=state, nearest=state, oscillating=oscillates, start_s=at, end_s=at + lasts, **values)  # type: ignore[arg-type]
        )
        at += lasts
    return PilotRecord(
        start_s=0.0, end_s=at, channel="CP", rate_hz=1e6, threshold_v=0.0, noise_v=0.01, quantum_v=0.01,
        interpretation=Interpretation(), segments=tuple(segments), events=(),
    )  # fmt: skip


def worst(found: Iterable[Any], code: str) -> int:
    """The gravest severity of a code among findings; -1 for none."""
    return max((SEVERITIES.index(f.severity) for f in found if f.code == code), default=-1)


class Rulings(NamedTuple):
    """What the rules of a lane find in the record made for a value, and whether that tells `code` at least as `least`."""

    code: str
    least: Severity
    found: Callable[[float], Sequence[Finding]]

    def told(self, x: float) -> bool:
        return worst(self.found(x), self.code) >= SEVERITIES.index(self.least)


def pilot(code: str, made: Callable[[float], PilotRecord], least: Severity = "note") -> Rulings:
    return Rulings(code, least, lambda x: apply(PILOT, made(x)))


def with_level(state: str, high_v: float) -> PilotRecord:
    record = stays(("A1", 1.0), ("B1", 1.0), (f"{state}2", 3.0))
    last = record.segments[-1].model_copy(update={"high_v": high_v})
    return record.model_copy(update={"segments": (*record.segments[:-1], last)})


def interrupted(seconds: float) -> PilotRecord:
    return stays(("A1", 1.0), ("B2", 1.0), ("C2", 3.0), ("A2", seconds), ("C2", 3.0))


ASK = stays(("A1", 1.0), ("B2", 1.0), ("C2", 20.0), ("B2", 4.0))
CLOSES, OPENS = 2.0, 22.0


def contactor(code: str, least: Severity, made: Callable[[float], tuple[float, float, bool]]) -> Rulings:
    def found(x: float) -> Sequence[Finding]:
        start, end, until_end = made(x)
        closing = Closing(start_s=start, end_s=end, until_end=until_end)
        line = ContactorRecord(start_s=0.0, end_s=26.0, channel="K1", switched=True, closings=(closing,))
        return apply(CONTACTOR, Switching(ASK, line))

    return Rulings(code, least, found)


def span(start: float, end: float, rms: float, phases: int = 1) -> Span:
    names = tuple(f"L{n + 1}" for n in range(phases))
    return Span(start_s=start, end_s=end, rms=rms, carried_by=names, each=(rms,) * phases)


def sag(share: float) -> Sag:
    return Sag(line="L1", start_s=CLOSES, end_s=OPENS, idle_v=230, loaded_v=230 * (1 - share), idle_a=0, loaded_a=16)


def mains(
    code: str,
    least: Severity,
    made: Callable[[float], dict[str, Sequence[Span]]],
    record: PilotRecord | Callable[[float], PilotRecord] = ASK,
) -> Rulings:
    def found(x: float) -> Sequence[Finding]:
        spans = {"volts": (), "amps": (), "levels": (), "dips": (), **{k: tuple(v) for k, v in made(x).items()}}
        seen = record(x) if callable(record) else record
        lane = MainsRecord(start_s=0.0, end_s=seen.end_s, has_volts=True, has_amps="amps" in made(x), **spans)
        return apply(MAINS, Ac(seen, lane))

    return Rulings(code, least, found)


def flows(rms: float, start: float, end: float) -> dict[str, Sequence[Span]]:
    return {
        "volts": [span(CLOSES, OPENS, 230)],
        "amps": [span(start, end, rms)],
        "levels": [span(start, end, rms)],
    }


def proximity(code: str, least: Severity, made: Callable[[float], Sequence[tuple[str, float]]]) -> Rulings:
    def found(x: float) -> Sequence[Finding]:
        segments, at = [], 0.0
        for state, lasts in made(x):
            segments.append(
                ProximitySegment(start_s=at, end_s=at + lasts, value=1.0, unit="V", state=state, meaning="m")  # type: ignore[arg-type]
            )
            at += lasts
        record = ProximityRecord(start_s=0.0, end_s=at, channel="PP", segments=tuple(segments))
        return apply(PROXIMITY, record)

    return Rulings(code, least, found)


def course(role: str, unit: str, *points: tuple[float, float], end: float = 60.0) -> Course:
    moves, values = zip(*points, strict=True)
    return Course(role=role, signal=f"box.{role}", unit=unit, moves=moves, values=values, end_s=end)


def bus(code: str, least: Severity, made: Callable[[float], Sequence[Course]], **more: Any) -> Rulings:
    def found(x: float) -> Sequence[Finding]:
        courses = tuple(made(x))
        end = max(c.end_s for c in courses)
        record = CanRecord(**{"start_s": 0.0, "end_s": end, "frames": 100, "courses": courses, **more})
        return apply(BUS, record)

    return Rulings(code, least, found)


CLOSED = course("contactor", "", (0.0, 0.0), (10.0, 1.0), (40.0, 0.0))


def exchange(
    stem: str, start: float, end: float, asked: dict[str, Any], given: dict[str, Any], **more: Any
) -> Exchange:
    request = SentMessage(time_s=start, number=0, name=f"{stem}Req", fields=asked)
    response = SentMessage(time_s=end, number=1, name=f"{stem}Res", fields={"ResponseCode": "OK", **given})
    protocol = more.pop("protocol", "ISO15118-2")
    values = {"request": request, "response": response, **more}
    return Exchange(start_s=start, end_s=end, stem=stem, protocol=protocol, **values)


def unanswered(stem: str) -> Exchange:
    return exchange(stem, 1.0, 1.0, {}, {}, response=None, answered=False)


def said(exchanges: Sequence[Exchange]) -> Iterator[CapturedMessage]:
    """What is said at the start of each exchange and again at its end."""
    for each in exchanges:
        for at in (each.start_s, each.end_s):
            for side, sent in enumerate((each.request, each.response)):
                if sent:
                    message = Message(each.protocol, sent.name, sent.fields)
                    yield CapturedMessage(at, 0, 0, side, message, b"", 0)


def frames(
    code: str, least: Severity, made: Callable[[float], tuple[Sequence[Exchange], float]], **more: Any
) -> Rulings:
    """made: exchanges of one connection, and where the capture ends."""

    def found(x: float) -> Sequence[Finding]:
        exchanges, end = made(x)
        values = {"protocol": "ISO15118-2", "ends": (), **more}
        held = held_back(list(said(exchanges)))
        connection = Connection(start_s=0.0, end_s=end, exchanges=tuple(exchanges), held_back=held, **values)
        record = ConversationRecord(start_s=0.0, end_s=end, frames=100, connections=(connection,))
        return apply(FRAMES, record)

    return Rulings(code, least, found)


def matching(code: str, least: Severity, made: Callable[[float], dict[str, Any]], end: float = 60.0) -> Rulings:
    def found(x: float) -> Sequence[Finding]:
        values = {"start_s": 0.0, "end_s": 2.0, "run_id": "1", "ev_mac": "ev", "requests": 1, **made(x)}
        record = ConversationRecord(start_s=0.0, end_s=end, frames=10, slac=(SlacRun(**values),))
        return apply(FRAMES, record)

    return Rulings(code, least, found)


def profile(db: float, mac: str = "post") -> SlacProfile:
    return SlacProfile(time_s=1.0, evse_mac=mac, sounds=10, groups_db=(round(db),) * 58, average_db=db)


def scene(code: str, least: Severity, made: Callable[[float], tuple[Sequence[Record], Sequence[Stamp]]]) -> Rulings:
    def found(x: float) -> Sequence[Finding]:
        records, stamps = made(x)
        return apply((*ACROSS, *STAMPED), Scene(Records.of_all(records), tuple(stamps)))

    return Rulings(code, least, found)


def pressed_at(moment: float, lasts: float = 0.5) -> ProximityRecord:
    """A latch that is pressed while plugged in, and let go again."""
    turns = (("latched", 0.5, moment), ("pressed", moment, moment + lasts), ("latched", moment + lasts, 26.0))
    segments = tuple(
        ProximitySegment(start_s=a, end_s=b, value=1.0, unit="V", state=state, meaning="m")  # type: ignore[arg-type]
        for state, a, b in turns
    )
    return ProximityRecord(start_s=0.0, end_s=26.0, channel="PP", segments=segments)


def home(end: float) -> ProximityRecord:
    plug = ProximitySegment(start_s=1.0, end_s=end, value=1.5, unit="V", state="latched", meaning="latched")
    return ProximityRecord(start_s=0.0, end_s=end, channel="PP", segments=(plug,))
