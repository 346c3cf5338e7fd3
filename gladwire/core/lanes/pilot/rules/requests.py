"""What the vehicle asks for: C and D, never, once, or over and over."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.pilot.asking import asked_behind, asking_s, requests
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.standards.pilot_levels import BY_LETTER, STATES_SOURCE
from gladwire.core.standards.pilot_timing import (
    BOUNCE_S,
    HUNTING_MIN_REQUESTS,
    PATIENCE_S,
    RESTART_SOURCE,
    SEQUENCES_SOURCE,
    TOGGLE_MAX_S,
)
from gladwire.core.words import ohms, seconds, volts


def _asked(record: PilotRecord) -> Iterator[Fact]:
    asked = requests(record)
    if asked:
        text = (
            f"The vehicle asks for energy ({asked[0].label}) from {asked[0].start_s:.2f} s, {seconds(asking_s(record))}"
        )
        yield Fact("normal", f"{text} in all.", asked[0].start_s, asked[-1].end_s, asked[0].label, "C or D")


def _never_asked(record: PilotRecord) -> Iterator[Fact]:
    offered = [s for s in record.segments if s.state == "B" and s.oscillating]
    total = sum(s.duration_s for s in offered)
    undecided = any(s.state == "unknown" and s.oscillating for s in record.segments) or asked_behind(record) is not None
    if not offered or requests(record) or undecided or not record.sees_oscillation:
        return
    digital = any(s.offer_kind == "digital" for s in offered)
    hint = (
        "at 5 % it first has to reach agreement over the power line; the frames say how far that got"
        if digital
        else "timer, full, preheating, remote hold, or an open request branch (R3)"
    )
    text = f"The offer stands for {seconds(total)} and the vehicle stays in B: it never asks ({hint})."
    severity: Severity = "suspect" if total >= PATIENCE_S else "note"
    yield Fact(severity, text, offered[0].start_s, offered[-1].end_s, f"B for {seconds(total)}", "C or D")


def _behind(record: PilotRecord) -> Iterator[Fact]:
    found = asked_behind(record)
    if found is None:
        return
    waits, asks, ohm = found
    seen = "does not see" if asks.state == "B" else "may not see"
    text = (
        f"At {asks.start_s:.2f} s the level falls from {volts(waits.high_v)} to {volts(asks.high_v)}: B and C of a vehicle "
        f"that asks, both lifted by about {ohms(ohm)} in series with CP or PE. The post {seen} it ask."
    )
    yield Fact("fault", text, asks.start_s, asks.end_s, volts(asks.high_v), f"{BY_LETTER['C'].nominal_v:g} V")


def _hunting(record: PilotRecord) -> Iterator[Fact]:
    asked = requests(record)
    if len(asked) < HUNTING_MIN_REQUESTS:
        return
    span = asked[-1].end_s - asked[0].start_s
    text = (
        f"The vehicle asks and lets go {len(asked)} times in {seconds(span)}: it hunts between B and C. It starts, finds "
        "something it refuses, and tries again."
    )
    yield Fact("fault", text, asked[0].start_s, asked[-1].end_s, f"{len(asked)} requests", "one, or one wake-up toggle")


def _wake_up(record: PilotRecord) -> Iterator[Fact]:
    asked = requests(record)
    if len(asked) not in (1, 2) or asked[0].duration_s > TOGGLE_MAX_S:
        return
    first = record.segments.index(asked[0].segments[0])
    before = record.segments[first - 1].state if first else ""
    if (before, asked[0].then) == ("B", "B"):
        text = f"One toggle B-C-B of {seconds(asked[0].duration_s)}: a vehicle waking the post, healthy by itself."
        yield Fact("normal", text, asked[0].start_s, asked[0].end_s, "one toggle", "one", None, RESTART_SOURCE)


def _ventilation(record: PilotRecord) -> Iterator[Fact]:
    asked = [s for s in record.segments if s.state == "D" and s.duration_s > BOUNCE_S]
    if asked:
        text = "The vehicle asks for ventilation (D): a post without it will not switch on."
        yield Fact("note", text, asked[0].start_s, asked[-1].end_s, "D", "C for most vehicles")


def _ended(record: PilotRecord) -> Iterator[Fact]:
    asked = requests(record)
    after = asked[-1].after if asked else None
    if after and after.state == "B":
        text = f"The vehicle stops asking at {after.start_s:.2f} s (to {after.label}): the orderly way to end."
        how = f"{asked[-1].segments[-1].label} to {after.label}"
        yield Fact("normal", text, after.start_s, after.end_s, how, "C to B", "end")


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule("request", "request", SEQUENCES_SOURCE, "when the vehicle asks", _asked, favours_well=2.5),
    Rule(
        "asked_behind_resistance",
        "pilot",
        STATES_SOURCE,
        "a vehicle that asks through a resistance, so that the post may not see it",
        _behind,
        breaks=("pilot",),
    ),
    Rule(
        "never_asked",
        "request",
        SEQUENCES_SOURCE,
        "an offer nobody takes",
        _never_asked,
        stalls=True,
        follows=("frames", "plug"),
        rank="waiting",
        needs=Needs(reached="offer", seconds=PATIENCE_S),
    ),
    Rule(
        "hunting",
        "request",
        SEQUENCES_SOURCE,
        "asking over and over",
        _hunting,
        breaks=(
            "request",
            "parameters",
        ),
        needs=Needs(reached="request"),
    ),
    Rule(
        "wake_up_toggle",
        "request",
        RESTART_SOURCE,
        "the one toggle that is healthy",
        _wake_up,
        needs=Needs(reached="offer"),
    ),
    Rule("ventilation_asked", "request", SEQUENCES_SOURCE, "state D", _ventilation, favours_well=-2.0),
    Rule(
        "stopped_asking",
        "end",
        SEQUENCES_SOURCE,
        "an orderly end",
        _ended,
        proves=("end",),
        favours_well=0.6,
        needs=Needs(reached="request"),
    ),
)
