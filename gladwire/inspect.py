"""`./glad inspect`: analyse files without a server or a database, and print what the screens would show."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from gladwire.core.analysis import Analysis, analyse
from gladwire.core.diagnosis.cause import RankedCause
from gladwire.core.pilot.reading import Settled
from gladwire.core.pilot.record import Segment
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture

Tagged = Callable[[str, dict[str, Any]], dict[str, Any]]
_SEGMENT_KEYS = (
    "state", "oscillating", "start_s", "end_s", "high_v", "low_v", "frequency_hz", "duty_percent",
    "duty_doubt_percent", "advertised_current_a", "rise_us", "fall_us",
)  # fmt: skip


def analyse_file(path: Path, settled: Settled, interval_s: float | None = None) -> Analysis:
    """Read and analyse one file. Raises UnreadableError, also where the file is missing."""
    if not path.is_file():
        raise UnreadableError("there is no such file" if not path.exists() else "this is no file")
    recording = read_capture(Source(path), Options(interval_s))
    try:
        return analyse(recording, settled)
    except ValueError as error:
        raise UnreadableError(str(error)) from error


def as_object(results: list[tuple[str, Analysis]]) -> dict[str, Any]:
    """The object of `--json`; keys that do not apply are absent. With several files each entry names its own."""
    several = len(results) > 1

    def tagged(name: str, entry: dict[str, Any]) -> dict[str, Any]:
        present = {key: value for key, value in entry.items() if value is not None}
        return {"file": name, **present} if several else present

    gravest = min((a for _, a in results), key=lambda a: (a.outcome == "unknown", 0))
    return {
        "files": [{"name": name, "kind": "waveform", "format": a.format} for name, a in results],
        "verdict": gravest.verdict,
        "pilot": [tagged(name, segment_entry(s)) for name, a in results for s in a.pilot.segments],
        **_beside_pilot(results, tagged),
        "reading": [tagged(name, a.pilot.reading.model_dump(mode="json")) for name, a in results],
        "stages": [
            tagged(name, s.model_dump(include={"stage", "state", "start_s", "end_s", "why"}))
            for name, a in results
            for s in a.stages
        ],
        "outcome": gravest.outcome,
        "findings": [tagged(name, f.model_dump()) for name, a in results for f in a.findings],
        "causes": [tagged(name, _cause_entry(c)) for name, a in results for c in a.causes],
    }


def _beside_pilot(results: list[tuple[str, Analysis]], tagged: Tagged) -> dict[str, Any]:
    """Proximity and lock under the contract's keys, where they were captured."""
    found: dict[str, Any] = {}
    proximity = [
        tagged(name, s.model_dump(include={"start_s", "end_s", "value", "unit", "meaning"}))
        for name, a in results
        if a.proximity
        for s in a.proximity.segments
    ]
    lock = [
        tagged(name, t.model_dump(include={"start_s", "end_s", "pulses", "position_changed", "result"}))
        for name, a in results
        if a.lock
        for t in a.lock.attempts
    ]
    if any(a.proximity for _, a in results):
        found["proximity"] = proximity
    if any(a.lock for _, a in results):
        found["lock"] = lock
    return found


def _cause_entry(cause: RankedCause) -> dict[str, Any]:
    """A cause under the contract's keys: evidence as plain sentences."""
    said = {key: [e.text for e in getattr(cause, key)] for key in ("evidence", "against")}
    return {**cause.model_dump(mode="json"), **said}


def segment_entry(segment: Segment) -> dict[str, Any]:
    """A segment under the contract's keys."""
    values = segment.model_dump()
    return {key: values[key] for key in _SEGMENT_KEYS if values[key] is not None}


def as_json(results: list[tuple[str, Analysis]]) -> str:
    return json.dumps(as_object(results), indent=1, ensure_ascii=False)


def as_text(name: str, analysis: Analysis) -> str:
    """What the Session page says, for a terminal."""
    lines = [f"{name} ({analysis.format})", "", analysis.verdict, ""]
    lines += [f"Remark   {remark}" for remark in (*analysis.remarks, *analysis.pilot.reading.why)]
    lines += [f"Channel  {analysis.channel_why}"] if analysis.channel_why else []
    lines += ["Stages"]
    lines += [f"  {s.title:<12} {s.state.replace('_', ' '):<14} {s.why}" for s in analysis.stages]
    lines += ["", "Pilot"]
    lines += [_segment_line(s) for s in analysis.pilot.segments]
    if analysis.proximity:
        lines += ["", "Proximity"]
        lines += [f"  {s.start_s:10.4f} to {s.end_s:10.4f} s  {s.meaning}" for s in analysis.proximity.segments]
    if analysis.lock:
        lines += ["", "Lock"]
        lines += [
            f"  {a.start_s:10.4f} to {a.end_s:10.4f} s  {a.result.replace('_', ' ')}, {a.pulses} pulses"
            for a in analysis.lock.attempts
        ]
    lines += ["", "Findings"]
    lines += [f"  {f.severity:<8} {f.text}" for f in analysis.findings if f.severity != "normal"]
    lines += ["", "Likely causes"]
    for cause in analysis.causes:
        lines += [
            f"  {100 * cause.confidence:3.0f} %  {cause.title} ({cause.owner})",
            f"         next: {cause.next_test}",
        ]
    return "\n".join(lines)


def _segment_line(s: Segment) -> str:
    line = f"  {s.start_s:10.4f} to {s.end_s:10.4f} s  {s.label:<3} {s.high_v:7.2f} V"
    if s.oscillating:
        line += f" / {s.low_v:7.2f} V  {s.frequency_hz:8.2f} Hz  {s.duty_percent:6.2f} % ± {s.duty_doubt_percent:.2f}"
        line += f"  {s.advertised_current_a:.1f} A" if s.advertised_current_a is not None else ""
    return line
