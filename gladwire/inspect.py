"""`./glad inspect`: analyse files without a server or a database, and print what the screens would show."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from gladwire.core.analysis import Taken, take
from gladwire.core.diagnosis.cause import RankedCause
from gladwire.core.lanes.bus.record import SignalSeen
from gladwire.core.lanes.bus.roles import BY_KEY as ROLES
from gladwire.core.lanes.frames.message_store import KeptMessage, KeptMessages
from gladwire.core.lanes.frames.record import Discovery, Turn
from gladwire.core.lanes.pilot.record import Segment
from gladwire.core.lanes.power.ledger import Entry
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.plc.slac import SlacRun
from gladwire.core.power.limiters import BY_KEY as LIMITERS
from gladwire.core.session.clock import Clock, on_clock
from gladwire.core.session.timeline import Part, Together, put_together
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording
from gladwire.core.supplements import Aids
from gladwire.exi_lines import as_object as message_object
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture

_SEGMENT_KEYS = (
    "state", "oscillating", "start_s", "end_s", "high_v", "low_v", "frequency_hz", "duty_percent",
    "duty_doubt_percent", "advertised_current_a", "rise_us", "fall_us",
)  # fmt: skip


def analyse_file(
    path: Path,
    settled: Settled,
    interval_s: float | None = None,
    alone: bool = True,
    aids: Aids | None = None,
) -> Taken:
    """Read and analyse one file. alone: False lets roles of channels that other files hold pass by. aids: what opens TLS
    and names a bus.

    Raises UnreadableError, also where the file is missing.
    """
    if not path.is_file():
        raise UnreadableError("there is no such file" if not path.exists() else "this is no file")
    read = read_capture(Source(path), Options(interval_s))
    if not alone:
        names = {wave.name for wave in read.channels} if isinstance(read, Recording) else set()
        settled = settled.model_copy(update={"roles": {k: v for k, v in settled.roles.items() if k in names}})
    try:
        return take(read, settled, aids)
    except ValueError as error:
        raise UnreadableError(str(error)) from error


def together(results: list[tuple[str, Taken]]) -> Together:
    """The files as one session on one clock."""
    return put_together([Part(name, taken.analysis) for name, taken in results])


def as_object(results: list[tuple[str, Taken]]) -> dict[str, Any]:
    """The object of `--json`; keys that do not apply are absent. Several files are one session on one clock, and each
    entry names the file it comes from."""
    whole = together(results)
    several = len(results) > 1
    files: list[dict[str, Any]] = [
        {"name": name, "kind": _kind(t), "format": t.analysis.format}
        | ({"placed": alignment.how, "offset_s": alignment.offset_s, "why": alignment.text} if several else {})
        for (name, t), alignment in zip(results, whole.alignments, strict=True)
    ]
    placed = [
        (name, on_clock(taken.analysis.scene, alignment.clock))
        for (name, taken), alignment in zip(results, whole.alignments, strict=True)
    ]

    def entries(records: str, rows: Callable[[Any], list[dict[str, Any]]]) -> list[dict[str, Any]]:
        return [
            {"file": name, **present} if several else present
            for name, scene in placed
            for record in getattr(scene, records)
            for row in rows(record)
            if (present := {key: value for key, value in row.items() if value is not None})
        ]

    said = whole.judgement
    content: dict[str, Any] = {
        "files": files,
        "verdict": said.verdict,
        "pilot": entries("pilots", lambda r: [segment_entry(s) for s in r.segments]),
        "reading": entries("pilots", lambda r: [r.reading.model_dump(mode="json")]),
        "stages": [s.model_dump(include={"stage", "state", "start_s", "end_s", "why"}) for s in said.stages],
        "outcome": said.outcome,
        "findings": [f.model_dump() for f in said.findings],
        "causes": [_cause_entry(c) for c in said.causes],
    }
    content["stages"] = [{k: v for k, v in s.items() if v is not None} for s in content["stages"]]
    if whole.scene.proximities:
        keys = {"start_s", "end_s", "value", "unit", "meaning"}
        content["proximity"] = entries("proximities", lambda r: [s.model_dump(include=keys) for s in r.segments])
    if whole.scene.locks:
        lock_keys = {"start_s", "end_s", "pulses", "position_changed", "result"}
        content["lock"] = entries("locks", lambda r: [a.model_dump(include=lock_keys) for a in r.attempts])
    if whole.scene.conversations:
        content["slac"] = entries("conversations", lambda c: [slac_entry(run) for run in c.slac])
        content["sdp"] = entries("conversations", lambda c: [_sdp_entry(d) for d in c.sdp])
        content["messages"] = [
            {"file": name, **entry} if several else entry
            for (name, taken), alignment in zip(results, whole.alignments, strict=True)
            for entry in message_entries(taken.messages, alignment.clock)
        ]
    if whole.scene.buses:
        content["signals"] = entries("buses", lambda b: [s.model_dump(exclude={"choices"}) for s in b.signals])
    if whole.scene.powers:
        content["power"] = power_entry(whole.scene.powers[0])
    return {key: value for key, value in content.items() if key not in ("pilot", "reading") or value}


def _kind(taken: Taken) -> str:
    if taken.messages is not None:
        return "frames"
    if taken.analysis.bus is not None:
        return "can"
    return "power" if taken.analysis.power else "waveform"


def power_entry(report: PowerReport) -> dict[str, Any]:
    """A power report under the contract's keys; figures that are not known are absent."""
    windows = [
        {**w.model_dump(include={"from_soc", "to_soc", "minutes", "energy_kwh", "average_kw", "peak_kw", "splices"})}
        for w in report.windows
    ]
    return {
        "samples": report.samples,
        "energy_kwh": report.energy_kwh,
        "peak_kw": report.peak_kw,
        "average_kw": report.average_kw,
        "source": report.source,
        "windows": windows,
        "limiters": [_limiter_entry(e) for e in report.entries],
        "expected_kwh": report.expected_kwh,
        "expected": report.expected_words,
        "unexplained_kwh": report.unexplained_kwh,
        "verdict": report.verdict,
        "by": report.by,
        "confidence": report.sure,
        "text": report.text,
        "decides": report.decides,
        "notes": list(report.notes),
    }


def _limiter_entry(entry: Entry) -> dict[str, Any]:
    values = entry.model_dump(mode="json")
    return {key: value for key, value in values.items() if value not in (None, [])}


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


def message_entries(messages: KeptMessages | None, clock: Clock) -> Iterator[dict[str, Any]]:
    """Every message under the contract's keys."""
    for number in range(len(messages) if messages is not None else 0):
        assert messages is not None
        yield message_entry(messages.one(number), clock)


def message_entry(kept: KeptMessage, clock: Clock) -> dict[str, Any]:
    message = kept.message
    entry = {"time_s": clock.on_session(kept.time_s), "from": ("ev", "evse")[kept.side], **message_object(message)}
    entry.setdefault("name", "")
    return entry


def _cause_entry(cause: RankedCause) -> dict[str, Any]:
    """A cause under the contract's keys: evidence as plain sentences."""
    said = {key: [e.text for e in getattr(cause, key)] for key in ("evidence", "against")}
    return {**cause.model_dump(mode="json"), **said}


def segment_entry(segment: Segment) -> dict[str, Any]:
    """A segment under the contract's keys."""
    values = segment.model_dump()
    return {key: values[key] for key in _SEGMENT_KEYS if values[key] is not None}


def as_json(results: list[tuple[str, Taken]]) -> str:
    return json.dumps(as_object(results), indent=1, ensure_ascii=False)


def as_text(results: list[tuple[str, Taken]]) -> str:
    """What the Session page says, for a terminal."""
    whole = together(results)
    said = whole.judgement
    lines = [f"{name} ({taken.analysis.format})" for name, taken in results]
    if len(results) > 1:
        pairs = zip(results, whole.alignments, strict=True)
        lines = [
            f"{name} ({t.analysis.format}): {placed.offset_s:+.3f} s. {placed.text}" for (name, t), placed in pairs
        ]
    lines += ["", said.verdict, ""]
    for analysis in (taken.analysis for _, taken in results):
        why = analysis.pilot.reading.why if analysis.pilot else ()
        lines += [f"Remark   {remark}" for remark in (*analysis.remarks, *why)]
        lines += [f"Channel  {analysis.channel_why}"] if analysis.channel_why else []
    lines += ["Stages"]
    lines += [f"  {s.title:<12} {s.state.replace('_', ' '):<14} {s.why}" for s in said.stages]
    for pilot in whole.scene.pilots:
        lines += ["", "Pilot", *(_segment_line(s) for s in pilot.segments)]
    for proximity in whole.scene.proximities:
        lines += ["", "Proximity"]
        lines += [f"  {s.start_s:10.4f} to {s.end_s:10.4f} s  {s.meaning}" for s in proximity.segments]
    for lock in whole.scene.locks:
        lines += ["", "Lock"]
        lines += [
            f"  {a.start_s:10.4f} to {a.end_s:10.4f} s  {a.result.replace('_', ' ')}, {a.pulses} pulses"
            for a in lock.attempts
        ]
    for conversation in whole.scene.conversations:
        for talk in conversation.talks:
            lines += ["", f"Dialogue, port {talk.port}", *(_turn_line(t) for t in talk.turns)]
    for bus in whole.scene.buses:
        lines += [
            "",
            f"Bus, named by {bus.description or 'nothing given here'}",
            *(_signal_line(s) for s in bus.signals),
        ]
    for power in whole.scene.powers:
        lines += ["", f"Power, {power.verdict}", *(_ledger_line(e) for e in power.entries)]
        lines += [f"  expected {power.expected_kwh:.2f} kWh: {power.expected_words}"]
    lines += ["", "Findings"]
    lines += [f"  {f.severity:<8} {f.text}" for f in said.findings if f.severity != "normal"]
    lines += ["", "Likely causes"]
    for cause in said.causes:
        lines += [
            f"  {100 * cause.confidence:3.0f} %  {cause.title} ({cause.owner})",
            f"         next: {cause.next_test}",
        ]
    return "\n".join(lines)


def _signal_line(s: SignalSeen) -> str:
    role = f"  {ROLES[s.role].title}" if s.role else ""
    return f"  {s.name:<44} {s.low:10g} to {s.high:10g} {s.unit:<4}{role}"


def _ledger_line(e: Entry) -> str:
    cost = f"{e.minutes_cost:6.1f} min" if e.minutes_cost is not None else ""
    title = " / ".join(LIMITERS[key].title for key in (e.limiter, *e.also[:1]))
    return (
        f"  {e.start_s:8.0f} to {e.end_s:8.0f} s  {title:<34} {e.level_kw:7.1f} kW  "
        f"{e.shortfall_kwh:7.2f} kWh short  {cost}"
    )


def _turn_line(turn: Turn) -> str:
    times = f" ×{turn.count}" if turn.count > 1 else ""
    answer = turn.response_code or ("no answer" if not turn.answered else "")
    wait = f"{1000 * turn.wait_s:.0f} ms" if turn.wait_s is not None else ""
    return f"  {turn.start_s:10.4f} to {turn.end_s:10.4f} s  {turn.stem + times:<36} {answer:<28} {wait}"


def _segment_line(s: Segment) -> str:
    line = f"  {s.start_s:10.4f} to {s.end_s:10.4f} s  {s.label:<3} {s.high_v:7.2f} V"
    if s.oscillating:
        line += f" / {s.low_v:7.2f} V  {s.frequency_hz:8.2f} Hz  {s.duty_percent:6.2f} % ± {s.duty_doubt_percent:.2f}"
        line += f"  {s.advertised_current_a:.1f} A" if s.advertised_current_a is not None else ""
    return line
