"""What the rules of the mains look at: a pilot and the mains beside it, and what several of them ask of both."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import NamedTuple

from gladwire.core.lanes.mains.record import MainsRecord, Span
from gladwire.core.lanes.pilot.asking import Ask, commands
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards import pilot_duty
from gladwire.core.standards.pilot_timing import BOUNCE_S, FOLLOW_OFFER_MAX_S
from gladwire.core.standards.practice import LOST_BEFORE_S, SLACK_S
from gladwire.core.words import number_of


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


def first_during(spans: tuple[Span, ...], ask: Ask) -> Span | None:
    return next((s for s in spans if s.end_s > ask.start_s and s.start_s < ask.end_s), None)


def begins_asking(ac: Ac, ask: Ask) -> bool:
    """Whether the capture begins in the middle of a request: then it may have drawn before."""
    return ask.start_s < ac.mains.start_s + SLACK_S or ask.segments[0] is ac.segments[0]


def flowing(ac: Ac, ask: Ask) -> Span | None:
    """The last current of an ask."""
    return next((s for s in reversed(ac.mains.amps) if s.end_s > ask.start_s and s.start_s < ask.end_s), None)


def ended_early(ac: Ac) -> Iterator[tuple[Ask, Span, bool]]:
    """(ask, its last current, whether mains went with it) where current ends long before the request does, and before the
    offer does: what ends after that is the post's or the vehicle's answer to it."""
    for ask in commands(ac.segments):
        last, gone = flowing(ac, ask), withdrawn_at(ac, ask)
        if last is not None and gone is not None and last.end_s > gone - SLACK_S:
            continue
        if last is not None and last.end_s <= ask.end_s - LOST_BEFORE_S:
            live = any(v.start_s <= last.end_s and v.end_s >= last.end_s + 0.1 for v in ac.mains.volts)
            yield ask, last, not live


def withdrawn_at(ac: Ac, ask: Ask) -> float | None:
    """When the offer went while it asked; None where it stood, or where the sampling shows no oscillation."""
    if ac.pilot is None or not ac.pilot.sees_oscillation:
        return None
    for before, after in itertools.pairwise(ask.segments):
        if before.oscillating and not after.oscillating and after.duration_s > BOUNCE_S:
            return after.start_s
    return None


def overlap(s: Segment, span: Span) -> float:
    return min(s.end_s, span.end_s) - max(s.start_s, span.start_s)


def phases_of(span: Span) -> str:
    return number_of(span.phases, "phase")


def _most_offered(s: Segment) -> float:
    """The current offered at the upper end of what the sampling leaves open about the duty."""
    duty = min((s.duty_percent or 0.0) + (s.duty_doubt_percent or 0.0), 96.0)
    return max(s.advertised_current_a or 0.0, pilot_duty.offer(duty).current_a or 0.0)
