"""Findings rest on the standard that was spoken: what ISO 15118-2 says of a rule, ISO 15118-20 says in a place of its own."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.findings import Finding
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

_IN_20 = {
    str(ISO_15118_2): str(ISO_15118_20),
    str(ISO_15118_2_TIMERS): str(ISO_15118_20_TIMERS),
    str(ISO_15118_2_CONTRACT): str(ISO_15118_20),
    str(ISO_15118_2_TRANSPORT): str(ISO_15118_20_TRANSPORT),
}


def in_its_own_standard(found: Sequence[Finding], record: ConversationRecord) -> tuple[Finding, ...]:
    """Findings that rest on ISO 15118-2 rest on ISO 15118-20 where that was spoken."""
    newer = [t for t in record.connections if t.protocol == ISO_20]

    def moved(finding: Finding) -> Finding:
        spoken = any(t.start_s <= finding.start_s <= t.end_s for t in newer)
        return (
            finding.model_copy(update={"source": _IN_20[finding.source]})
            if spoken and finding.source in _IN_20
            else finding
        )

    return tuple(moved(f) for f in found)
