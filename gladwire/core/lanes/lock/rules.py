"""Findings about the lock."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.lock.record import LockAttempt, LockRecord
from gladwire.core.standards.dc_limits import RELEASE_FIRST
from gladwire.core.standards.source import PRACTICE
from gladwire.core.words import amps, number_of, seconds, times

_GOOD = "one pulse, position changes"


def _of(record: LockRecord, result: str) -> Iterator[LockAttempt]:
    yield from (a for a in record.attempts if a.result == result and (a.to_lock or result == "released"))


def _engaged(record: LockRecord) -> Iterator[Fact]:
    for a in _of(record, "engaged"):
        again = f" at try {a.pulses}" if a.pulses > 1 else ""
        proof = "the position follows" if a.positioned else "no position was captured, so this is probable only"
        text = f"The lock goes home at {a.start_s:.2f} s{again}: {proof}."
        severity: Severity = "normal" if a.pulses == 1 and a.positioned else "note"
        yield Fact(severity, text, a.start_s, a.end_s, number_of(a.pulses, "pulse"), _GOOD)


def _moved(record: LockRecord) -> Iterator[Fact]:
    if not record.current_channel and record.moves and not record.lets_go:
        first = record.moves[0]
        often = f", and {times(len(record.moves) - 1)} more" if len(record.moves) > 1 else ""
        text = f"The lock's position changes at {first:.2f} s{often}; what drives it was not captured."
        yield Fact(
            "normal",
            text,
            first,
            record.moves[-1],
            number_of(len(record.moves), "change"),
            "a change after the plug is in",
        )


def at_amps(record: LockRecord, attempt: LockAttempt) -> str:
    """The current of an attempt, where it is known in amperes."""
    return f" at {amps(attempt.plateau)}" if record.current_unit == "A" else ""


def _obstructed(record: LockRecord) -> Iterator[Fact]:
    for a in _of(record, "obstructed"):
        means = "something is in the way, or the plug is not home"
        seen = "its position never changes" if a.positioned else "tries again each time (its position was not captured)"
        text = (
            f"The lock is driven {times(a.pulses)} from {a.start_s:.2f} s, the longest for {seconds(a.longest_s)}"
            f"{at_amps(record, a)}, and {seen}: {means}."
        )
        moved = ", no movement" if a.positioned else ""
        yield Fact("fault", text, a.start_s, a.end_s, f"{number_of(a.pulses, 'pulse')}{moved}", _GOOD)


def _no_feedback(record: LockRecord) -> Iterator[Fact]:
    for a in _of(record, "no_feedback"):
        text = (
            f"One pulse of {seconds(a.longest_s)} at {a.start_s:.2f} s and no change of position: dead feedback (the plug "
            "may in fact be held), an open actuator, or a pin that did not move."
        )
        yield Fact("fault", text, a.start_s, a.end_s, "1 pulse, no change", _GOOD)


def _released(record: LockRecord) -> Iterator[Fact]:
    for a in _of(record, "released"):
        text = f"The lock releases at {a.start_s:.2f} s."
        yield Fact("normal", text, a.start_s, a.end_s, "released", "released after the end", "end")
    if record.lets_go and not record.current_channel:
        at = record.moves[0]
        text = f"The lock's position changes at {at:.2f} s, after the last request: it lets go. Its drive was not captured."
        yield Fact("normal", text, at, at, "1 change", "released after the end", "end")


def _not_released(record: LockRecord) -> Iterator[Fact]:
    for a in record.attempts:
        if not a.to_lock and a.result in ("obstructed", "no_feedback"):
            text = (
                f"The lock is driven to release {times(a.pulses)} from {a.start_s:.2f} s and its position never changes: "
                f"the plug stays held. {RELEASE_FIRST}."
            )
            yield Fact("fault", text, a.start_s, a.end_s, f"{times(a.pulses)}, no movement", "released after the end")


RULES: tuple[Rule[LockRecord], ...] = (
    Rule(
        "lock_engaged",
        "lock",
        PRACTICE,
        "a lock that went home",
        _engaged,
        rank="telling",
        needs=Needs(lanes=("lock_current",)),
    ),
    Rule(
        "lock_moved",
        "lock",
        PRACTICE,
        "a pin that moves, by its position alone",
        _moved,
        proves=("lock",),
        needs=Needs(lanes=("lock_position",)),
    ),
    Rule(
        "lock_obstructed",
        "lock",
        PRACTICE,
        "retries without movement",
        _obstructed,
        breaks=("lock",),
        needs=Needs(lanes=("lock_current", "lock_position")),
    ),
    Rule(
        "lock_no_feedback",
        "lock",
        PRACTICE,
        "a pulse nobody answers",
        _no_feedback,
        breaks=("lock",),
        needs=Needs(lanes=("lock_current", "lock_position")),
    ),
    Rule("lock_released", "lock", PRACTICE, "the plug is free again", _released, needs=Needs(lanes=("lock_current",))),
    Rule(
        "lock_not_released",
        "end",
        PRACTICE,
        "a release that does not move the pin",
        _not_released,
        breaks=("end",),
        needs=Needs(lanes=("lock_current", "lock_position"), reached="end"),
    ),
)
