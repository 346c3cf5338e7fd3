"""What the vehicle takes of it: how much, on how many phases, against the offer, and when it stops."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.mains.record import Span
from gladwire.core.lanes.mains.subject import (
    Ac,
    Offer,
    begins_asking,
    ended_early,
    first_during,
    flowing,
    phases_of,
    withdrawn_at,
)
from gladwire.core.lanes.pilot.asking import commands
from gladwire.core.standards.pilot_timing import FOLLOW_OFFER_MAX_S, SEQUENCES_SOURCE, STOP_DRAWING_MAX_S
from gladwire.core.standards.practice import (
    CURRENT_PATIENCE_S,
    CUT_OFF_S,
    LESS_SHARE,
    LEVEL_STAYS_S,
    LOST_BEFORE_S,
    OVER_OFFER_A,
    OVER_OFFER_S,
    OVER_OFFER_SHARE,
    SLACK_S,
)
from gladwire.core.standards.source import PRACTICE
from gladwire.core.words import amps, seconds

# So many steps down are a taper.
_TAPER_STEPS = 3
# Offers that follow each other closer than this meet.
_NEXT_S = 1.0


def _draws(ac: Ac) -> Iterator[Fact]:
    asks = commands(ac.segments)
    spans = [first_during(ac.mains.amps, ask) for ask in asks] if ac.pilot else ac.mains.amps
    for span in spans:
        if span:
            much = f"{amps(span.rms)} on {phases_of(span)}, for {seconds(span.duration_s)}"
            text = f"Current flows from {span.start_s:.2f} s: {much}."
            yield Fact("normal", text, span.start_s, span.end_s, amps(span.rms), "up to the offer")


def _some_phases(ac: Ac) -> Iterator[Fact]:
    for span in ac.mains.amps:
        live = next((v for v in ac.mains.volts if v.start_s < span.end_s and v.end_s > span.start_s), None)
        if live and 0 < span.phases < live.phases:
            text = (
                f"Voltage stands on {phases_of(live)} and current flows on {phases_of(span)} ({', '.join(span.carried_by)}): "
                "an on-board charger with fewer phases, or a phase lost behind the contactor."
            )
            yield Fact("note", text, span.start_s, span.end_s, phases_of(span), phases_of(live))


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


def _no_current(ac: Ac) -> Iterator[Fact]:
    if not ac.mains.has_amps:
        return
    for ask in commands(ac.segments):
        volts = first_during(ac.mains.volts, ask)
        waited = ask.end_s - max(ask.start_s, volts.start_s) if volts else 0.0
        drew = first_during(ac.mains.amps, ask) is not None or begins_asking(ac, ask)
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


def _draws_on(ac: Ac) -> Iterator[Fact]:
    """Current that goes on after the offer is gone, longer than a vehicle has to stop it."""
    for ask in commands(ac.segments):
        gone, last = withdrawn_at(ac, ask), flowing(ac, ask)
        late = last.end_s - gone if gone is not None and last is not None and last.start_s < gone else 0.0
        if gone is not None and last and late > STOP_DRAWING_MAX_S + SLACK_S + 2.0 * ac.mains.step_s:
            text = (
                f"The offer ends at {gone:.2f} s and current flows for {seconds(late)} more: the vehicle has "
                f"{STOP_DRAWING_MAX_S.says} to stop drawing."
            )
            yield Fact("fault", text, gone, last.end_s, seconds(late), STOP_DRAWING_MAX_S.says)


def _cut_off(ac: Ac) -> Iterator[Fact]:
    """Mains that goes with the offer, under load: nobody waits for the vehicle to let go."""
    for ask in commands(ac.segments):
        gone, last = withdrawn_at(ac, ask), flowing(ac, ask)
        if gone is None or last is None or not ac.mains.has_volts or last.start_s >= gone:
            continue
        live = any(v.start_s < last.end_s and v.end_s > last.end_s + LOST_BEFORE_S for v in ac.mains.volts)
        after = last.end_s - gone
        if not live and ask.end_s - last.end_s > SLACK_S and abs(after) < CUT_OFF_S + ac.mains.step_s:
            text = (
                f"Mains goes {seconds(max(after, 0.0))} after the offer does, with the vehicle still drawing: the post "
                "breaks off at once and does not wait for it. A stop button, a door, a fault it found, or its own supply."
            )
            yield Fact("suspect", text, gone, last.end_s, seconds(max(after, 0.0)), STOP_DRAWING_MAX_S.says)


def _draws_no_more(ac: Ac) -> Iterator[Fact]:
    for ask, last, dead in ended_early(ac):
        if not dead and ask.end_s - last.end_s > CURRENT_PATIENCE_S:
            text = f"Current ends at {last.end_s:.2f} s while the vehicle still asks and mains stands: it draws nothing more."
            yield Fact("suspect", text, last.end_s, ask.end_s, "0 A", "current while asking")


def _draws_nothing(ac: Ac) -> Iterator[Fact]:
    """In a capture begun in the middle of a request: it never drew, or draws no more."""
    for ask in commands(ac.segments):
        live = first_during(ac.mains.volts, ask)
        waited = ask.end_s - ask.start_s
        if (
            ac.mains.has_amps
            and live
            and flowing(ac, ask) is None
            and begins_asking(ac, ask)
            and waited > CURRENT_PATIENCE_S
        ):
            text = (
                f"From the first sample on mains stands, the vehicle asks for {seconds(waited)} and nothing flows: whether "
                "it drew before was not captured."
            )
            yield Fact("suspect", text, ask.start_s, ask.end_s, "0 A", "current while asking")


RULES: tuple[Rule[Ac], ...] = (
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
        "current_without_offer",
        "hold",
        SEQUENCES_SOURCE,
        "current that goes on after the offer ends",
        _draws_on,
        breaks=("hold",),
        needs=Needs(lanes=("pilot", "mains_a"), reached="draw", rate_hz=8e3),
    ),
    Rule(
        "broken_off_by_post",
        "hold",
        SEQUENCES_SOURCE,
        "mains that goes with the offer, under load",
        _cut_off,
        breaks=("hold",),
        breaks_from="suspect",
        needs=Needs(lanes=("pilot", "mains_v", "mains_a"), reached="draw", rate_hz=8e3),
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
)
