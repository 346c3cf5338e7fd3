"""Moments of change, derived from neighbouring segments."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from gladwire.core.lanes.pilot.place import probe_place
from gladwire.core.lanes.pilot.record import Event, Segment
from gladwire.core.standards.pilot_timing import BOUNCE_S, INTERRUPTION_MAX_S, PLUG_IN_S

_OFFER_CHANGE_PERCENT = 0.5
_CONTACT_BOUNCE_S = 0.02


def events_between(segments: Sequence[Segment]) -> list[Event]:
    """Changes of state, of oscillation and of offer, and the drop-outs among them, in order of time."""
    events = [event for pair in itertools.pairwise(segments) for event in _changes(*pair)]
    events += [interruption(segments, index) for index in interruptions(segments)]
    return sorted(events, key=lambda e: e.time_s)


def _changes(before: Segment, after: Segment) -> list[Event]:
    def event(kind: str, text: str) -> Event:
        return Event.model_validate({"kind": kind, "time_s": after.start_s, "end_s": after.start_s, "text": text})

    found = []
    if before.state != after.state:
        found.append(event("state", f"{before.label} to {after.label}"))
    if before.oscillating != after.oscillating:
        found.append(event("oscillation", "oscillation starts" if after.oscillating else "oscillation stops"))
    if offer_changed(before, after):
        found.append(event("offer", f"duty {before.duty_percent:.1f} % to {after.duty_percent:.1f} %"))
    return found


def offer_changed(before: Segment, after: Segment) -> bool:
    """True where the duty moved by more than both doubts allow and by at least half a percent."""
    if before.duty_percent is None or after.duty_percent is None:
        return False
    doubt = (before.duty_doubt_percent or 0.0) + (after.duty_doubt_percent or 0.0)
    return abs(after.duty_percent - before.duty_percent) > max(_OFFER_CHANGE_PERCENT, doubt)


def interruptions(segments: Sequence[Segment]) -> list[int]:
    """Indices of short segments between two of one connected state: contacts that opened and closed again.

    -12 V comes from the post alone, and 0 V at the post is no open wire: what stays so is no contact's. While a plug is
    pushed home or drawn its contacts bounce.
    """
    found = []
    at_post = probe_place(segments) == "post"
    moved = _plug_moved(segments)
    for index in range(1, len(segments) - 1):
        before, gap, after = segments[index - 1], segments[index], segments[index + 1]
        same = before.state == after.state and before.state in "BCD" and before.oscillating == after.oscillating
        lost = gap.state in ("A", "E", "F", "unknown") or gap.oscillating != before.oscillating
        stood = not gap.oscillating and gap.duration_s >= BOUNCE_S
        of_post = stood and (gap.state == "F" or (gap.state == "E" and at_post))
        if same and lost and gap.duration_s <= INTERRUPTION_MAX_S and not of_post and not _asks_weakly(before, gap):
            bounces = not before.oscillating and any(first <= gap.start_s <= last for first, last in moved)
            found += [index] if not bounces else []
    return found


def _plug_moved(segments: Sequence[Segment]) -> list[tuple[float, float]]:
    """(from, to), in which a plug was being pushed home or drawn."""
    found = []
    for before, after in itertools.pairwise(segments):
        if before.state in "AE" and before.duration_s > BOUNCE_S and after.state == "B" and not after.oscillating:
            found.append((after.start_s, after.start_s + PLUG_IN_S))
        if before.state == "B" and after.state in "AE" and after.duration_s > BOUNCE_S and not after.oscillating:
            found.append((after.start_s - PLUG_IN_S, after.start_s))
    return found


def _asks_weakly(before: Segment, gap: Segment) -> bool:
    """A lower level that is no state, held for a while on a running oscillation: a load, not an open contact."""
    lower = gap.state == "unknown" and 0 < gap.high_v < before.high_v
    return lower and gap.oscillating and gap.duration_s > _CONTACT_BOUNCE_S


def interruption(segments: Sequence[Segment], index: int) -> Event:
    gap = segments[index]
    text = f"{segments[index - 1].label} interrupted for {1000 * gap.duration_s:.3g} ms, level {gap.high_v:.1f} V"
    return Event(kind="interruption", time_s=gap.start_s, end_s=gap.end_s, text=text)
