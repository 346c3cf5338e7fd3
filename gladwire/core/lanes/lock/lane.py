"""The lock's declaration: how it is measured, judged, aligned and told."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from gladwire.core.findings import Finding, first_of
from gladwire.core.lanes.detection import Look
from gladwire.core.lanes.lane import ChannelRole, Channels, Landmark, Lane, Mark, apart
from gladwire.core.lanes.lock.measure import look_pulsed, measure_lock
from gladwire.core.lanes.lock.record import LockAttempt, LockRecord
from gladwire.core.lanes.lock.rules import RULES
from gladwire.core.lanes.records import Records
from gladwire.core.settled import Settled
from gladwire.core.stage import Standing

# Logarithms of odds, by judgement: a name that says it, one that only speaks of the lock, and a course that fits.
_SAID, _SPOKEN, _SHAPE, _HINT, _STILL = 5.0, 2.5, 1.5, 0.9, 0.1


def _named_current(kinds: frozenset[str], unit: str) -> float:
    if not kinds & {"lock", "drive"}:
        return 0.0
    if "position" in kinds:
        return -_SAID
    return _SAID if "amps" in kinds or unit == "A" else _SPOKEN + (1.0 if "drive" in kinds else 0.0)


def _named_position(kinds: frozenset[str], unit: str) -> float:
    if not kinds & {"lock", "drive"}:
        return 0.0
    if "amps" in kinds:
        return -_SAID
    return _SAID if "position" in kinds else _SPOKEN


def _looks_current(look: Look) -> float:
    if not look_pulsed(look):
        return -_SHAPE if look.levels else 0.0
    return _SHAPE if look.wave.unit == "A" else _HINT


def _looks_position(look: Look) -> float:
    if look.is_line:
        return _HINT - 0.3
    # A feedback that never changes is one too; beside pulses alone that is worth a word.
    return -_SHAPE if look_pulsed(look) else _STILL if look.is_steady else 0.0


def _measured(channels: Channels, settled: Settled) -> Iterator[LockRecord]:
    current, position = channels.first("lock_current"), channels.first("lock_position")
    if current is not None or position is not None:
        yield measure_lock(current, position)


def _landmarks(record: LockRecord) -> Iterator[Landmark]:
    yield from (Landmark(a.start_s, "lock driven" if a.to_lock else "lock released") for a in record.attempts)
    yield from (Landmark(at, "lock moves") for at in record.moves)


def _lock(records: Records, findings: Sequence[Finding]) -> Standing | None:
    locks = records.of(LockRecord)
    engaged = next((a for r in locks for a in r.attempts if a.result == "engaged"), None)
    if engaged and engaged.positioned:
        why = f"Driven at {engaged.start_s:.2f} s, and the position follows."
        return Standing("proven", why, f"{engaged.end_s - engaged.start_s:.1f} s", engaged.start_s, engaged.end_s)
    if engaged:
        return Standing("not_captured", "One normal pulse; without a position it is probable only.", "1 pulse")
    moved = first_of(findings, ("lock_moved",))
    if moved:
        return Standing("proven", moved.text, "moved", moved.start_s, moved.end_s)
    undriven = first_of(findings, ("lock_not_driven",))
    if undriven:
        return Standing("not_reached", undriven.text, "no pulse", undriven.start_s, undriven.end_s)
    return Standing("not_captured", _not_locked_here(locks)) if locks else None


def _not_locked_here(locks: Sequence[LockRecord]) -> str:
    if any(lock.lets_go for lock in locks):
        return "It was locked before this capture begins: only its release is in it."
    if not any(lock.current_channel for lock in locks):
        return "Its position does not change; what drives it was not captured."
    return "The lock is not driven in this capture."


def _entries(record: LockRecord) -> dict[str, list[dict[str, Any]]]:
    keys = {"start_s", "end_s", "pulses", "position_changed", "result"}
    return {"lock": [a.model_dump(include=keys) for a in record.attempts]}


def _lines(record: LockRecord) -> list[str]:
    rows = [
        f"  {a.start_s:10.4f} to {a.end_s:10.4f} s  {a.result.replace('_', ' ')}, {a.pulses} pulses"
        for a in record.attempts
    ]
    return ["Lock", *rows]


def _marks(record: LockRecord, channel: str, role: str) -> Iterator[Mark]:
    if role == "lock_current" and record.current_channel == channel:
        yield from (Mark(a.start_s, a.end_s, _words(a)) for a in record.attempts)


def _words(attempt: LockAttempt) -> str:
    return attempt.result.replace("_", " ") + (f" ×{attempt.pulses}" if attempt.pulses > 1 else "")


LANE = Lane(
    key="lock",
    title="Lock",
    record=LockRecord,
    rules=RULES,
    subjects=lambda records: records.of(LockRecord),
    measure=_measured,
    roles=(
        ChannelRole(
            "lock_current", "lock actuator current", "plum", _named_current, _looks_current, units=("A", "V"), unit=""
        ),
        ChannelRole("lock_position", "lock position", "plum", _named_position, _looks_position, units=("V", "logic")),
    ),
    landmarks=_landmarks,
    join=apart,
    judges={"lock": _lock},
    lines=_lines,
    entries=_entries,
    marks=_marks,
)
