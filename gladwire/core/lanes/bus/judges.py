"""Judges of the stages a CAN log speaks for: those of a retrofit controller, and of a connector that talks over CAN."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gladwire.core.findings import Finding, codes, first_of, proving
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.bus.rules import RULES, flowing, opened_at
from gladwire.core.lanes.lane import Judge
from gladwire.core.lanes.records import Records
from gladwire.core.stage import Standing
from gladwire.core.words import seconds


def _link(records: Records, findings: Sequence[Finding]) -> Standing | None:
    """Both sides of a connector are heard, or the controller is."""
    for record in records.of(CanRecord):
        named = [m for m in record.messages if m.name]
        senders = {m.sender for m in named if m.sender}
        if named and (len(senders) > 1 or record.kind == "controller"):
            start, end = min(m.first_at_s for m in named), max(m.last_at_s for m in named)
            why = f"{' and '.join(sorted(senders)) or 'The controller'} send on the bus, {len(named)} messages in all."
            return Standing("proven", why, f"{len(named)} messages", start, end)
    return None


def _ramp(records: Records, findings: Sequence[Finding]) -> Standing | None:
    for record in records.of(CanRecord):
        spans = flowing(record)
        if spans:
            amps = record.of("amps")
            most = max(amps.values, key=abs) if amps else 0.0
            return Standing(
                "proven", f"Current flows from {spans[0][0]:.2f} s on.", f"{most:.0f} A", spans[0][0], spans[0][1]
            )
    return None


def _hold(records: Records, findings: Sequence[Finding]) -> Standing | None:
    held = first_of(findings, codes(RULES, "held"))
    if held is None:
        return None
    if any(opened_at(r) is not None for r in records.of(CanRecord)) or any(
        held.end_s < r.end_s - 1.0 for r in records.of(CanRecord)
    ):
        return Standing("proven", held.text, seconds(held.end_s - held.start_s), held.start_s, held.end_s)
    why = f"{held.text} It was still flowing when the log ended."
    return Standing("not_captured", why, "still on", held.start_s, held.end_s)


def _by_finding(stage: str) -> Judge:
    def judged(records: Records, findings: Sequence[Finding]) -> Standing | None:
        found = first_of(findings, proving(RULES, stage))
        return Standing("proven", found.text, found.measured, found.start_s, found.end_s) if found else None

    return judged


JUDGES: Mapping[str, Judge] = {
    **{stage: _by_finding(stage) for rule in RULES for stage in rule.proves},
    "link": _link,
    "ramp": _ramp,
    "hold": _hold,
}


def begun(records: Records, broken: Finding) -> bool | None:
    """Whether current flowed on the bus before this."""
    buses = records.of(CanRecord)
    known = [bus for bus in buses if bus.of("amps")]
    return any(start < broken.start_s for bus in known for start, _ in flowing(bus)) if known else None


def _of_current(records: Records) -> str:
    """What is told where nothing else is: that no current flows only where a signal is known to be it."""
    if any(bus.of("amps") for bus in records.of(CanRecord)):
        return "No current flows in this log."
    return (
        "No signal of this log is known to be the current: whether any flowed is not told. Settle which signal it is."
    )


def story(records: Records, findings: Sequence[Finding]) -> str:
    """What a bus tells of a session nothing broke."""
    if not records.of(CanRecord):
        return ""
    telling = (*codes(RULES, "held"), *codes(RULES, "ending"))
    derating = {rule.code for rule in RULES if rule.derates}
    watch = next((f for f in findings if f.severity == "suspect" and f.code not in telling), None)
    told = [f.text for code in telling for f in findings if f.code == code]
    parts = told or [next((f.text for f in findings if f.severity == "note"), _of_current(records))]
    # What holds a charge back comes first; what is only to be watched, last.
    if watch and watch.code in derating:
        return " ".join([watch.text, *parts])
    return " ".join([*parts, *([f"To watch: {watch.text}"] if watch else [])])
