"""Findings about mains against the pilot: contactor, current, offer."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from gladwire.core.findings import Fact, Rule
from gladwire.core.mains import MainsRecord, Span
from gladwire.core.pilot.record import PilotRecord, Segment
from gladwire.core.pilot.words import amps, seconds
from gladwire.core.standards import pilot_duty
from gladwire.core.standards.pilot_timing import (
    FOLLOW_OFFER_MAX_S,
    SEQUENCES_SOURCE,
    SWITCH_OFF_MAX_S,
    SWITCH_ON_MAX_S,
)
from gladwire.core.standards.source import PRACTICE

# Envelopes are known to within this.
_SLACK_S = 0.03
# A vehicle that has voltage and draws nothing for this long does not start by itself.
_PATIENCE_S = 10.0
# Longer than any contactor takes to open.
_IDLE_MIN_S = 0.8
_OVER_SHARE, _OVER_A = 1.05, 0.5


class Ac(NamedTuple):
    """A pilot and the mains captured beside it."""

    pilot: PilotRecord
    mains: MainsRecord


class _Ask(NamedTuple):
    """A stretch of asking (C or D, contact bounces included) and what followed it ("" at the capture's end)."""

    start_s: float
    end_s: float
    then: str


def _asks(pilot: PilotRecord) -> list[_Ask]:
    found: list[_Ask] = []
    for s in pilot.segments:
        if s.state in ("C", "D"):
            if found and s.start_s - found[-1].end_s < 0.05:
                found[-1] = _Ask(found[-1].start_s, s.end_s, "")
            else:
                found.append(_Ask(s.start_s, s.end_s, ""))
        elif found and not found[-1].then and s.duration_s >= 0.05:
            found[-1] = found[-1]._replace(then=s.state)
    return found


def _first_during(spans: tuple[Span, ...], ask: _Ask) -> Span | None:
    return next((s for s in spans if s.end_s > ask.start_s and s.start_s < ask.end_s), None)


def _switched_on(ac: Ac) -> Iterator[Fact]:
    for ask in _asks(ac.pilot):
        span = _first_during(ac.mains.volts, ask)
        if span is None or span.start_s < ask.start_s - _SLACK_S:
            continue
        after = span.start_s - ask.start_s
        text = f"Mains is on {seconds(max(after, 0.0))} after the vehicle asks: {span.rms:.0f} V on {_phases(span)}."
        late = after > SWITCH_ON_MAX_S + _SLACK_S
        yield Fact(
            "suspect" if late else "normal", text, span.start_s, span.end_s, seconds(max(after, 0.0)), "within 3 s"
        )


def _not_switched_on(ac: Ac) -> Iterator[Fact]:
    if not ac.mains.has_volts:
        return
    for ask in _asks(ac.pilot):
        if ask.end_s - ask.start_s > SWITCH_ON_MAX_S and _first_during(ac.mains.volts, ask) is None:
            asked = seconds(ask.end_s - ask.start_s)
            text = f"The vehicle asks for {asked} and no mains appears: the contactor does not close."
            yield Fact("fault", text, ask.start_s, ask.end_s, "0 V", "mains within 3 s")


def _on_without_request(ac: Ac) -> Iterator[Fact]:
    for span in ac.mains.volts:
        idle = [s for s in ac.pilot.segments if s.state in ("A", "B") and _overlap(s, span) > SWITCH_OFF_MAX_S]
        if sum(_overlap(s, span) for s in idle) > _IDLE_MIN_S:
            first = max(idle[0].start_s, span.start_s)
            state = idle[0].state
            text = (
                f"Mains is on from {first:.2f} s while the pilot is in {state}: a welded contactor, or it was bridged."
            )
            yield Fact(
                "fault", text, first, span.end_s, f"{span.rms:.0f} V in {idle[0].state}", "no mains without C or D"
            )


def _switched_off_late(ac: Ac) -> Iterator[Fact]:
    for ask in _asks(ac.pilot):
        span = next((s for s in ac.mains.volts if s.start_s < ask.end_s < s.end_s), None)
        after = span.end_s - ask.end_s if span else 0.0
        if span and ask.then and SWITCH_OFF_MAX_S + _SLACK_S < after < 1.0:
            text = f"Mains stays on for {seconds(after)} after the vehicle lets go of its request."
            yield Fact("suspect", text, ask.end_s, span.end_s, seconds(after), "off within 100 ms")


def _draws(ac: Ac) -> Iterator[Fact]:
    for ask in _asks(ac.pilot):
        span = _first_during(ac.mains.amps, ask)
        if span:
            much = f"{amps(span.rms)} on {_phases(span)}, for {seconds(span.duration_s)}"
            text = f"Current flows from {span.start_s:.2f} s: {much}."
            yield Fact("normal", text, span.start_s, span.end_s, amps(span.rms), "up to the offer")


def _no_current(ac: Ac) -> Iterator[Fact]:
    if not ac.mains.has_amps:
        return
    for ask in _asks(ac.pilot):
        volts = _first_during(ac.mains.volts, ask)
        waited = ask.end_s - max(ask.start_s, volts.start_s) if volts else 0.0
        if volts and waited > _PATIENCE_S and _first_during(ac.mains.amps, ask) is None:
            text = f"Mains is on for {seconds(waited)} and no current flows: the vehicle's charger does not start."
            yield Fact("fault", text, volts.start_s, ask.end_s, "0 A", "current up to the offer")


def _over_offer(ac: Ac) -> Iterator[Fact]:
    for s in ac.pilot.segments:
        if not s.oscillating or not s.advertised_current_a or s.state not in ("C", "D"):
            continue
        limit = _most_offered(s) * _OVER_SHARE + _OVER_A
        for level in ac.mains.levels:
            start, end = max(s.start_s, level.start_s), min(s.end_s, level.end_s)
            # What is left of a higher offer may flow on until the vehicle has had its time to follow.
            late = end - max(start, s.start_s + FOLLOW_OFFER_MAX_S)
            if level.rms > limit and late > 0.2:
                offered = amps(s.advertised_current_a)
                text = f"The vehicle draws {amps(level.rms)} while {offered} is offered, beyond the 5 s to follow."
                yield Fact("fault", text, start, end, amps(level.rms), f"up to {offered}")


def _most_offered(s: Segment) -> float:
    """The current offered at the upper end of what the sampling leaves open about the duty."""
    duty = min((s.duty_percent or 0.0) + (s.duty_doubt_percent or 0.0), 96.0)
    return max(s.advertised_current_a or 0.0, pilot_duty.offer(duty).current_a or 0.0)


def _lost(ac: Ac) -> Iterator[Fact]:
    for ask in _asks(ac.pilot):
        flowing = [s for s in ac.mains.amps if s.end_s > ask.start_s and s.start_s < ask.end_s]
        last = flowing[-1] if flowing else None
        if last is None or last.end_s > ask.end_s - 0.25:
            if last and ask.then in ("E", "F"):
                gone = f"Current and pilot go together at {ask.end_s:.2f} s, the pilot to {ask.then}"
                text = f"{gone}: the shape of an earth-fault trip or of a post that stops."
                yield Fact("fault", text, ask.end_s, ask.end_s, f"pilot to {ask.then}", "C to B first")
            continue
        dead = ac.mains.has_volts and all(v.end_s < last.end_s + 0.1 or v.start_s > last.end_s for v in ac.mains.volts)
        what = (
            "mains goes with it: the contactor opened or the supply failed" if dead else "the vehicle stopped drawing"
        )
        if dead or ask.end_s - last.end_s > _PATIENCE_S:
            text = f"Current ends at {last.end_s:.2f} s while the vehicle still asks; {what}."
            yield Fact("fault" if dead else "note", text, last.end_s, ask.end_s, "0 A", "current while asking")


def _overlap(s: Segment, span: Span) -> float:
    return min(s.end_s, span.end_s) - max(s.start_s, span.start_s)


def _phases(span: Span) -> str:
    return f"{span.phases} phase" + "s" * (span.phases != 1)


RULES: tuple[Rule[Ac], ...] = (
    Rule("mains_on", "energise", SEQUENCES_SOURCE, "when the contactor closes", _switched_on),
    Rule("mains_missing", "energise", SEQUENCES_SOURCE, "asked and never switched on", _not_switched_on),
    Rule("mains_without_request", "energise", SEQUENCES_SOURCE, "on although nobody asks", _on_without_request),
    Rule("mains_off_late", "end", SEQUENCES_SOURCE, "slow to switch off", _switched_off_late),
    Rule("current_flows", "draw", PRACTICE, "what the vehicle draws", _draws),
    Rule("current_missing", "draw", PRACTICE, "mains and no current", _no_current),
    Rule("current_over_offer", "draw", SEQUENCES_SOURCE, "more than is offered", _over_offer),
    Rule("current_lost", "hold", PRACTICE, "current that ends while asked for", _lost),
)
