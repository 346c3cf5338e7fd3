"""The captures of a session, each placed on one clock: by shared events, recorded starts or by hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, TypeVar

from gladwire.core.lanes.lane import Landmark
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.records import Record, Records
from gladwire.core.measured import Measured
from gladwire.core.session.alignment import Alignment, by_events, by_recorded_start, landmarks_of
from gladwire.core.session.locking import with_locks_as_used
from gladwire.core.words import seconds

# Recorded starts that say more than this apart are of another plug-in.
_SAME_PLUG_IN_S = 24 * 3600.0
R = TypeVar("R", bound=Record)


class Part(NamedTuple):
    """One capture of a session. by_hand: where a person placed it, if anyone did."""

    name: str
    measured: Measured
    by_hand: Alignment | None = None


class Placed(NamedTuple):
    """A capture on the session's clock. records: its own, moved there once; none where it could not be placed."""

    name: str
    measured: Measured
    alignment: Alignment
    records: Records

    def of(self, kind: type[R]) -> tuple[R, ...]:
        return self.records.of(kind)

    def first(self, kind: type[R]) -> R | None:
        return self.records.first(kind)


def placed_at(part: Part, alignment: Alignment) -> Placed:
    """A capture where an alignment puts it."""
    moved = part.measured.records.moved(alignment.clock) if alignment.how != "none" else Records()
    return Placed(part.name, part.measured, alignment, with_locks_as_used(moved))


def place(parts: Sequence[Part]) -> tuple[Placed, ...]:
    """Every capture on the session's clock, which the first one with a pilot sets (else the first), in the order given.

    Raises ValueError for no capture at all.
    """
    if not parts:
        raise ValueError("a session needs at least one capture")
    alignments = _alignments(parts)
    return tuple(placed_at(part, alignment) for part, alignment in zip(parts, alignments, strict=True))


def _alignments(parts: Sequence[Part]) -> tuple[Alignment, ...]:
    first = next((i for i, p in enumerate(parts) if p.measured.of(PilotRecord)), 0)
    found: dict[int, Alignment] = {first: Alignment(how="first", text="Sets the session's clock.")}
    seen: list[Landmark] = list(landmarks_of(parts[first].measured.records))
    waiting = [i for i in range(len(parts)) if i != first]
    # A capture that only a third one ties to the rest is tried again once that one is placed.
    for _ in range(len(parts)):
        for i in list(waiting):
            alignment = _alignment(parts[first], parts[i], seen)
            if alignment:
                found[i] = alignment
                waiting.remove(i)
                landmarks = landmarks_of(parts[i].measured.records)
                seen += [m._replace(time_s=alignment.clock.on_session(m.time_s)) for m in landmarks]
    for i in waiting:
        text = "Nothing ties it to the others: no shared event, no recorded start. Place it by hand."
        found[i] = Alignment(how="none", text=text)
    return tuple(found[i] for i in range(len(parts)))


def _alignment(first: Part, part: Part, seen: Sequence[Landmark]) -> Alignment | None:
    if part.by_hand:
        return part.by_hand
    recorded = by_recorded_start(first.measured.recorded_at, part.measured.recorded_at)
    if recorded:
        # The word of a file is about its first sample, or about its trigger where time starts before it.
        starts = [min(p.measured.start_s, 0.0) - p.measured.start_s for p in (first, part)]
        recorded = recorded.model_copy(update={"offset_s": recorded.offset_s + starts[1] - starts[0]})
        if abs(recorded.offset_s) > _SAME_PLUG_IN_S:
            recorded = None
    shared = by_events(seen, landmarks_of(part.measured.records), recorded.offset_s if recorded else None)
    if shared is None:
        return recorded
    if recorded is None:
        return shared
    differ = shared.offset_s - recorded.offset_s
    if shared.matched < 2 and abs(differ) > 5.0:
        text = f"{recorded.text} A single event that looks shared would put it {seconds(abs(differ))} elsewhere."
        return recorded.model_copy(update={"text": text})
    if abs(differ) <= (shared.doubt_s or 0.0) and (recorded.doubt_s or 1.0) < (shared.doubt_s or 0.0):
        return recorded.model_copy(update={"text": f"{recorded.text} {_agrees(shared.matched)}"})
    if abs(differ) > max(recorded.doubt_s or 0.0, shared.doubt_s or 0.0):
        return shared.model_copy(update={"text": f"{shared.text} The files' own clocks differ by {_signed(differ)}."})
    return shared


def _agrees(matched: int) -> str:
    return "One event both show agrees." if matched == 1 else f"{matched} events both show agree."


def _signed(value: float) -> str:
    return f"{'+' if value > 0 else '−'}{seconds(abs(value))}"
