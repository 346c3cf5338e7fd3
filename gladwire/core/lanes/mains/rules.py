"""Findings about mains against the pilot: contactor, current, offer."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import NamedTuple

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.mains.record import MainsRecord, Span
from gladwire.core.lanes.pilot.asking import Ask, commands
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards import pilot_duty
from gladwire.core.standards.pilot_timing import (
    FOLLOW_OFFER_MAX_S,
    SEQUENCES_SOURCE,
    SWITCH_OFF_MAX_S,
    SWITCH_ON_MAX_S,
)
from gladwire.core.standards.practice import (
    CURRENT_PATIENCE_S,
    DIP_BEFORE_S,
    IDLE_MAINS_S,
    LESS_SHARE,
    LEVEL_STAYS_S,
    LOST_BEFORE_S,
    OVER_OFFER_A,
    OVER_OFFER_S,
    OVER_OFFER_SHARE,
    SLACK_S,
    STAYS_CLOSED_S,
)
from gladwire.core.standards.source import PRACTICE
from gladwire.core.standards.supply import DIP_SHARE, DIP_SOURCE
from gladwire.core.words import amps, number_of, seconds

# Offers that follow each other closer than this meet.
_NEXT_S = 1.0


class Offer(NamedTuple):
    """Amperes offered for a time, 0 where the duty tells none; most_a: at the upper end of what is left open. taken: it is
    asked for meanwhile."""

    start_s: float
    end_s: float
    amps: float
    most_a: float
    taken: bool


class Ac(NamedTuple):
    """A pilot, where one was captured, and the mains beside it."""

    pilot: PilotRecord | None
    mains: MainsRecord

    @property
    def segments(self) -> tuple[Segment, ...]:
        return self.pilot.segments if self.pilot else ()

    @property
    def offers(self) -> list[Offer]:
        """By the pilot, or where none was captured by what a logger says; there who draws has asked."""
        if self.pilot is None:
            return [Offer(s.start_s, s.end_s, s.rms, s.rms, True) for s in self.mains.offered if s.rms > 0]
        return [
            Offer(s.start_s, s.end_s, s.advertised_current_a or 0.0, _most_offered(s), s.state in ("C", "D"))
            for s in self.segments
        ]

    @property
    def follow_s(self) -> float:
        """How long a vehicle may take to follow an offer, as far as the samples show it."""
        return FOLLOW_OFFER_MAX_S + 2.0 * self.mains.step_s


def _first_during(spans: tuple[Span, ...], ask: Ask) -> Span | None:
    return next((s for s in spans if s.end_s > ask.start_s and s.start_s < ask.end_s), None)


def _switched_on(ac: Ac) -> Iterator[Fact]:
    for ask in commands(ac.segments):
        span = _first_during(ac.mains.volts, ask)
        if span is None or span.start_s < ask.start_s - SLACK_S:
            continue
        after = span.start_s - ask.start_s
        text = f"Mains is on {seconds(max(after, 0.0))} after the vehicle asks: {span.rms:.0f} V on {_phases(span)}."
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
        if ask.end_s - ask.start_s > SWITCH_ON_MAX_S and _first_during(ac.mains.volts, ask) is None:
            asked = seconds(ask.end_s - ask.start_s)
            text = f"The vehicle asks for {asked} and no mains appears behind the contactor."
            yield Fact("fault", text, ask.start_s, ask.end_s, "0 V", f"mains {SWITCH_ON_MAX_S.says}")


def _on_without_request(ac: Ac) -> Iterator[Fact]:
    for span in ac.mains.volts:
        idle = [s for s in ac.segments if s.state in ("A", "B") and _overlap(s, span) > SWITCH_OFF_MAX_S]
        if sum(_overlap(s, span) for s in idle) > IDLE_MAINS_S:
            first = max(idle[0].start_s, span.start_s)
            state = idle[0].state
            text = (
                f"Mains is on from {first:.2f} s while the pilot is in {state}: a welded contactor, or it was bridged."
            )
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


def _draws(ac: Ac) -> Iterator[Fact]:
    asks = commands(ac.segments)
    spans = [_first_during(ac.mains.amps, ask) for ask in asks] if ac.pilot else ac.mains.amps
    for span in spans:
        if span:
            much = f"{amps(span.rms)} on {_phases(span)}, for {seconds(span.duration_s)}"
            text = f"Current flows from {span.start_s:.2f} s: {much}."
            yield Fact("normal", text, span.start_s, span.end_s, amps(span.rms), "up to the offer")


def _some_phases(ac: Ac) -> Iterator[Fact]:
    for span in ac.mains.amps:
        live = next((v for v in ac.mains.volts if v.start_s < span.end_s and v.end_s > span.start_s), None)
        if live and 0 < span.phases < live.phases:
            text = (
                f"Voltage stands on {_phases(live)} and current flows on {_phases(span)} ({', '.join(span.carried_by)}): "
                "an on-board charger with fewer phases, or a phase lost behind the contactor."
            )
            yield Fact("note", text, span.start_s, span.end_s, _phases(span), _phases(live))


def _dipped(ac: Ac) -> Iterator[Fact]:
    for dip in ac.mains.dips:
        ends = [s.end_s for s in (*ac.mains.amps, *ac.mains.volts)]
        before = any(-0.1 < end - dip.end_s < DIP_BEFORE_S for end in ends)
        severity: Severity = "suspect" if before else "note"
        what = "just before the session goes" if before else "and the session holds"
        text = f"Mains dips to {dip.rms:.0f} V for {seconds(dip.duration_s)} at {dip.start_s:.2f} s, {what}."
        yield Fact(severity, text, dip.start_s, dip.end_s, f"{dip.rms:.0f} V", DIP_SHARE.says)


def _followed(ac: Ac) -> Iterator[Fact]:
    """Where the offer falls below what flows: how long the current takes to come under it."""
    for before, after in itertools.pairwise(ac.offers):
        meet = after.start_s < before.end_s + _NEXT_S
        if not 0.0 < after.amps < before.amps or not after.taken or not meet:
            continue
        at = after.start_s
        flowing = next((x for x in ac.mains.levels if x.start_s <= at < x.end_s), None)
        limit = after.most_a * OVER_OFFER_SHARE + OVER_OFFER_A
        obeyed = next((x for x in ac.mains.levels if at <= x.start_s and x.rms <= limit), None)
        if flowing and flowing.rms > limit and obeyed and obeyed.start_s - at <= ac.follow_s:
            took = seconds(obeyed.start_s - at)
            text = f"The offer falls to {amps(after.amps)} at {at:.2f} s and the current follows within {took}."
            yield Fact("normal", text, at, obeyed.start_s, took, FOLLOW_OFFER_MAX_S.says)


def _reduced(ac: Ac) -> Iterator[Fact]:
    """A lower level while the same offer stands, unless the vehicle is only ramping down to its end."""
    for before, after in itertools.pairwise(ac.mains.levels):
        at = after.start_s
        offer = next((o for o in ac.offers if o.taken and o.start_s <= at - ac.follow_s and at < o.end_s), None)
        gone = after.start_s - before.end_s > 0.5
        if offer is None or gone or after.duration_s < LEVEL_STAYS_S:
            continue
        if after.rms < LESS_SHARE * before.rms and before.duration_s >= LEVEL_STAYS_S:
            offered = f"{amps(offer.amps)} still offered" if offer.amps else ""
            text = f"The vehicle draws {amps(after.rms)} from {at:.2f} s on, {amps(before.rms)} before; {offered}."
            yield Fact("suspect", text, at, after.end_s, amps(after.rms), amps(before.rms))


def _below_offer(ac: Ac) -> Iterator[Fact]:
    """Steadily less than is offered: usually the size of the on-board charger."""
    for o in ac.offers:
        if not (o.taken and o.amps):
            continue
        levels = [x for x in ac.mains.levels if min(o.end_s, x.end_s) - max(o.start_s, x.start_s) > LEVEL_STAYS_S]
        most = max((x.rms for x in levels), default=o.amps)
        if most < LESS_SHARE * o.amps:
            text = f"{amps(o.amps)} is offered and {amps(most)} is the most that is drawn: the vehicle sets the limit."
            yield Fact("note", text, o.start_s, o.end_s, amps(most), f"up to {amps(o.amps)}")
            return


def _no_current(ac: Ac) -> Iterator[Fact]:
    if not ac.mains.has_amps:
        return
    for ask in commands(ac.segments):
        volts = _first_during(ac.mains.volts, ask)
        waited = ask.end_s - max(ask.start_s, volts.start_s) if volts else 0.0
        if volts and waited > CURRENT_PATIENCE_S and _first_during(ac.mains.amps, ask) is None:
            text = f"Mains is on for {seconds(waited)} and no current flows: the vehicle's charger does not start."
            yield Fact("fault", text, volts.start_s, ask.end_s, "0 A", "current up to the offer")


def _over_offer(ac: Ac) -> Iterator[Fact]:
    for o in ac.offers:
        if not (o.taken and o.amps):
            continue
        limit = o.most_a * OVER_OFFER_SHARE + OVER_OFFER_A
        for level in ac.mains.levels:
            start, end = max(o.start_s, level.start_s), min(o.end_s, level.end_s)
            # What is left of a higher offer may flow on until the vehicle has had its time to follow.
            late = end - max(start, o.start_s + ac.follow_s)
            if level.rms > limit and late > OVER_OFFER_S:
                offered = amps(o.amps)
                text = (
                    f"The vehicle draws {amps(level.rms)} while {offered} is offered, "
                    f"beyond the {FOLLOW_OFFER_MAX_S.amount} to follow."
                )
                yield Fact("fault", text, start, end, amps(level.rms), f"up to {offered}")


def _most_offered(s: Segment) -> float:
    """The current offered at the upper end of what the sampling leaves open about the duty."""
    duty = min((s.duty_percent or 0.0) + (s.duty_doubt_percent or 0.0), 96.0)
    return max(s.advertised_current_a or 0.0, pilot_duty.offer(duty).current_a or 0.0)


def _lost(ac: Ac) -> Iterator[Fact]:
    for ask in commands(ac.segments):
        flowing = [s for s in ac.mains.amps if s.end_s > ask.start_s and s.start_s < ask.end_s]
        last = flowing[-1] if flowing else None
        if last is None or last.end_s > ask.end_s - LOST_BEFORE_S:
            if last and ask.then in ("E", "F"):
                gone = f"Current and pilot go together at {ask.end_s:.2f} s, the pilot to {ask.then}"
                text = f"{gone}: the shape of an earth-fault trip or of a post that stops."
                yield Fact("fault", text, ask.end_s, ask.end_s, f"pilot to {ask.then}", "C to B first")
            continue
        dead = ac.mains.has_volts and all(v.end_s < last.end_s + 0.1 or v.start_s > last.end_s for v in ac.mains.volts)
        what = (
            "mains goes with it: the contactor opened or the supply failed" if dead else "the vehicle stopped drawing"
        )
        if dead or ask.end_s - last.end_s > CURRENT_PATIENCE_S:
            text = f"Current ends at {last.end_s:.2f} s while the vehicle still asks; {what}."
            yield Fact("fault" if dead else "note", text, last.end_s, ask.end_s, "0 A", "current while asking")


def _overlap(s: Segment, span: Span) -> float:
    return min(s.end_s, span.end_s) - max(s.start_s, span.start_s)


def _phases(span: Span) -> str:
    return number_of(span.phases, "phase")


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
        "current_flows",
        "draw",
        PRACTICE,
        "what the vehicle draws",
        _draws,
        proves=(
            "energise",
            "draw",
        ),
        rank="telling",
        favours_well=1.0,
        needs=Needs(lanes=("mains_a",), reached="energise"),
    ),
    Rule(
        "phases_unused",
        "draw",
        PRACTICE,
        "phases that carry no current",
        _some_phases,
        needs=Needs(lanes=("mains_v", "mains_a")),
    ),
    Rule(
        "offer_followed",
        "draw",
        SEQUENCES_SOURCE,
        "a lower offer obeyed",
        _followed,
        derates="normal",
        favours_well=-2.0,
        needs=Needs(lanes=("pilot", "mains_a")),
    ),
    Rule(
        "current_reduced",
        "hold",
        PRACTICE,
        "less drawn while as much is offered",
        _reduced,
        derates="normal",
        favours_well=-3.0,
        needs=Needs(lanes=("pilot", "mains_a")),
    ),
    Rule(
        "draws_below_offer",
        "draw",
        PRACTICE,
        "steadily less than is offered",
        _below_offer,
        needs=Needs(lanes=("pilot", "mains_a")),
    ),
    Rule(
        "mains_dip",
        "hold",
        DIP_SOURCE,
        "a dip of the supply",
        _dipped,
        needs=Needs(lanes=("mains_v",), reached="energise"),
    ),
    Rule(
        "current_missing",
        "draw",
        PRACTICE,
        "mains and no current",
        _no_current,
        breaks=("draw",),
        needs=Needs(lanes=("pilot", "mains_v", "mains_a"), reached="energise", seconds=CURRENT_PATIENCE_S),
    ),
    Rule(
        "current_over_offer",
        "draw",
        SEQUENCES_SOURCE,
        "more than is offered",
        _over_offer,
        breaks=("draw",),
        charges_through=True,
        needs=Needs(lanes=("pilot", "mains_a")),
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
