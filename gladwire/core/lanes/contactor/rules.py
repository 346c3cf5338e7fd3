"""Findings about a contactor's line against the pilot."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.contactor.record import ContactorRecord
from gladwire.core.lanes.pilot.asking import Ask, commands
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.standards.pilot_timing import SEQUENCES_SOURCE, SWITCH_OFF_MAX_S, SWITCH_ON_MAX_S
from gladwire.core.standards.practice import SLACK_S, STAYS_CLOSED_S
from gladwire.core.words import seconds


class Switching(NamedTuple):
    """A pilot and the contactor's line captured beside it."""

    pilot: PilotRecord
    contactor: ContactorRecord


def rested(contactor: ContactorRecord, asks: Sequence[Ask]) -> ContactorRecord:
    """The record read by the level at which the line rests while nobody asks, where the capture began amid a request and so
    never showed it at rest first."""
    began_asked = any(ask.start_s <= contactor.start_s + SLACK_S < ask.end_s for ask in asks)
    if not began_asked or not any(ask.then for ask in asks):
        return contactor
    quiet = asks[0].end_s
    closed_asked = sum(max(0.0, min(c.end_s, quiet) - c.start_s) for c in contactor.closings if c.start_s < quiet)
    closed_after = sum(max(0.0, c.end_s - max(c.start_s, quiet)) for c in contactor.closings)
    later = closed_after > 0.5 * (contactor.end_s - quiet) and closed_asked < 0.5 * (quiet - contactor.start_s)
    return contactor.turned if later else contactor


def _closes(both: Switching) -> Iterator[Fact]:
    for ask in commands(both.pilot.segments):
        for c in both.contactor.closings:
            if ask.start_s - SLACK_S <= c.start_s < ask.end_s:
                after = max(0.0, c.start_s - ask.start_s)
                text = f"The contactor's line closes {seconds(after)} after the vehicle asks."
                late = after > SWITCH_ON_MAX_S + SLACK_S
                yield Fact(
                    "suspect" if late else "normal", text, c.start_s, c.end_s, seconds(after), SWITCH_ON_MAX_S.says
                )
                break


def _stays_open(both: Switching) -> Iterator[Fact]:
    for ask in commands(both.pilot.segments):
        # Captured from before the request on: else nothing shows at which level the line rests.
        seen = both.contactor.start_s < ask.start_s - SLACK_S and both.contactor.end_s >= ask.end_s
        closed = any(c.start_s < ask.end_s and c.end_s > ask.start_s for c in both.contactor.closings)
        if seen and not closed and ask.end_s - ask.start_s > SWITCH_ON_MAX_S:
            asked = seconds(ask.end_s - ask.start_s)
            text = f"The vehicle asks for {asked} and the contactor's line stays as it was: it is not driven."
            yield Fact("fault", text, ask.start_s, ask.end_s, "no change", f"closed {SWITCH_ON_MAX_S.says}")


def _opens(both: Switching) -> Iterator[Fact]:
    for ask in commands(both.pilot.segments):
        c = next((c for c in both.contactor.closings if c.start_s < ask.end_s <= c.end_s), None)
        if c is None or not ask.then:
            continue
        if not c.until_end:
            after = c.end_s - ask.end_s
            late = after > SWITCH_OFF_MAX_S + SLACK_S
            text = f"The contactor's line opens {seconds(after)} after the request ends."
            yield Fact("suspect" if late else "normal", text, ask.end_s, c.end_s, seconds(after), SWITCH_OFF_MAX_S.says)


def _stays_closed(both: Switching) -> Iterator[Fact]:
    for ask in commands(both.pilot.segments):
        c = next((c for c in both.contactor.closings if c.start_s < ask.end_s <= c.end_s), None)
        after = c.end_s - ask.end_s if c else 0.0
        if c and ask.then and c.until_end and after > STAYS_CLOSED_S:
            text = f"The contactor's line is still closed {seconds(after)} after the request ends: stuck, or bridged."
            yield Fact(
                "fault", text, ask.end_s, c.end_s, f"closed for {seconds(after)}", f"open {SWITCH_OFF_MAX_S.says}"
            )


RULES: tuple[Rule[Switching], ...] = (
    Rule(
        "contactor_closes",
        "energise",
        SEQUENCES_SOURCE,
        "a contactor that answers",
        _closes,
        needs=Needs(lanes=("pilot", "contactor"), reached="request"),
        supports=("energise",),
    ),
    Rule(
        "contactor_not_driven",
        "energise",
        SEQUENCES_SOURCE,
        "a contactor nobody drives",
        _stays_open,
        breaks=("energise",),
        needs=Needs(lanes=("pilot", "contactor"), reached="request"),
    ),
    Rule(
        "contactor_opens",
        "end",
        SEQUENCES_SOURCE,
        "a contactor that lets go",
        _opens,
        needs=Needs(lanes=("pilot", "contactor"), reached="end"),
    ),
    Rule(
        "contactor_stays_closed",
        "end",
        SEQUENCES_SOURCE,
        "a contactor that does not let go",
        _stays_closed,
        breaks=("end",),
        danger=True,
        needs=Needs(lanes=("pilot", "contactor"), reached="end"),
    ),
)
