"""What the lanes' script needs to begin with: each lane's place on the clock and what was told of it, no samples."""

from __future__ import annotations

import json
from typing import Any

from gladwire.core.lanes.all import LANE_OF_ROLE, ROLE_BY_KEY, ROLES
from gladwire.core.lanes.frames.plain import stage_of_exchange
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.measured import ChannelInfo
from gladwire.core.plc.slac import SlacRun
from gladwire.core.scene.stamps import BY_KEY
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.timeline import Placed
from gladwire.core.standards.pilot_levels import BY_LETTER, STATES
from gladwire.store.models import Capture, ChargingSession
from gladwire.web.charts.dialogue import TITLES, breaking_point
from gladwire.web.session_view import SessionView

# Most stretches a lane is told of; more are seen by zooming into the samples.
_MOST_MARKS = 4000
_ORDER = {role.key: number for number, role in enumerate(ROLES)}
# The pilot lane's scale: room above A, and below F for the duty marks of single cycles.
_VOLTS = {
    "lowest": BY_LETTER["F"].nominal_v - 5.5,
    "highest": BY_LETTER["A"].nominal_v + 2.0,
    "duty": BY_LETTER["F"].nominal_v - 1.7,
}
# Lanes that are made of what was said or read show several quantities; each takes the hue of its unit.
_BY_UNIT = {"V": "volts", "A": "amps", "%": "plum", "kW": "power", "kWh": "power"}


def lanes_json(session: ChargingSession, view: SessionView) -> str:
    """JSON to stand inside a script element."""
    lanes: list[dict[str, Any]] = []
    grave = breaking_point(view.judgement.findings)
    broken = grave.end_s if grave else None
    for capture, placed in zip(view.captures, view.placed, strict=True):
        lanes += [_lane(capture, placed, n) for n in range(len(placed.measured.channels))]
        lanes += [_frames_lane(capture, r, placed.alignment, broken) for r in placed.measured.of(ConversationRecord)]
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
        "volts": _VOLTS,
        "states": [{"letter": s.letter, "nominal": s.nominal_v, "accept": list(s.accept)} for s in STATES],
    }
    # "<" must not end the script element the JSON stands in.
    return json.dumps(content).replace("<", "\\u003c")


def _place(lane: dict[str, Any]) -> tuple[bool, float]:
    """What is not placed comes last; who spoke stands right below the pilot."""
    return lane["aside"], 0.5 if lane["kind"] == "frames" else _ORDER[lane["role"]]


def _frames_lane(
    capture: Capture, record: ConversationRecord, alignment: Alignment, broken: float | None
) -> dict[str, Any]:
    """The lane of frames: a mark for each turn, above for the vehicle, below for the post."""
    clock = alignment.clock
    exchanges: list[dict[str, Any]] = [
        {
            "start": t.start_s,
            "end": t.end_s,
            "ev": t.request is not None,
            "evse": t.answered,
            "bad": t.failed or not t.answered,
            "title": t.stem + (f" ×{t.count}" if t.count > 1 else ""),
            "stage": TITLES[stage_of_exchange(t)],
        }
        for connection in record.connections
        for t in connection.exchanges
    ]
    exchanges += [_match_mark(run) for run in record.slac]
    exchanges.sort(key=lambda t: float(t["start"]))
    return {
        "key": "frames",
        "kind": "frames",
        "capture": capture.id,
        "file": capture.name,
        "channel": -1,
        "name": "Frames",
        "role": "frames",
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
        "exchanges": exchanges[:_MOST_MARKS],
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


def _lane(capture: Capture, placed: Placed, number: int) -> dict[str, Any]:
    """Times of marks and segments are of the file; the script puts them on the clock, so that a lane can be dragged."""
    channel, records, alignment = placed.measured.channels[number], placed.measured.records, placed.alignment
    pilot = records.first(PilotRecord) if number == placed.measured.channel_index else None
    lane, clock = LANE_OF_ROLE.get(channel.role), alignment.clock
    marks = [m for r in records.of(lane.record) for m in lane.marks(r, channel.name, channel.role)] if lane else []
    return {
        "key": f"{channel.role}:{channel.name}",
        "kind": "pilot" if pilot else "line",
        "capture": capture.id,
        "file": capture.name,
        "channel": number,
        "name": channel.name,
        "role": channel.role,
        "words": _words(channel),
        "unit": {"ohm": "Ω"}.get(channel.unit, channel.unit),
        "colour": ROLE_BY_KEY[channel.role].hue or _BY_UNIT.get(channel.unit, "plum"),
        "interval": (channel.end_s - channel.start_s) / max(channel.samples, 1),
        "offset": clock.offset_s,
        "drift": clock.drift,
        "placed": alignment.how,
        "start": clock.on_session(channel.start_s),
        "end": clock.on_session(channel.end_s),
        # What a person is asked about has to be seen.
        "folded": channel.told_by != "nothing" and (lane is None or lane.folded(records, channel.name, channel.unit)),
        "aside": alignment.how == "none",
        "marks": [{"start": m.start_s, "end": m.end_s, "text": m.text} for m in marks[:_MOST_MARKS]],
        **(_pilot_parts(pilot) if pilot else {"levels": True, "segments": [], "events": []}),
    }


def _words(channel: ChannelInfo) -> str:
    role = ROLE_BY_KEY[channel.role]
    if channel.told_by == "nothing":
        return "nobody told what it is"
    told = channel.told_by and role.named is not None
    return role.words + (f", by its {channel.told_by}" if told else "")


def _pilot_parts(record: PilotRecord) -> dict[str, Any]:
    reading = record.interpretation
    return {
        # Where it tells no levels, states and their bands have no place in the drawing.
        "levels": reading.kind == "pilot" and reading.is_pilot_like,
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
