"""When mains comes and goes: for a request, without one, late, or in the middle of it."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.mains.subject import Ac, begins_asking, ended_early, first_during, flowing, overlap, phases_of
from gladwire.core.lanes.pilot.asking import commands
from gladwire.core.standards.pilot_timing import SEQUENCES_SOURCE, SWITCH_OFF_MAX_S, SWITCH_ON_MAX_S
from gladwire.core.standards.practice import CURRENT_PATIENCE_S, IDLE_MAINS_S, LOST_BEFORE_S, SLACK_S, STAYS_CLOSED_S
from gladwire.core.standards.source import PRACTICE
from gladwire.core.words import seconds


def _switched_on(ac: Ac) -> Iterator[Fact]:
    for ask in commands(ac.segments):
        span = first_during(ac.mains.volts, ask)
        if span is None or span.start_s < ask.start_s - SLACK_S:
            continue
        after = span.start_s - ask.start_s
        if after < SLACK_S and begins_asking(ac, ask):
            text = (
                f"Mains is on from the first sample, in the middle of a request: {span.rms:.0f} V on {phases_of(span)}. When "
                "it was switched on was not captured."
            )
            yield Fact("normal", text, span.start_s, span.end_s, f"{span.rms:.0f} V", SWITCH_ON_MAX_S.says)
            continue
        text = f"Mains is on {seconds(max(after, 0.0))} after the vehicle asks: {span.rms:.0f} V on {phases_of(span)}."
        late = after > SWITCH_ON_MAX_S + SLACK_S
        yield Fact(
            "suspect" if late else "normal",
            text,
            span.start_s,
            span.end_s,
            seconds(max(after, 0.0)),
            SWITCH_ON_MAX_S.says,
        )


def _not_switched_on(ac: Ac) -> Iterator[Fact]:
    if not ac.mains.has_volts:
        return
    for ask in commands(ac.segments):
        if ask.end_s - ask.start_s > SWITCH_ON_MAX_S and first_during(ac.mains.volts, ask) is None:
            asked = seconds(ask.end_s - ask.start_s)
            text = f"The vehicle asks for {asked} and no mains appears behind the contactor."
            yield Fact("fault", text, ask.start_s, ask.end_s, "0 V", f"mains {SWITCH_ON_MAX_S.says}")


def _on_without_request(ac: Ac) -> Iterator[Fact]:
    for span in ac.mains.volts:
        idle = [s for s in ac.segments if s.state in ("A", "B") and overlap(s, span) > SWITCH_OFF_MAX_S]
        # One that opens late is told as that.
        late = sum(
            span.end_s - ask.end_s for ask in commands(ac.segments) if 0 < span.end_s - ask.end_s < STAYS_CLOSED_S
        )
        if sum(overlap(s, span) for s in idle) - late > IDLE_MAINS_S:
            first = max(idle[0].start_s, span.start_s)
            state = idle[0].state
            always = span.start_s < ac.mains.start_s + SLACK_S and span.end_s > ac.mains.end_s - SLACK_S
            upstream = ", or the channel lies before it: take the outlet as live until it is measured" if always else ""
            text = f"Mains is on from {first:.2f} s while the pilot is in {state}: a welded or bridged contactor{upstream}."
            yield Fact(
                "fault", text, first, span.end_s, f"{span.rms:.0f} V in {idle[0].state}", "no mains without C or D"
            )


def _switched_off_late(ac: Ac) -> Iterator[Fact]:
    for ask in commands(ac.segments):
        span = next((s for s in ac.mains.volts if s.start_s < ask.end_s < s.end_s), None)
        after = span.end_s - ask.end_s if span else 0.0
        if span and ask.then and SWITCH_OFF_MAX_S + SLACK_S < after < STAYS_CLOSED_S:
            text = f"Mains stays on for {seconds(after)} after the vehicle lets go of its request."
            yield Fact("suspect", text, ask.end_s, span.end_s, seconds(after), f"off {SWITCH_OFF_MAX_S.says}")


def _lost_with_pilot(ac: Ac) -> Iterator[Fact]:
    """Mains, or its current, and the pilot go at once: who opens its contactor also says so on the pilot."""
    for ask in (ask for ask in commands(ac.segments) if ask.then in ("E", "F")):
        last = flowing(ac, ask)
        live = next((v for v in reversed(ac.mains.volts) if v.start_s < ask.end_s), None)
        shape = f"to {ask.then}: the shape of an earth-fault trip or of a post that stops."
        if last and last.end_s > ask.end_s - LOST_BEFORE_S:
            text = f"Current and pilot go together at {ask.end_s:.2f} s, the pilot {shape}"
        elif live and last is None and abs(live.end_s - ask.end_s) < LOST_BEFORE_S:
            text = f"Mains goes {seconds(live.duration_s)} after it came on, with the pilot {shape}"
        else:
            continue
        yield Fact("fault", text, ask.end_s, ask.end_s, f"pilot to {ask.then}", "C to B first")


def _lost(ac: Ac) -> Iterator[Fact]:
    for ask, last, dead in ended_early(ac):
        ends = f"Current ends at {last.end_s:.2f} s while the vehicle still asks"
        if dead and ac.mains.has_volts:
            text = f"{ends}; mains goes with it: the contactor opened or the supply failed."
            yield Fact("fault", text, last.end_s, ask.end_s, "0 A", "current while asking")
        elif dead and ask.end_s - last.end_s > CURRENT_PATIENCE_S:
            text = f"{ends}; whether mains went with it was not captured."
            yield Fact("note", text, last.end_s, ask.end_s, "0 A", "current while asking")


def _broken_off(ac: Ac) -> Iterator[Fact]:
    """Mains that goes and comes back while the vehicle asks."""
    for ask in commands(ac.segments):
        for before, after in itertools.pairwise(ac.mains.volts):
            if before.start_s < ask.end_s and before.end_s > ask.start_s and after.start_s < ask.end_s:
                gap = after.start_s - before.end_s
                if gap <= 0:
                    continue
                text = (
                    f"Mains goes at {before.end_s:.2f} s while the vehicle asks, and is back {seconds(gap)} later: the "
                    "contactor opened, or the supply failed."
                )
                yield Fact("fault", text, before.end_s, after.start_s, f"0 V for {seconds(gap)}", "mains while asking")


RULES: tuple[Rule[Ac], ...] = (
    Rule(
        "mains_on",
        "energise",
        SEQUENCES_SOURCE,
        "when the contactor closes",
        _switched_on,
        proves=("energise",),
        rank="telling",
        needs=Needs(lanes=("pilot", "mains_v"), reached="request"),
    ),
    Rule(
        "mains_missing",
        "energise",
        SEQUENCES_SOURCE,
        "asked and never switched on",
        _not_switched_on,
        breaks=("energise",),
        needs=Needs(lanes=("pilot", "mains_v"), reached="request"),
    ),
    Rule(
        "mains_without_request",
        "energise",
        SEQUENCES_SOURCE,
        "on although nobody asks",
        _on_without_request,
        breaks=("energise",),
        charges_through=True,
        danger=True,
        needs=Needs(lanes=("pilot", "mains_v"), reached=""),
    ),
    Rule(
        "mains_off_late",
        "end",
        SEQUENCES_SOURCE,
        "slow to switch off",
        _switched_off_late,
        needs=Needs(lanes=("pilot", "mains_v"), reached="end"),
    ),
    Rule(
        "mains_lost_with_pilot",
        "hold",
        PRACTICE,
        "mains and pilot that go together",
        _lost_with_pilot,
        breaks=("hold",),
        needs=Needs(lanes=("pilot", "mains_v"), reached="energise"),
    ),
    Rule(
        "mains_broken_off",
        "hold",
        PRACTICE,
        "mains that goes and comes back while asked for",
        _broken_off,
        breaks=("hold",),
        needs=Needs(lanes=("pilot", "mains_v"), reached="energise"),
    ),
    Rule(
        "current_lost",
        "hold",
        PRACTICE,
        "current that ends while asked for",
        _lost,
        breaks=("hold",),
        needs=Needs(lanes=("pilot", "mains_a"), reached="draw"),
    ),
)
