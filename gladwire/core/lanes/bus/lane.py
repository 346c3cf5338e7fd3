"""The declaration of a CAN bus: how a log is judged, aligned and told."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from gladwire.core.lanes.bus.judges import JUDGES, begun, story
from gladwire.core.lanes.bus.record import CanRecord, SignalSeen
from gladwire.core.lanes.bus.roles import BY_KEY as ROLES
from gladwire.core.lanes.bus.rules import RULES, closed_at, opened_at
from gladwire.core.lanes.lane import ChannelRole, Landmark, Lane
from gladwire.core.lanes.records import Records

# Sent in cycles, moments of a bus are known no better than these.
_CYCLE_S = 0.1


def _landmarks(bus: CanRecord) -> Iterator[Landmark]:
    """Moments that other captures show, leaving out what held when the log began."""
    plug, lock = bus.of("plug"), bus.of("lock")
    moments = (
        ("plug in", plug.exchanges(True) if plug else None),
        ("lock moves", lock.exchanges(True) if lock else None),
        ("vehicle contactors close", closed_at(bus)),
        ("vehicle contactors open", opened_at(bus)),
    )
    for kind, at in moments:
        if at is not None and at > bus.start_s + _CYCLE_S:
            yield Landmark(at, kind, _CYCLE_S)


def _entries(record: CanRecord) -> dict[str, list[dict[str, Any]]]:
    return {"signals": [s.model_dump(exclude={"choices"}) for s in record.signals]}


def _lines(record: CanRecord) -> list[str]:
    return [f"Bus, named by {record.description or 'nothing given here'}", *(_line(s) for s in record.signals)]


def _line(s: SignalSeen) -> str:
    role = f"  {ROLES[s.role].title}" if s.role else ""
    return f"  {s.name:<44} {s.low:10g} to {s.high:10g} {s.unit:<4}{role}"


_SHOWN = tuple(ROLES[k].title for k in ("pack_v", "inlet_v", "amps", "asked_a", "pin_1_c", "pin_2_c"))


def _folded(records: Records, name: str, unit: str) -> bool:
    return unit not in ("V", "A", "°C") or not any(name.startswith(title) for title in _SHOWN)


LANE = Lane(
    key="bus",
    title="Bus",
    record=CanRecord,
    rules=RULES,
    subjects=lambda records: records.of(CanRecord),
    roles=(ChannelRole("bus", "sent on a bus", ""),),
    landmarks=_landmarks,
    judges=JUDGES,
    story=story,
    tells=3,
    begun=begun,
    lines=_lines,
    entries=_entries,
    folded=_folded,
)
