"""What the lanes' script needs to begin with: each lane's place on the clock and what was told of it, no samples."""

from __future__ import annotations

import json
from typing import Any

from gladwire.core.analysis import Analysis, ChannelInfo
from gladwire.core.lanes.bus.roles import BY_KEY as BUS_ROLES
from gladwire.core.lanes.frames.plain import stage_of_turn
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules.loop import LOOPS
from gladwire.core.lanes.frames.series import SERIES
from gladwire.core.lanes.lock.measure import LockAttempt
from gladwire.core.lanes.mains.measure import Span
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.roles import ROLE_WORDS, Role
from gladwire.core.plc.slac import SlacRun
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.clock import on_clock
from gladwire.core.session.stamps import BY_KEY
from gladwire.core.standards.pilot_levels import STATES
from gladwire.store.models import Capture, ChargingSession
from gladwire.web.charts.dialogue import TITLES, breaking_point
from gladwire.web.session_view import SessionView

# Most stretches a lane is told of; more are seen by zooming into the samples.
_MOST_MARKS = 4000
_ORDER: tuple[Role, ...] = (
    "cp", "pp", "lock_current", "lock_position", "contactor", "said", "bus", "power", "mains_v", "mains_a", "other",
)  # fmt: skip
_COLOURS: dict[Role, str] = {"cp": "volts", "mains_v": "volts", "mains_a": "amps", "other": "ink-soft"}
_LIMITS = {s.title for s in SERIES if "_max_" in s.quantity}
_BY_UNIT = {"V": "volts", "A": "amps", "%": "plum", "kW": "power", "kWh": "power"}


def lanes_json(session: ChargingSession, view: SessionView) -> str:
    """JSON to stand inside a script element."""
    lanes: list[dict[str, Any]] = []
    grave = breaking_point(view.together.judgement.findings)
    broken = grave.end_s if grave else None
    for capture, analysis, alignment in zip(view.captures, view.analyses, view.together.alignments, strict=True):
        lanes += [_lane(capture, analysis, alignment, n) for n in range(len(analysis.channels))]
        if analysis.conversation:
            lanes.append(_talk_lane(capture, analysis.conversation, alignment, broken))
    lanes.sort(key=_place)
    starts = [lane["start"] for lane in lanes]
    content = {
        "session": session.id,
        "start": min(starts, default=0.0),
        "end": max((lane["end"] for lane in lanes), default=1.0),
        "lanes": lanes,
        "stamps": [
            {"id": o.id, "at": o.at_s, "words": BY_KEY[o.kind].words, "detail": o.text, "sense": BY_KEY[o.kind].sense}
            for o in session.observations
            if o.at_s is not None and o.kind in BY_KEY and not o.struck_by
        ],
        "states": [{"letter": s.letter, "nominal": s.nominal_v, "accept": list(s.accept)} for s in STATES],
    }
    # "<" must not end the script element the JSON stands in.
    return json.dumps(content).replace("<", "\\u003c")


def _place(lane: dict[str, Any]) -> tuple[bool, float]:
    """What is not placed comes last; who spoke stands right below the pilot."""
    return lane["aside"], 0.5 if lane["kind"] == "talk" else _ORDER.index(lane["role"])


def _talk_lane(
    capture: Capture, record: ConversationRecord, alignment: Alignment, broken: float | None
) -> dict[str, Any]:
    """The lane of frames: a mark for each turn, above for the vehicle, below for the post."""
    clock = alignment.clock
    turns: list[dict[str, Any]] = [
        {
            "start": t.start_s,
            "end": t.end_s,
            "ev": t.request is not None,
            "evse": t.answered,
            "bad": t.failed or not t.answered,
            "title": t.stem + (f" ×{t.count}" if t.count > 1 else ""),
            "stage": TITLES[stage_of_turn(t)],
        }
        for talk in record.talks
        for t in talk.turns
    ]
    turns += [_match_mark(run) for run in record.slac]
    turns.sort(key=lambda t: float(t["start"]))
    return {
        "key": "talk",
        "kind": "talk",
        "capture": capture.id,
        "file": capture.name,
        "channel": -1,
        "name": "Frames",
        "role": "talk",
        "words": "who speaks, by stage",
        "unit": "",
        "colour": "ink-soft",
        "interval": 1e-3,
        "offset": clock.offset_s,
        "drift": clock.drift,
        "placed": alignment.how,
        "start": clock.on_session(record.start_s),
        "end": clock.on_session(max(record.end_s, record.start_s + 0.01)),
        "folded": False,
        "aside": alignment.how == "none",
        "marks": [],
        "segments": [],
        "events": [],
        "turns": turns[:_MOST_MARKS],
        "breaks": broken,
    }


def _match_mark(run: SlacRun) -> dict[str, Any]:
    answered = bool(run.answers or run.profiles)
    return {
        "start": run.start_s,
        "end": run.end_s,
        "ev": True,
        "evse": answered,
        "bad": run.result in ("no_answer", "rejected", "not_joined"),
        "title": "Matching",
        "stage": TITLES["match"],
    }


def _lane(capture: Capture, analysis: Analysis, alignment: Alignment, number: int) -> dict[str, Any]:
    """Times of marks and segments are of the file; the script puts them on the clock, so that a lane can be dragged."""
    channel = analysis.channels[number]
    is_pilot = number == analysis.channel_index and analysis.pilot is not None
    clock = alignment.clock
    return {
        "key": f"{channel.role}:{channel.name}",
        "kind": "pilot" if is_pilot else "line",
        "capture": capture.id,
        "file": capture.name,
        "channel": number,
        "name": channel.name,
        "role": channel.role,
        "words": _words(channel),
        "unit": {"ohm": "Ω"}.get(channel.unit, channel.unit),
        "colour": _colour(channel),
        "interval": (channel.end_s - channel.start_s) / max(channel.samples, 1),
        "offset": clock.offset_s,
        "drift": clock.drift,
        "placed": alignment.how,
        "start": clock.on_session(channel.start_s),
        "end": clock.on_session(channel.end_s),
        "folded": channel.role == "other" or _idle(analysis, channel),
        "aside": alignment.how == "none",
        "marks": _marks(analysis, channel),
        **(_pilot_parts(analysis.pilot) if is_pilot and analysis.pilot else {"segments": [], "events": []}),
    }


_BUS_SHOWN = tuple(BUS_ROLES[k].title for k in ("pack_v", "inlet_v", "amps", "asked_a", "pin_1_c", "pin_2_c"))


def _idle(analysis: Analysis, channel: ChannelInfo) -> bool:
    """Of a power record the power panel shows all but kW; of what was said only volts have a story to tell before a charge
    loop, and a limit hardly ever has one."""
    if channel.role == "power":
        return channel.unit != "kW"
    if channel.role == "bus":
        return channel.unit not in ("V", "A", "°C") or not any(channel.name.startswith(t) for t in _BUS_SHOWN)
    if channel.role != "said":
        return False
    talks = analysis.conversation.talks if analysis.conversation else ()
    return channel.name in _LIMITS or (channel.unit != "V" and not any(t.of(*LOOPS) for t in talks))


def _colour(channel: ChannelInfo) -> str:
    by_unit = channel.role in ("said", "power", "bus")
    return _BY_UNIT.get(channel.unit, "plum") if by_unit else _COLOURS.get(channel.role, "plum")


def _words(channel: ChannelInfo) -> str:
    told = channel.told_by and channel.role not in ("other", "said", "power", "bus")
    return ROLE_WORDS[channel.role] + (f", by its {channel.told_by}" if told else "")


def _pilot_parts(record: PilotRecord) -> dict[str, Any]:
    return {
        "segments": [
            {
                "label": s.label,
                "start": s.start_s,
                "end": s.end_s,
                "duty": s.duty_percent if s.oscillating else None,
                "amps": s.advertised_current_a,
                "amended": bool(s.machine),
            }
            for s in record.segments[:_MOST_MARKS]
        ],
        "events": [{"at": e.time_s, "text": e.text} for e in record.events if e.kind == "interruption"],
    }


def _marks(analysis: Analysis, channel: ChannelInfo) -> list[dict[str, Any]]:
    """Stretches that were told of a channel, each with a word."""
    found: list[tuple[float, float, str]]
    if channel.role == "pp" and analysis.proximity and analysis.proximity.channel == channel.name:
        found = [(s.start_s, s.end_s, s.state) for s in analysis.proximity.segments]
    elif channel.role == "lock_current" and analysis.lock and analysis.lock.current_channel == channel.name:
        found = [(a.start_s, a.end_s, _attempt_words(a)) for a in analysis.lock.attempts]
    elif channel.role in ("mains_v", "mains_a") and analysis.mains:
        spans = analysis.mains.volts if channel.role == "mains_v" else analysis.mains.levels
        found = [(s.start_s, s.end_s, _rms(s, channel)) for s in spans if channel.name in s.carried_by]
    elif channel.role == "contactor":
        closings = [c for r in analysis.contactors if r.channel == channel.name for c in r.closings]
        found = [(c.start_s, c.end_s, "closed") for c in closings]
    else:
        found = []
    return [{"start": start, "end": end, "text": text} for start, end, text in found[:_MOST_MARKS]]


def _rms(span: Span, channel: ChannelInfo) -> str:
    rms = span.rms_of(channel.name)
    return f"{rms:.0f} V" if channel.role == "mains_v" else f"{rms:.1f} A"


def _attempt_words(attempt: LockAttempt) -> str:
    return attempt.result.replace("_", " ") + (f" ×{attempt.pulses}" if attempt.pulses > 1 else "")


def moved_pilot(analysis: Analysis, alignment: Alignment | None) -> PilotRecord | None:
    """A capture's pilot on the session's clock, if it has one."""
    if analysis.pilot is None:
        return None
    return on_clock(analysis.pilot, alignment.clock) if alignment else analysis.pilot
