"""What the post does by itself: oscillates with nothing connected, is stuck, is not there."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.pilot.events import interruptions
from gladwire.core.lanes.pilot.place import probe_place
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards.pilot_levels import STATES_SOURCE
from gladwire.core.standards.pilot_timing import (
    BOUNCE_S,
    OSCILLATION_AFTER_UNPLUG_MAX_S,
    PRACTICE_SOURCE,
    RESTART_MATCHING_MIN_S,
    RESTART_SOURCE,
    SEQUENCES_SOURCE,
    STUCK_SHARE,
)
from gladwire.core.words import seconds, volts


def _share(record: PilotRecord, letter: str) -> float:
    total = record.end_s - record.start_s
    return sum(s.duration_s for s in record.segments if s.state == letter) / total if total else 0.0


def _oscillating_alone(record: PilotRecord) -> Iterator[Fact]:
    for index, s in enumerate(record.segments):
        if s.state != "A" or not s.oscillating:
            continue
        before = record.segments[index - 1] if index else None
        after_plug = before is not None and before.state in "BCD"
        if after_plug and s.duration_s <= OSCILLATION_AFTER_UNPLUG_MAX_S:
            continue  # the plug was just drawn, or a contact opened; other rules speak of that
        begins = f"The pilot oscillates at {volts(s.high_v)} and {volts(s.low_v or 0.0)}"
        text = (
            f"{begins} for {seconds(s.duration_s)} after the vehicle left."
            if after_plug
            else f"{begins} with nothing connected. It looks like a waiting vehicle at a glance, and a vehicle may even "
            "accept it; a healthy post is steady until a vehicle is there."
        )
        # A vehicle that came and asked all the same did not mind.
        went_on = not after_plug and any(t.state in ("C", "D") for t in record.segments[index + 1 :])
        severity: Severity = "suspect" if went_on else "fault"
        yield Fact(severity, text, s.start_s, s.end_s, f"oscillating at {volts(s.high_v)}", "steady +12 V")


def _stuck_at_zero(record: PilotRecord) -> Iterator[Fact]:
    if _share(record, "E") < STUCK_SHARE:
        return
    level = max(record.segments, key=lambda s: s.duration_s).high_v
    text = (
        f"The pilot stays at {volts(level)} throughout: shorted to PE, the post off or in error, or the probe on a wire "
        "that is not connected."
    )
    yield Fact("fault", text, record.start_s, record.end_s, volts(level), "steady +12 V, or a state B to D")


def _stuck_at_minus_twelve(record: PilotRecord) -> Iterator[Fact]:
    if _share(record, "F") < STUCK_SHARE:
        return
    level = max(record.segments, key=lambda s: s.duration_s).high_v
    text = f"The pilot stays at {volts(level)} throughout: the post declares itself not available (F)."
    yield Fact("fault", text, record.start_s, record.end_s, volts(level), "steady +12 V, or a state B to D")


def _stands_in(record: PilotRecord, letter: str) -> Iterator[tuple[Segment, str, str]]:
    """Each stretch of steady E or F within a capture that shows more, with the states before and after it."""
    if max(_share(record, "E"), _share(record, "F")) >= STUCK_SHARE:
        return
    contacts = set(interruptions(record.segments))
    for index, s in enumerate(record.segments):
        if s.state == letter and not s.oscillating and s.duration_s >= BOUNCE_S and index not in contacts:
            yield (s, *_neighbours(record.segments, index))


def _drawn_in_order(record: PilotRecord) -> Iterator[Fact]:
    if probe_place(record.segments) == "post":
        return
    for s, before, _ in _stands_in(record, "E"):
        if before and _over(record, s):
            text = (
                f"The pilot reads {volts(s.high_v)} from {s.start_s:.2f} s on, after the vehicle stopped asking and the "
                "offer ended: a plug drawn in order, if it is read at the vehicle; at the post, an error of it."
            )
            yield Fact("note", text, s.start_s, s.end_s, volts(s.high_v), "0 V at an inlet with no plug")


def _over(record: PilotRecord, at: Segment) -> bool:
    """Whether a charge had come to its orderly end before: asked, let go, and the offer taken back."""
    before = [
        s for s in record.segments if s.end_s <= at.start_s + BOUNCE_S and s.duration_s >= BOUNCE_S and s is not at
    ]
    asked = any(s.state in ("C", "D") for s in before)
    return asked and bool(before) and before[-1].state == "B" and not before[-1].oscillating


def _is_restart(s: Segment, before: str, after: str) -> bool:
    return (before, after) == ("B", "B") and s.duration_s >= RESTART_MATCHING_MIN_S


def _restarted(record: PilotRecord) -> Iterator[Fact]:
    place = probe_place(record.segments)
    for letter in "EF":
        for s, before, after in _stands_in(record, letter):
            if _is_restart(s, before, after):
                lasted = seconds(s.duration_s)
                text = f"The pilot showed {letter} for {lasted} and came back: the post asks to be matched anew"
                text += "." if letter == "F" or place == "post" else ", or, read at the vehicle, the plug was out."
                yield Fact(
                    "note", text, s.start_s, s.end_s, lasted, RESTART_MATCHING_MIN_S.says
                )  # fmt: skip


def _to_minus_twelve(record: PilotRecord) -> Iterator[Fact]:
    for s, before, after in _stands_in(record, "F"):
        if not before or _is_restart(s, before, after):
            continue
        how = f"The post went to {volts(s.high_v)} (F) at {s.start_s:.2f} s for {seconds(s.duration_s)}"
        text = (
            f"{how}: not available. An open wire cannot do that; the post's own error, a trip of it, or being taken out "
            "of use can."
        )
        yield Fact("fault", text, s.start_s, s.end_s, volts(s.high_v), f"a state A to {before}", _stage_after(before))


def _to_zero(record: PilotRecord) -> Iterator[Fact]:
    place = probe_place(record.segments)
    for s, before, after in _stands_in(record, "E"):
        if not before or place == "inlet" or _is_restart(s, before, after) or _at_rest_before(record, s):
            continue
        who = "the post's own error or trip, or CP shorted to PE"
        if place != "post" and _over(record, s):
            continue
        if place == "post":
            who = f"{who}; an open contact would read 12 V here"
        else:
            who = f"{who}; with the probe at the vehicle also a contact that opened"
        text = f"The pilot went to {volts(s.high_v)} (E) at {s.start_s:.2f} s for {seconds(s.duration_s)}: {who}."
        yield Fact("fault", text, s.start_s, s.end_s, volts(s.high_v), f"a state A to {before}", _stage_after(before))


def _at_rest_before(record: PilotRecord, s: Segment) -> bool:
    """Whether nothing was plugged in yet, as far as the pilot shows."""
    return all(other.state == "A" for other in record.segments if other.start_s < s.start_s)


def _from_rest(record: PilotRecord) -> Iterator[Fact]:
    """0 V before any vehicle was seen: at the post, for an inlet without a plug shows no 12 V."""
    for s, before, after in _stands_in(record, "E"):
        if before and _at_rest_before(record, s) and not _is_restart(s, before, after):
            text = (
                f"The pilot falls from 12 V to {volts(s.high_v)} at {s.start_s:.2f} s for {seconds(s.duration_s)}, before "
                "any vehicle was seen: what was plugged in then pulls CP to PE, or the post went off or into error."
            )
            yield Fact("fault", text, s.start_s, s.end_s, volts(s.high_v), "12 V, then 9 V with a vehicle")


def _gone_at_inlet(record: PilotRecord) -> Iterator[Fact]:
    """0 V at the vehicle's end after a state: a plug drawn after the request is the usual end."""
    if probe_place(record.segments) != "inlet":
        return
    for s, before, after in _stands_in(record, "E"):
        if before in ("C", "D") and not _is_restart(s, before, after):
            text = (
                f"The pilot, read at the vehicle as it seems, went to {volts(s.high_v)} at {s.start_s:.2f} s while energy "
                "was asked for: a plug drawn, a contact that opened, or the post in error; a probe at the post tells which."
            )
            yield Fact("fault", text, s.start_s, s.end_s, volts(s.high_v), "C to B before", "hold")


def _stage_after(before: str) -> str:
    return "hold" if before in ("C", "D") else "pilot"


def _before_plug_in(record: PilotRecord) -> Iterator[Fact]:
    first = record.segments[0] if record.segments else None
    if first and probe_place(record.segments) == "inlet":
        text = (
            f"{volts(first.high_v)} until {first.end_s:.2f} s, then {record.segments[1].label}: as read at the vehicle, "
            "where 0 V stand until the plug makes contact; a post that was off reads so too."
        )
        yield Fact("normal", text, first.start_s, first.end_s, volts(first.high_v), "0 V at an inlet with no plug")


def _neighbours(segments: tuple[Segment, ...], index: int) -> tuple[str, str]:
    """States before and after a segment, "" where there is none; the edge between two is none of them."""
    before = (s.state for s in reversed(segments[:index]) if s.state != "unknown" or s.duration_s >= BOUNCE_S)
    after = (s.state for s in segments[index + 1 :] if s.state != "unknown" or s.duration_s >= BOUNCE_S)
    return next(before, ""), next(after, "")


def _no_pilot(record: PilotRecord) -> Iterator[Fact]:
    if any(s.state != "unknown" for s in record.segments) or not record.interpretation.levels_trusted:
        return
    if record.interpretation.kind == "other":
        why = record.interpretation.why[-1]
        text = f"Nothing is told of the pilot by this channel. {why}"
        yield Fact("suspect", text, record.start_s, record.end_s, "no pilot's levels", "+12, +9, +6, +3, 0 or -12 V")
        return
    if not record.interpretation.is_pilot_like:
        share = f"{100 * record.interpretation.erratic_share:.0f} %"
        text = (
            f"Nothing here is a control pilot: {share} of it is neither steady nor switching between two levels. It may "
            "be another channel, mains pick-up, or a probe that hangs free."
        )
        yield Fact(
            "suspect", text, record.start_s, record.end_s, f"{share} without a level", "steady, or two levels at 1 kHz"
        )
        return
    levels = ", ".join(dict.fromkeys(volts(s.high_v) for s in record.segments[:4] if s.nearest != "unknown"))
    why = f"{levels} fit no state under any usual probe factor or polarity" if levels else "no level stays put"
    text = f"Nothing here is a control pilot: {why}."
    yield Fact("suspect", text, record.start_s, record.end_s, levels, "+12, +9, +6, +3, 0 or -12 V")


def _nothing_connected(record: PilotRecord) -> Iterator[Fact]:
    if record.segments and all(s.state == "A" and not s.oscillating for s in record.segments):
        level = max(record.segments, key=lambda s: s.duration_s).high_v
        text = (
            f"Steady {volts(level)} throughout, no oscillation: right for a post with nothing plugged in. If a plug was "
            "in, its pilot contact is not made, whatever the lamp says; push it fully home and look again."
        )
        yield Fact("note", text, record.start_s, record.end_s, volts(level), "+12 V steady with nothing connected")


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule(
        "oscillating_without_vehicle",
        "pilot",
        SEQUENCES_SOURCE,
        "a post that offers to nobody",
        _oscillating_alone,
        breaks=("pilot",),
        needs=Needs(reached="", probe="post"),
    ),
    Rule(
        "pilot_stuck_at_zero",
        "pilot",
        STATES_SOURCE,
        "0 V throughout",
        _stuck_at_zero,
        breaks=("pilot",),
        needs=Needs(reached=""),
    ),
    Rule(
        "post_not_available",
        "pilot",
        STATES_SOURCE,
        "-12 V throughout",
        _stuck_at_minus_twelve,
        breaks=("pilot",),
        needs=Needs(reached=""),
    ),
    Rule(
        "pilot_withdrawn",
        "pilot",
        STATES_SOURCE,
        "-12 V in the middle of a session",
        _to_minus_twelve,
        breaks=("pilot", "hold"),
    ),
    Rule(
        "pilot_to_zero",
        "pilot",
        STATES_SOURCE,
        "0 V in the middle of a session",
        _to_zero,
        breaks=("pilot", "hold"),
    ),
    Rule(
        "pilot_falls_from_rest",
        "pilot",
        STATES_SOURCE,
        "0 V before any vehicle was seen",
        _from_rest,
        breaks=("pilot",),
    ),
    Rule(
        "zero_after_the_end",
        "end",
        STATES_SOURCE,
        "0 V after an orderly end",
        _drawn_in_order,
        needs=Needs(reached="request"),
    ),
    Rule(
        "pilot_gone_at_inlet",
        "hold",
        STATES_SOURCE,
        "0 V at the vehicle's end while asking",
        _gone_at_inlet,
        breaks=("hold",),
        needs=Needs(reached="request", probe="vehicle"),
    ),
    Rule(
        "matching_restarted",
        "pilot",
        RESTART_SOURCE,
        "a post that asks to be matched anew",
        _restarted,
        needs=Needs(seconds=RESTART_MATCHING_MIN_S),
    ),
    Rule(
        "seen_at_the_inlet",
        "pilot",
        PRACTICE_SOURCE,
        "0 V before the plug makes contact",
        _before_plug_in,
        needs=Needs(probe="vehicle"),
    ),
    Rule(
        "no_pilot",
        "pilot",
        STATES_SOURCE,
        "a signal that is no pilot",
        _no_pilot,
        undecided=True,
        rank="capture",
        favours_well=-5.0,
        needs=Needs(reached=""),
    ),
    Rule(
        "nothing_connected",
        "pilot",
        STATES_SOURCE,
        "a post alone, or a plug not made",
        _nothing_connected,
        rank="waiting",
        needs=Needs(reached=""),
    ),
)
