"""The one JSON contract: what terminal, downloads and API give out of a session, under the same keys."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from gladwire.core.diagnosis.cause import RankedCause
from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.frames.message_store import MessageStore, StoredMessage
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.power.ledger import Entry
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.measured import Measured
from gladwire.core.moments import Clock
from gladwire.core.scene.scene import Scene
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.timeline import Placed
from gladwire.exi_lines import as_object as message_object


class File(NamedTuple):
    """A capture as it is given out. messages: of frames, where they are wanted."""

    placed: Placed
    messages: MessageStore | None = None


def session_object(files: Sequence[File], scene: Scene, judgement: Judgement) -> dict[str, Any]:
    """A session under the contract's keys; keys that do not apply are absent. Of several files each entry names its own."""
    several = len(files) > 1
    content: dict[str, Any] = {
        "files": [_file(file.placed, several) for file in files],
        "verdict": judgement.verdict,
        "stages": [
            _present(s.model_dump(include={"stage", "state", "start_s", "end_s", "why"})) for s in judgement.stages
        ],
        "outcome": judgement.outcome,
        "findings": [f.model_dump() for f in judgement.findings],
        "causes": [_cause(c) for c in judgement.causes],
    }
    for file in files:
        for key, rows in file_entries(file).items():
            named = [{"file": file.placed.name, **row} if several else row for row in rows]
            content.setdefault(key, []).extend(named)
    power = scene.first(PowerReport)
    return content | ({"power": power_entry(power)} if power else {})


def capture_object(file: File) -> dict[str, Any]:
    """One capture's measurements under the contract's keys, on the clock it is placed on; nothing of it is judged."""
    power = file.placed.first(PowerReport)
    entries = file_entries(file)
    return {"files": [_file(file.placed, False)], **entries, **({"power": power_entry(power)} if power else {})}


def file_entries(file: File) -> dict[str, list[dict[str, Any]]]:
    """What one capture shows, by the contract's keys."""
    found: dict[str, list[dict[str, Any]]] = {}
    for lane in LANES:
        for record in file.placed.of(lane.record):
            for key, rows in lane.entries(record).items():
                found.setdefault(key, []).extend(_present(row) for row in rows)
    if file.messages is not None:
        found["messages"] = list(message_entries(file.messages, file.placed.alignment.clock))
    return found


def kind_of(measured: Measured) -> str:
    """What kind of evidence a capture is."""
    if measured.of(ConversationRecord):
        return "frames"
    if measured.of(CanRecord):
        return "can"
    return "power" if measured.of(PowerReport) else "waveform"


def _file(placed: Placed, several: bool) -> dict[str, Any]:
    where = placed.alignment
    tied = {"placed": where.how, "offset_s": where.offset_s, "why": where.text} if several else {}
    return {"name": placed.name, "kind": kind_of(placed.measured), "format": placed.measured.format, **tied}


def _present(row: dict[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in row.items() if value is not None}


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
        "limiters": [_limiter(e) for e in report.entries],
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


def _limiter(entry: Entry) -> dict[str, Any]:
    values = entry.model_dump(mode="json")
    return {key: value for key, value in values.items() if value not in (None, [])}


def message_entries(messages: MessageStore, clock: Clock) -> Iterator[dict[str, Any]]:
    """Every message under the contract's keys."""
    return (message_entry(messages.one(number), clock) for number in range(len(messages)))


def message_entry(kept: StoredMessage, clock: Clock) -> dict[str, Any]:
    message = kept.message
    entry = {"time_s": clock.on_session(kept.time_s), "from": ("ev", "evse")[kept.side], **message_object(message)}
    entry.setdefault("name", "")
    return entry


def _cause(cause: RankedCause) -> dict[str, Any]:
    """A cause under the contract's keys: evidence as plain sentences."""
    judgement = {key: [e.text for e in getattr(cause, key)] for key in ("evidence", "against")}
    return {**cause.model_dump(mode="json"), **judgement}


def harmless(value: Any) -> Any:
    """A cell as a spreadsheet may open it: a text that would be taken for a formula is marked as text."""
    if not isinstance(value, str) or not value:
        return value
    formula = value[0] in "=@\t\r" or (value[0] in "+-" and not value[1:2].isdigit())
    return f"'{value}" if formula else value
