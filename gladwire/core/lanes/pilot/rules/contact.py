"""Contacts that open and close: interruptions, and a pilot lost while energy was being asked for."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice, takewhile

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards.pilot_levels import BY_LETTER
from gladwire.core.standards.pilot_timing import (
    BOUNCE_S,
    INTERRUPTION_MAX_S,
    PRACTICE_SOURCE,
    SEQUENCES_SOURCE,
    STOP_DRAWING_MAX_S,
    SWITCH_OFF_MAX_S,
)
from gladwire.core.words import seconds, times, volts


def _interruptions(record: PilotRecord) -> Iterator[Fact]:
    gaps = [e for e in record.events if e.kind == "interruption"]
    if not gaps:
        return
    longest = max(gaps, key=lambda e: e.end_s - e.time_s)
    length = seconds(longest.end_s - longest.time_s)
    text = (
        f"The pilot is interrupted {times(len(gaps))}; the longest lasts {length}, at {longest.time_s:.3f} s. A contact "
        "opens and closes: a recessed or worn pin, a plug under strain, a broken core."
    )
    asking = any(s.state in "CD" and s.start_s < longest.time_s for s in record.segments)
    stage = "hold" if asking else "pilot"
    measured = f"{len(gaps)}, longest {length}"
    yield Fact("fault" if len(gaps) > 1 else "suspect", text, longest.time_s, longest.end_s, measured, "none", stage)


def _lost_while_asking(record: PilotRecord) -> Iterator[Fact]:
    for index in range(1, len(record.segments)):
        before, after = record.segments[index - 1], record.segments[index]
        if before.state not in ("C", "D"):
            continue
        stays_s = _stay_s(record.segments, index)
        # Until the capture's end: whether it would have come back, nobody knows.
        to_the_end = after.start_s + stays_s > record.end_s - 1e-3 and stays_s > SWITCH_OFF_MAX_S
        if stays_s <= INTERRUPTION_MAX_S and not to_the_end:
            continue
        if after.state == "A":
            text = (
                f"{before.label} goes straight to {after.label} at {after.start_s:.2f} s: the pilot opened while the "
                "vehicle was still asking. A plug drawn without stopping first, or a contact that gave way."
            )
            yield Fact("fault", text, after.start_s, after.end_s, volts(after.high_v), "C to B before A")
        elif after.state == "unknown" and after.nearest != "unknown":
            text = f"While asking, the level left its band for {volts(after.high_v)} at {after.start_s:.2f} s."
            expected = f"{BY_LETTER[before.state].nominal_v:g} V"
            yield Fact("fault", text, after.start_s, after.end_s, volts(after.high_v), expected)


def _stay_s(segments: tuple[Segment, ...], index: int) -> float:
    """How long the state of the segment at index lasts from there on, oscillating or not."""
    state = segments[index].state
    same = takewhile(lambda s: s.state == state, islice(segments, index, None))
    return sum(s.duration_s for s in same)


def _oscillation_stopped(record: PilotRecord) -> Iterator[Fact]:
    if not record.sees_oscillation:
        return
    for before, after in zip(record.segments[:-1], record.segments[1:], strict=True):
        steady_same = before.oscillating and not after.oscillating and before.state == after.state
        if steady_same and before.state in ("C", "D") and after.duration_s > BOUNCE_S:
            text = (
                f"At {after.start_s:.2f} s the post stops oscillating while the vehicle still asks ({before.label} to "
                f"{after.label}): the post withdraws its offer, and the vehicle has {STOP_DRAWING_MAX_S.says} "
                "to stop drawing."
            )
            yield Fact("suspect", text, after.start_s, after.end_s, "steady", "oscillation while asking")


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule(
        "pilot_interrupted",
        "pilot",
        PRACTICE_SOURCE,
        "contacts that open for an instant",
        _interruptions,
        breaks=(
            "pilot",
            "hold",
        ),
        needs=Needs(rate_hz=1e3),
    ),
    Rule(
        "pilot_lost_while_asking",
        "hold",
        SEQUENCES_SOURCE,
        "C to A or to no state",
        _lost_while_asking,
        breaks=("hold",),
        needs=Needs(reached="request"),
    ),
    Rule(
        "offer_withdrawn",
        "hold",
        SEQUENCES_SOURCE,
        "oscillation ends while asking",
        _oscillation_stopped,
        breaks=("hold",),
        breaks_from="suspect",
        needs=Needs(reached="request"),
    ),
)
