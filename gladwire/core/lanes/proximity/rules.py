"""Findings about a captured proximity lane."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.proximity.record import HOME, ProximityRecord, ProximitySegment
from gladwire.core.standards.practice import LATCH_STUCK_S, PROXIMITY_GAP_S, PROXIMITY_WRONG_S
from gladwire.core.standards.proximity_codes import CODES_SOURCE, LATCH_SOURCE
from gladwire.core.words import seconds, times


def _value(s: ProximitySegment) -> str:
    return f"{s.value:.2f} V" if s.unit == "V" else f"{s.value:.0f} Ω"


def _read(record: ProximityRecord) -> Iterator[Fact]:
    first = next((s for s in record.segments if s.state in ("latched", "coded", "made")), None)
    if first:
        source = LATCH_SOURCE if first.unit == "V" else CODES_SOURCE
        yield Fact("normal", first.meaning, first.start_s, first.end_s, _value(first), "plugged in", None, source)


def _pressed(record: ProximityRecord) -> Iterator[Fact]:
    for index, s in enumerate(record.segments):
        if s.state != "pressed":
            continue
        before = record.segments[index - 1].state if index else ""
        after = record.segments[index + 1].state if index + 1 < len(record.segments) else ""
        if before in ("", "absent") or after == "absent":
            # Pressed on the way in or out is how the plug is handled; for long it is not.
            if s.duration_s > LATCH_STUCK_S:
                text = (
                    f"The latch reads pressed for {seconds(s.duration_s)}: it is stuck, or a proximity contact resists."
                )
                yield Fact("fault", text, s.start_s, s.end_s, _value(s), "latched")
        else:
            when = f"at {s.start_s:.2f} s for {seconds(s.duration_s)}"
            text = f"The latch is pressed {when} while plugged in: a vehicle stops at once."
            yield Fact("fault", text, s.start_s, s.end_s, _value(s), "latched")


def _intermittent(record: ProximityRecord) -> Iterator[Fact]:
    gaps = [
        s
        for before, s, after in zip(record.segments, record.segments[1:], record.segments[2:], strict=False)
        if before.state in HOME
        and after.state == before.state
        and s.state == "absent"
        and s.duration_s < PROXIMITY_GAP_S
    ]
    if gaps:
        longest = max(gaps, key=lambda s: s.duration_s)
        often = times(len(gaps))
        text = (
            f"Proximity opens {often} while plugged in, for up to {seconds(longest.duration_s)}: a contact gives way."
        )
        yield Fact("fault", text, longest.start_s, longest.end_s, often, "steady")


def _wrong(record: ProximityRecord) -> Iterator[Fact]:
    for s in record.segments:
        if s.state in ("low", "high", "between") and s.duration_s > PROXIMITY_WRONG_S:
            yield Fact("fault", s.meaning, s.start_s, s.end_s, _value(s), "latched, pressed or absent")
        elif s.state == "unread" and s.duration_s > PROXIMITY_WRONG_S:
            text = f"{s.meaning} Say what its pull-up is, or plug in and out while it is watched."
            yield Fact("note", text, s.start_s, s.end_s, _value(s), "a level whose pull-up is known")
        elif s.state == "doubtful":
            text = f"{s.meaning} One of the two remembered interpretation bands refuses it."
            yield Fact("suspect", text, s.start_s, s.end_s, _value(s), "well inside a band", None, CODES_SOURCE)


RULES: tuple[Rule[ProximityRecord], ...] = (
    Rule(
        "proximity_read",
        "proximity",
        LATCH_SOURCE,
        "what proximity says",
        _read,
        rank="telling",
        needs=Needs(reached=""),
    ),
    Rule(
        "latch_pressed",
        "proximity",
        LATCH_SOURCE,
        "a latch pressed while plugged in, or stuck",
        _pressed,
        breaks=("proximity",),
    ),
    Rule(
        "proximity_intermittent",
        "proximity",
        LATCH_SOURCE,
        "a proximity contact that opens",
        _intermittent,
        breaks=("proximity",),
    ),
    Rule("proximity_wrong", "proximity", LATCH_SOURCE, "a value no plug has", _wrong, breaks=("proximity",)),
)
