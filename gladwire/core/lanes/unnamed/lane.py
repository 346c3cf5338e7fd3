"""The declaration of channels nothing tells: they are asked about, and a stage that waits for one says so."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gladwire.core.findings import Finding
from gladwire.core.lanes.lane import Channels, Judge, Lane
from gladwire.core.lanes.records import Records
from gladwire.core.lanes.unnamed.record import UnnamedRecord
from gladwire.core.lanes.unnamed.rules import MAY_BE, RULES, told
from gladwire.core.settled import Settled
from gladwire.core.stage import Standing


def _measured(channels: Channels, settled: Settled) -> Iterator[UnnamedRecord]:
    if channels.unnamed:
        yield UnnamedRecord(start_s=channels.start_s, end_s=channels.end_s, channels=channels.unnamed)


def _waits(stage: str) -> Judge:
    """A stage of which a channel may tell, once it is known which it is."""

    def judged(records: Records, findings: Sequence[Finding]) -> Standing | None:
        channels = [c for r in records.of(UnnamedRecord) for c in r.channels]
        open_ = next((c for c in channels if c.proposed and MAY_BE[c.proposed][1] == stage), None)
        return Standing("not_captured", f"{told(open_)}. Settle it, and this is judged.") if open_ else None

    return judged


LANE = Lane(
    key="unnamed",
    title="Channels nothing tells",
    record=UnnamedRecord,
    rules=RULES,
    subjects=lambda records: records.of(UnnamedRecord),
    measure=_measured,
    judges={stage: _waits(stage) for _, stage in MAY_BE.values()},
)
