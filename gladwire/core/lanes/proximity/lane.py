"""Proximity's declaration: how it is measured, judged, aligned and told."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

from gladwire.core.findings import Finding
from gladwire.core.lanes.detection import Look, is_latch
from gladwire.core.lanes.lane import ChannelRole, Channels, Landmark, Lane, Mark, apart
from gladwire.core.lanes.proximity.measure import measure_proximity
from gladwire.core.lanes.proximity.record import HOME, ProximityRecord
from gladwire.core.lanes.proximity.rules import RULES
from gladwire.core.lanes.records import Records
from gladwire.core.settled import Settled
from gladwire.core.stage import Standing

# Logarithms of odds, by judgement.
_SAID, _LATCH, _HINT = 5.0, 4.0, 0.4
# A plug pulls the line down from its supply, not to nought.
_DOWN, _MOST_V = 0.85, 13.5
# No inlet's proximity stands so high.
_NO_VOLTS = 30.0


def _named(kinds: frozenset[str], unit: str) -> float:
    return _SAID if unit == "ohm" or "plugged" in kinds else 0.0


def _looks(look: Look) -> float:
    if is_latch(look):
        return _LATCH
    low, high = look.levels or (0.0, 0.0)
    return _HINT if look.changes and 0.0 < low < _DOWN * high and high < _MOST_V else 0.0


def _doubt(look: Look) -> str:
    if look.wave.unit or look.peak < _NO_VOLTS:
        return ""
    return f"{look.says()}, without a unit: how many volts that is, is not told"


def _measured(channels: Channels, settled: Settled) -> Iterator[ProximityRecord]:
    wave = channels.first("pp")
    if wave is not None:
        yield measure_proximity(wave)


def _landmarks(record: ProximityRecord) -> Iterator[Landmark]:
    for p, q in itertools.pairwise(record.segments):
        if "absent" in (p.state, q.state):
            yield Landmark(q.start_s, "plug in" if p.state == "absent" else "plug out")
        else:
            yield Landmark(q.start_s, f"proximity {p.state}>{q.state}")


def _proximity(records: Records, findings: Sequence[Finding]) -> Standing | None:
    segments = [s for r in records.of(ProximityRecord) for s in r.segments]
    if not segments:
        return None
    home = [s for s in segments if s.state in HOME]
    if not home and any(s.state == "unread" for s in segments):
        return Standing("not_captured", segments[-1].meaning, f"{segments[-1].value:.2f} {segments[-1].unit}")
    if not home:
        last = segments[-1]
        return Standing("not_reached", f"No plug is seen by proximity: {last.meaning}", f"{last.value:.2f} {last.unit}")
    short = f"{home[0].value:.2f} V" if home[0].unit == "V" else f"{home[0].value:.0f} Ω"
    return Standing("proven", home[0].meaning, short, home[0].start_s, home[-1].end_s)


def _entries(record: ProximityRecord) -> dict[str, list[dict[str, Any]]]:
    keys = {"start_s", "end_s", "value", "unit", "meaning"}
    return {"proximity": [s.model_dump(include=keys) for s in record.segments]}


def _lines(record: ProximityRecord) -> list[str]:
    return ["Proximity", *(f"  {s.start_s:10.4f} to {s.end_s:10.4f} s  {s.meaning}" for s in record.segments)]


def _marks(record: ProximityRecord, channel: str, role: str) -> Iterator[Mark]:
    if role == "pp" and record.channel == channel:
        yield from (Mark(s.start_s, s.end_s, s.state) for s in record.segments)


LANE = Lane(
    key="proximity",
    title="Proximity",
    record=ProximityRecord,
    rules=RULES,
    subjects=lambda records: records.of(ProximityRecord),
    measure=_measured,
    roles=(ChannelRole("pp", "proximity", "plum", _named, _looks, _doubt, units=("V", "ohm")),),
    landmarks=_landmarks,
    join=apart,
    judges={"proximity": _proximity},
    lines=_lines,
    entries=_entries,
    marks=_marks,
)
