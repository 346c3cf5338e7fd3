"""What the post does by itself: oscillates with nothing connected, is stuck, is not there."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards.pilot_levels import BY_LETTER, STATES_SOURCE
from gladwire.core.standards.pilot_timing import (
    INTERRUPTION_MAX_S,
    OSCILLATION_AFTER_UNPLUG_MAX_S,
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
        yield Fact("fault", text, s.start_s, s.end_s, f"oscillating at {volts(s.high_v)}", "steady +12 V")


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


def _withdrawn(record: PilotRecord) -> Iterator[Fact]:
    """E or F for a while within a capture that shows more than that."""
    if max(_share(record, "E"), _share(record, "F")) >= STUCK_SHARE:
        return
    for index, s in enumerate(record.segments):
        if s.state not in ("E", "F") or s.oscillating or s.duration_s <= INTERRUPTION_MAX_S:
            continue
        before, after = _neighbours(record.segments, index)
        if before in "BCD" and after in "BCD" and s.duration_s >= RESTART_MATCHING_MIN_S and before == "B":
            text = f"The post showed {s.state} for {seconds(s.duration_s)} and came back: it asks to be matched anew."
            yield Fact(
                "note",
                text,
                s.start_s,
                s.end_s,
                seconds(s.duration_s),
                RESTART_MATCHING_MIN_S.says,
                None,
                RESTART_SOURCE,
            )
        else:
            means = BY_LETTER[s.state].means
            text = f"The pilot went to {volts(s.high_v)} ({s.state}) for {seconds(s.duration_s)}: {means}."
            stage = "hold" if before in ("C", "D") else "pilot"
            yield Fact("fault", text, s.start_s, s.end_s, volts(s.high_v), f"{before or 'a state A to D'}", stage)


def _neighbours(segments: tuple[Segment, ...], index: int) -> tuple[str, str]:
    before = segments[index - 1].state if index else ""
    after = segments[index + 1].state if index + 1 < len(segments) else ""
    return before, after


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
        "E or F in the middle of a session",
        _withdrawn,
        breaks=(
            "pilot",
            "hold",
        ),
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
