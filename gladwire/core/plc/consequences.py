"""The first thing that went wrong is the cause; what follows in the same try is consequence and told as such.

A FAILED answer carries default values, a stale request after it goes unanswered, a socket is closed seconds later: common
practice without a source. A fault of an earlier try weighs less once a later try got to the charge loop.
"""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.findings import Finding, Severity
from gladwire.core.plc.conversation import ConversationRecord

FOLLOWS = "This follows from what went wrong before."
_GOT_FURTHER = "A later try got past it."


def causes_before_consequences(found: Sequence[Finding], record: ConversationRecord) -> tuple[Finding, ...]:
    """The findings of one conversation, consequences turned into notes."""
    starts = _tries(record)
    reached = [f.start_s for f in found if f.code == "loop_held"]
    first: dict[int, Finding] = {}
    for finding in sorted(found, key=lambda f: (f.start_s, f.end_s)):
        if finding.severity == "fault":
            first.setdefault(_try_of(finding, starts), finding)
    told = []
    for finding in found:
        number = _try_of(finding, starts)
        begins_later = starts[number + 1] if number + 1 < len(starts) else float("inf")
        if finding.severity not in ("fault", "suspect"):
            told.append(finding)
        elif finding.severity == "fault" and first[number] is not finding:
            told.append(_softer(finding, "note", FOLLOWS))
        elif finding.severity == "suspect" and number in first and first[number].start_s <= finding.start_s:
            told.append(_softer(finding, "note", FOLLOWS) if finding.code in _CLOSINGS else finding)
        elif finding.severity == "fault" and any(at >= begins_later for at in reached):
            told.append(_softer(finding, "suspect", _GOT_FURTHER))
        else:
            told.append(finding)
    return tuple(told)


_CLOSINGS = ("connection_closed", "post_status")


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
