"""The declaration of frames on the power line: how a conversation is judged, aligned and told."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from gladwire.core.lanes.frames.judges import JUDGES, begun, story
from gladwire.core.lanes.frames.record import ConversationRecord, Discovery, Exchange
from gladwire.core.lanes.frames.rules import RULES
from gladwire.core.lanes.frames.rules.ending import switched_off
from gladwire.core.lanes.frames.rules.loop import LOOPS, switched_on
from gladwire.core.lanes.frames.series import SERIES
from gladwire.core.lanes.lane import ChannelRole, Landmark, Lane
from gladwire.core.lanes.records import Records
from gladwire.core.plc.slac import SlacRun


def _landmarks(conversation: ConversationRecord) -> Iterator[Landmark]:
    """Moments of a conversation that a pilot answers to."""
    yield from (Landmark(run.start_s, "matching begins", 0.01) for run in conversation.slac[:1])
    for connection in conversation.connections:
        checks, on, off = connection.of("CableCheck"), switched_on(connection), switched_off(connection)
        if checks:
            yield Landmark(checks[0].start_s, "cable check begins", 0.01)
        if on:
            yield Landmark(on.start_s, "switched on", 0.01)
        if off:
            yield Landmark(off.start_s, "switched off", 0.01)


def slac_entry(run: SlacRun) -> dict[str, Any]:
    """A matching run under the contract's keys, with what each post answered beside."""
    chosen = run.chosen
    return {
        "start_s": run.start_s,
        "end_s": run.end_s,
        "run_id": run.run_id,
        "ev_mac": run.ev_mac,
        "evse_mac": run.evse_mac or None,
        "average_attenuation_db": chosen.average_db if chosen else None,
        "sounds": chosen.sounds if chosen else run.sounds_sent,
        "result": run.result,
        "profiles": [p.model_dump(exclude={"time_s"}) for p in run.profiles],
    }


def _sdp_entry(said: Discovery) -> dict[str, Any]:
    return {
        "time_s": said.time_s,
        "request": said.request,
        "address": said.address or None,
        "port": said.port or None,
        "tls": said.tls,
    }


def _entries(record: ConversationRecord) -> dict[str, list[dict[str, Any]]]:
    return {"slac": [slac_entry(run) for run in record.slac], "sdp": [_sdp_entry(d) for d in record.sdp]}


def _lines(record: ConversationRecord) -> list[str]:
    lines = []
    for connection in record.connections:
        lines += [f"Dialogue, port {connection.port}", *(_line(t) for t in connection.exchanges), ""]
    return lines[:-1]


def _line(exchange: Exchange) -> str:
    times = f" ×{exchange.count}" if exchange.count > 1 else ""
    answer = exchange.response_code or ("no answer" if not exchange.answered else "")
    wait = f"{1000 * exchange.wait_s:.0f} ms" if exchange.wait_s is not None else ""
    return f"  {exchange.start_s:10.4f} to {exchange.end_s:10.4f} s  {exchange.stem + times:<36} {answer:<28} {wait}"


_LIMITS = {s.title for s in SERIES if "_max_" in s.quantity}


def _folded(records: Records, name: str, unit: str) -> bool:
    """Only volts have a story to tell before a charge loop, and a limit hardly ever has one."""
    connections = [connection for record in records.of(ConversationRecord) for connection in record.connections]
    return name in _LIMITS or (unit != "V" and not any(t.of(*LOOPS) for t in connections))


LANE = Lane(
    key="frames",
    title="Conversation",
    record=ConversationRecord,
    rules=RULES,
    subjects=lambda records: records.of(ConversationRecord),
    roles=(ChannelRole("said", "said in messages", ""),),
    landmarks=_landmarks,
    judges=JUDGES,
    story=story,
    tells=1,
    begun=begun,
    lines=_lines,
    entries=_entries,
    folded=_folded,
)
