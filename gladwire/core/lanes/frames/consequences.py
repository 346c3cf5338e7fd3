"""The first thing that went wrong is the cause; what follows in the same try is consequence and told as such.

A FAILED answer carries default values, a stale request after it goes unanswered, a socket is closed seconds later: common
practice without a source. What looks wrong before a charge loop that ran all the same did not stop it, and a fault of an
earlier try weighs less once a later try got to the charge loop.
"""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.findings import Finding, Severity
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.standards.source import (
    ISO_15118_2,
    ISO_15118_2_CONTRACT,
    ISO_15118_2_TIMERS,
    ISO_15118_2_TRANSPORT,
    ISO_15118_20,
    ISO_15118_20_TIMERS,
    ISO_15118_20_TRANSPORT,
)
from gladwire.core.standards.v2g_codes import ISO_20

FOLLOWS = "This follows from what went wrong before."
WENT_ON = "The session went on all the same."
GOT_FURTHER = "A later try got past it."
# Told as consequence even where they are only suspected.
_CLOSINGS = ("connection_closed", "post_status")
_LATE_STAGES = ("hold", "end")
# A fault in these stays one, whatever went on after it.
_NEVER_LESS = ("insulation_status",)


def causes_before_consequences(found: Sequence[Finding], record: ConversationRecord) -> tuple[Finding, ...]:
    """The findings of one conversation, each fault told for what it is: cause, consequence, or no hindrance."""
    starts = _tries(record)
    loops = {_try_of(f, starts): f.start_s for f in found if f.code == "loop_held"}
    first: dict[int, Finding] = {}
    told = []
    for finding in sorted(found, key=lambda f: (f.start_s, f.end_s)):
        number = _try_of(finding, starts)
        hindered = finding.stage in _LATE_STAGES or finding.start_s > loops.get(number, float("-inf"))
        if finding.severity == "fault" and not hindered and finding.code not in _NEVER_LESS:
            finding = _softer(finding, "suspect", WENT_ON)
        elif finding.severity == "fault" and number in first:
            finding = _softer(finding, "note", FOLLOWS)
        elif finding.severity == "fault":
            first[number] = finding
            if any(later > number for later in loops):
                finding = _softer(finding, "suspect", GOT_FURTHER)
        elif finding.severity == "suspect" and number in first and finding.code in _CLOSINGS:
            finding = _softer(finding, "note", FOLLOWS)
        told.append(finding)
    return tuple(told)


def in_its_own_standard(found: Sequence[Finding], record: ConversationRecord) -> tuple[Finding, ...]:
    """Findings that rest on ISO 15118-2 rest on ISO 15118-20 where that was spoken."""
    newer = [t for t in record.talks if t.protocol == ISO_20]

    def moved(finding: Finding) -> Finding:
        spoken = any(t.start_s <= finding.start_s <= t.end_s for t in newer)
        return (
            finding.model_copy(update={"source": _IN_20[finding.source]})
            if spoken and finding.source in _IN_20
            else finding
        )

    return tuple(moved(f) for f in found)


_IN_20 = {
    str(ISO_15118_2): str(ISO_15118_20),
    str(ISO_15118_2_TIMERS): str(ISO_15118_20_TIMERS),
    str(ISO_15118_2_CONTRACT): str(ISO_15118_20),
    str(ISO_15118_2_TRANSPORT): str(ISO_15118_20_TRANSPORT),
}


def _softer(finding: Finding, severity: Severity, why: str) -> Finding:
    return finding.model_copy(update={"severity": severity, "text": f"{finding.text} {why}"})


def _tries(record: ConversationRecord) -> list[float]:
    """When each try begins: a matching run that leads to a connection, or a connection without one of its own."""
    starts: list[float] = []
    runs = sorted(r.start_s for r in record.slac)
    before = float("-inf")
    for talk in sorted(record.talks, key=lambda t: t.start_s):
        own = [r for r in runs if before < r <= talk.start_s]
        starts.append(own[0] if own else talk.start_s)
        before = talk.start_s
    starts += [r for r in runs if r > before and (not starts or r > starts[-1])][:1]
    return starts or [record.start_s]


def _try_of(finding: Finding, starts: Sequence[float]) -> int:
    number = 0
    for index, start in enumerate(starts):
        if finding.start_s >= start - 1e-9:
            number = index
    return number
