"""Findings about mains against the pilot: contactor, current, offer."""

from __future__ import annotations

import itertools
import re
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
    LINE_DEAD_S,
    LINE_LIVE_V,
    LOST_BEFORE_S,
    OVER_OFFER_A,
    OVER_OFFER_S,
    OVER_OFFER_SHARE,
    SLACK_S,
    STAYS_CLOSED_S,
)
from gladwire.core.standards.source import EN_50160, IEC_60364_5_52, PRACTICE
from gladwire.core.standards.supply import DIP_SHARE, DIP_SOURCE, DROP_HOT_SHARE, DROP_SHARE, MAINS_SHARE
from gladwire.core.words import amps, number_of, seconds

# A channel that is named after neutral or earth is no line.
_NEUTRAL = re.compile(r"^(?!.*L\s?\d).*(?<![a-z])(n|neutral|pe|earth)(?![a-z])", re.IGNORECASE)
# So many steps down are a taper.
_TAPER_STEPS = 3
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
        # One that opens late is told as that.
        late = sum(
            span.end_s - ask.end_s for ask in commands(ac.segments) if 0 < span.end_s - ask.end_s < STAYS_CLOSED_S
        )
        if sum(_overlap(s, span) for s in idle) - late > IDLE_MAINS_S:
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


def _line_ended(ac: Ac) -> Iterator[Fact]:
    for end in ac.mains.ended:
        if not end.each or end.each[0] > LINE_LIVE_V:
            stands = " and its voltage stands: the vehicle's charger, or the line behind the probe"
            behind = stands if end.each else ""
            line = end.carried_by[0]
            text = f"{line} carries nothing more from {end.start_s:.1f} s on, while the others do{behind}."
            yield Fact("suspect", text, end.start_s, end.end_s, "0 A", "the same on all phases")


def _line_gone(ac: Ac) -> Iterator[Fact]:
    for end in ac.mains.ended:
        if end.each and end.each[0] <= LINE_LIVE_V:
            text = (
                f"{end.carried_by[0]} carries nothing more from {end.start_s:.1f} s on, and its voltage is gone too, while "
                "the others go on: a fuse, a pole of the contactor, or the feed of that phase."
            )
            yield Fact("suspect", text, end.start_s, end.end_s, "0 A, 0 V", "the same on all phases")


def _dead_line(ac: Ac) -> Iterator[Fact]:
    """One line of three without voltage while the two others stand; one alone of three may be a post of one phase."""
    for span in ac.mains.volts:
        dead = [line for line in ac.mains.lines if line not in span.carried_by and not _NEUTRAL.search(line)]
        if len(ac.mains.lines) == 3 and len(dead) == 1 and span.duration_s > LINE_DEAD_S:
            text = (
                f"{dead[0]} has no voltage while {' and '.join(span.carried_by)} stand at {span.rms:.0f} V: a pole of the "
                "contactor, a fuse, or the feed of that phase."
            )
            yield Fact("suspect", text, span.start_s, span.end_s, "2 phases", "3 phases")
            return


def _sags(ac: Ac) -> Iterator[Fact]:
    for sag in ac.mains.sags:
        if sag.share > DROP_SHARE:
            hot = sag.share > DROP_HOT_SHARE
            heat = f"{sag.loaded_a**2 * sag.ohm:.0f} W of heat there"
            text = (
                f"{sag.line} falls from {sag.idle_v:.0f} V to {sag.loaded_v:.0f} V as {amps(sag.loaded_a)} flow: "
                f"{sag.ohm:.1f} Ω before the probe, in feed, terminals or contacts; {heat}."
            )
            share = f"{100 * sag.share:.0f} % lost"
            yield Fact("suspect" if hot else "note", text, sag.start_s, sag.end_s, share, DROP_SHARE.says)


def _neutral_open(ac: Ac) -> Iterator[Fact]:
    """One line above and another below what a supply may have, at once: their common point wanders."""
    for span in ac.mains.volts:
        if len(span.each) < 2 or span.duration_s < LINE_DEAD_S:
            continue
        nominal = next((v for v in (230.0, 120.0) if 0.75 * v < sum(span.each) / len(span.each) < 1.25 * v), None)
        high, low = max(span.each), min(span.each)
        if nominal and high > (1 + MAINS_SHARE) * nominal and low < (1 - MAINS_SHARE) * nominal:
            lines = ", ".join(
                f"{name} at {v:.0f} V" for name, v in sorted(zip(span.carried_by, span.each, strict=True))
            )
            text = (
                f"{lines} to neutral at once: the neutral is open or badly made, and the lines wander with their loads. "
                "Up to the volts between two lines can stand at what is plugged in: switch off, do not try again."
            )
            yield Fact("fault", text, span.start_s, span.end_s, f"{low:.0f} to {high:.0f} V", MAINS_SHARE.says)
            return


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


def _falls(ac: Ac) -> list[tuple[Span, Span, Offer]]:
    """(level before, lower level, offer) wherever the current falls and stays, with as much offered for as long as a vehicle
    may take to follow."""
    found = []
    for before, after in itertools.pairwise(ac.mains.levels):
        at = after.start_s
        offer = next((o for o in ac.offers if o.taken and o.start_s <= at < o.end_s), None)
        if offer is None or at - before.end_s > 0.5 or min(before.duration_s, after.duration_s) < LEVEL_STAYS_S:
            continue
        lately = [o.most_a for o in ac.offers if o.amps and o.end_s > at - ac.follow_s and o.start_s < at]
        least = LESS_SHARE * min([offer.most_a, *lately]) if offer.amps else before.rms
        if after.rms < min(LESS_SHARE * before.rms, least):
            found.append((before, after, offer))
    return found


def _is_taper(ac: Ac, falls: list[tuple[Span, Span, Offer]]) -> bool:
    """Whether the current only sinks, step by step, until the vehicle ends: a pack that gets full."""
    asks = commands(ac.segments)
    if len(falls) < _TAPER_STEPS or not asks or asks[-1].then != "B":
        return False
    after = [x.rms for x in ac.mains.levels if x.start_s >= falls[0][0].start_s]
    last_s = ac.mains.levels[-1].end_s
    return asks[-1].end_s - last_s < CURRENT_PATIENCE_S and all(
        later < before + OVER_OFFER_A for before, later in itertools.pairwise(after)
    )


def _reduced(ac: Ac) -> Iterator[Fact]:
    falls = _falls(ac)
    if _is_taper(ac, falls):
        return
    for before, after, offer in falls:
        offered = f"{amps(offer.amps)} still offered" if offer.amps else ""
        text = (
            f"The vehicle draws {amps(after.rms)} from {after.start_s:.2f} s on, {amps(before.rms)} before; {offered}."
        )
        yield Fact("suspect", text, after.start_s, after.end_s, amps(after.rms), amps(before.rms))


def _tapers(ac: Ac) -> Iterator[Fact]:
    falls = _falls(ac)
    if _is_taper(ac, falls):
        first, last = falls[0][0], falls[-1][1]
        text = (
            f"The current sinks in {len(falls)} steps from {amps(first.rms)} to {amps(last.rms)} and the vehicle ends it: "
            "the shape of a pack that gets full."
        )
        yield Fact("note", text, falls[0][1].start_s, last.end_s, amps(last.rms), amps(first.rms))


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


def _begins_asking(ac: Ac, ask: Ask) -> bool:
    """Whether the capture begins in the middle of a request: then it may have drawn before."""
    return ask.start_s < ac.mains.start_s + SLACK_S or ask.segments[0] is ac.segments[0]


def _no_current(ac: Ac) -> Iterator[Fact]:
    if not ac.mains.has_amps:
        return
    for ask in commands(ac.segments):
        volts = _first_during(ac.mains.volts, ask)
        waited = ask.end_s - max(ask.start_s, volts.start_s) if volts else 0.0
        drew = _first_during(ac.mains.amps, ask) is not None or _begins_asking(ac, ask)
        if volts and waited > CURRENT_PATIENCE_S and not drew:
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


def _flowing(ac: Ac, ask: Ask) -> Span | None:
    """The last current of an ask."""
    return next((s for s in reversed(ac.mains.amps) if s.end_s > ask.start_s and s.start_s < ask.end_s), None)


def _lost_with_pilot(ac: Ac) -> Iterator[Fact]:
    """Mains, or its current, and the pilot go at once: who opens its contactor also says so on the pilot."""
    for ask in (ask for ask in commands(ac.segments) if ask.then in ("E", "F")):
        last = _flowing(ac, ask)
        live = next((v for v in reversed(ac.mains.volts) if v.start_s < ask.end_s), None)
        shape = f"to {ask.then}: the shape of an earth-fault trip or of a post that stops."
        if last and last.end_s > ask.end_s - LOST_BEFORE_S:
            text = f"Current and pilot go together at {ask.end_s:.2f} s, the pilot {shape}"
        elif live and last is None and abs(live.end_s - ask.end_s) < LOST_BEFORE_S:
            text = f"Mains goes {seconds(live.duration_s)} after it came on, with the pilot {shape}"
        else:
            continue
        yield Fact("fault", text, ask.end_s, ask.end_s, f"pilot to {ask.then}", "C to B first")


def _ended_early(ac: Ac) -> Iterator[tuple[Ask, Span, bool]]:
    """(ask, its last current, whether mains went with it) where current ends long before the request does."""
    for ask in commands(ac.segments):
        last = _flowing(ac, ask)
        if last is not None and last.end_s <= ask.end_s - LOST_BEFORE_S:
            live = any(v.start_s <= last.end_s and v.end_s >= last.end_s + 0.1 for v in ac.mains.volts)
            yield ask, last, not live


def _lost(ac: Ac) -> Iterator[Fact]:
    for ask, last, dead in _ended_early(ac):
        ends = f"Current ends at {last.end_s:.2f} s while the vehicle still asks"
        if dead and ac.mains.has_volts:
            text = f"{ends}; mains goes with it: the contactor opened or the supply failed."
            yield Fact("fault", text, last.end_s, ask.end_s, "0 A", "current while asking")
        elif dead and ask.end_s - last.end_s > CURRENT_PATIENCE_S:
            text = f"{ends}; whether mains went with it was not captured."
            yield Fact("note", text, last.end_s, ask.end_s, "0 A", "current while asking")


def _draws_no_more(ac: Ac) -> Iterator[Fact]:
    for ask, last, dead in _ended_early(ac):
        if not dead and ask.end_s - last.end_s > CURRENT_PATIENCE_S:
            text = f"Current ends at {last.end_s:.2f} s while the vehicle still asks and mains stands: it draws nothing more."
            yield Fact("suspect", text, last.end_s, ask.end_s, "0 A", "current while asking")


def _draws_nothing(ac: Ac) -> Iterator[Fact]:
    """In a capture begun in the middle of a request: it never drew, or draws no more."""
    for ask in commands(ac.segments):
        live = _first_during(ac.mains.volts, ask)
        waited = ask.end_s - ask.start_s
        if (
            ac.mains.has_amps
            and live
            and _flowing(ac, ask) is None
            and _begins_asking(ac, ask)
            and waited > CURRENT_PATIENCE_S
        ):
            text = (
                f"From the first sample on mains stands, the vehicle asks for {seconds(waited)} and nothing flows: whether "
                "it drew before was not captured."
            )
            yield Fact("suspect", text, ask.start_s, ask.end_s, "0 A", "current while asking")


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
        "supply_sags",
        "hold",
        IEC_60364_5_52,
        "volts lost on the way as current flows",
        _sags,
        favours_well=-2.0,
        needs=Needs(lanes=("mains_v", "mains_a"), reached="draw"),
    ),
    Rule(
        "neutral_open",
        "energise",
        EN_50160,
        "lines above and below their volts at once",
        _neutral_open,
        breaks=("energise",),
        charges_through=True,
        danger=True,
        needs=Needs(lanes=("mains_v",), reached="energise"),
    ),
    Rule(
        "phase_current_ended",
        "hold",
        PRACTICE,
        "a phase that carries nothing more while the others do",
        _line_ended,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(lanes=("mains_a",), reached="draw"),
    ),
    Rule(
        "phase_gone",
        "hold",
        PRACTICE,
        "a phase that goes, with its voltage, while the others stay",
        _line_gone,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(lanes=("mains_v", "mains_a"), reached="draw"),
    ),
    Rule(
        "phase_dead",
        "energise",
        PRACTICE,
        "a phase without voltage beside two that have it",
        _dead_line,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(lanes=("mains_v",), reached="energise"),
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
        "current_tapers",
        "hold",
        PRACTICE,
        "current that sinks step by step to the end",
        _tapers,
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
        "draws_no_more",
        "hold",
        PRACTICE,
        "current that ends although asked for, with mains there",
        _draws_no_more,
        favours_well=-2.0,
        needs=Needs(lanes=("pilot", "mains_v", "mains_a"), reached="draw", seconds=CURRENT_PATIENCE_S),
    ),
    Rule(
        "draws_nothing",
        "draw",
        PRACTICE,
        "no current from the first sample on, in the middle of a request",
        _draws_nothing,
        favours_well=-2.0,
        needs=Needs(lanes=("pilot", "mains_v", "mains_a"), reached="energise", seconds=CURRENT_PATIENCE_S),
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
