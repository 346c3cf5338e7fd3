"""The lock: pulses of the actuator's current, the position's answer, and what became of each attempt."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.lanes.detection import Look
from gladwire.core.lanes.lock.record import LockAttempt, LockRecord, LockResult
from gladwire.core.signal.blocks import over_blocks
from gladwire.core.signal.robust import median, quantile
from gladwire.core.signal.waveform import Floats, Waveform

_BLOCK_S = 1e-3
# A pulse stands clear of the idle current by this share of the largest, and lasts at least this long.
_PULSE_SHARE, _RUN_SHARE = 0.2, 0.01
_PULSE_MIN_S, _IDLE_BINS, _COMMON = 8e-3, 40, 0.5
# Slow wander of the idle level that is looked through, as a share of the largest.
_MOST_HUM = 0.03
_PULSE_GAP_S = 15e-3
# Pulses of one direction that follow within this time are retries of one attempt.
_RETRY_S = 3.0
# One that meets something turns back within this.
_BACKS_OFF_S = 0.5
# The position may answer this much after the pulse.
_ANSWER_S = 0.3
_POSITION_SWING = 0.3
# What drives a lock rests most of the time.
_DRIVEN_SHARE, _LONGEST_S = 0.4, 3.0
# Tries that follow each other fill more of a capture that was triggered on them.
_TRIED_SHARE = 0.75


class _Pulse(NamedTuple):
    start_s: float
    end_s: float
    sign: int
    plateau: float


def measure_lock(current: Waveform | None, position: Waveform | None) -> LockRecord:
    """Attempts of a lock from its actuator current, with its position where that was captured.

    Position alone tells when the pin moved, not what drove it. Raises ValueError where neither was captured.
    """
    seen = current if current is not None else position
    if seen is None:
        raise ValueError("a lock is measured from its current or its position")
    pulses = _pulses(*_levels(current), current.start_s) if current is not None else []
    changes = _changes(position) if position is not None else []
    attempts: list[LockAttempt] = []
    for group in _grouped(_tries(pulses, changes, position is not None)):
        attempts.append(_attempt(group, changes, position is not None, pulses[0].sign))
    return LockRecord(
        current_channel=current.name if current is not None else "",
        position_channel=position.name if position is not None else "",
        start_s=seen.start_s,
        end_s=seen.end_s,
        attempts=tuple(attempts),
        moves=tuple(changes),
        current_unit=current.unit if current is not None else "A",
    )


def look_pulsed(look: Look) -> int:
    """How many pulses of a motor a channel shows: at rest most of the time, then some current for a moment that, unlike a
    line's level, is not even. 0 where it shows none."""
    if look.is_of_mains_frequency:
        return 0
    pulses = _pulses(*look.blocks, look.wave.start_s)
    driven = sum(p.end_s - p.start_s for p in pulses)
    if (
        not pulses
        or driven > (_TRIED_SHARE if len(pulses) > 1 else _DRIVEN_SHARE) * look.wave.duration_s
        or max(p.end_s - p.start_s for p in pulses) > _LONGEST_S
    ):
        return 0
    return 0 if look.levels and {p.sign for p in pulses} == {pulses[0].sign} else len(pulses)


def _levels(wave: Waveform) -> tuple[Floats, float]:
    """(mean of every block, block length in seconds); missing samples count as the idle level."""
    values, size = over_blocks(wave, _BLOCK_S, lambda rows: np.nan_to_num(rows).mean(axis=1))
    return values, size / wave.rate_hz


def _pulses(levels: Floats, block_s: float, begins_s: float) -> list[_Pulse]:
    off = levels - _idle(levels)
    largest = quantile(np.abs(off), 0.9999)
    steps = 1.0484 * median(np.abs(np.diff(levels))) if len(levels) > 1 else 0.0
    noise = max(steps, min(1.4826 * median(np.abs(off)), _MOST_HUM * largest))
    if largest < 6 * noise or largest == 0.0:
        return []
    # A motor that runs free draws little between its inrush and its stall: the pulse lasts until the current is gone.
    size = np.abs(off)
    on = size > max(_RUN_SHARE * largest, 4 * noise)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], on, [False]])))
    spans = _closed([(int(a), int(b)) for a, b in edges.reshape(-1, 2)], int(_PULSE_GAP_S / block_s))
    found = []
    for first, end in spans:
        clear = int(np.count_nonzero(size[first:end] > _PULSE_SHARE * largest))
        if clear * block_s < _PULSE_MIN_S:
            continue
        part = off[first:end]
        late = part[len(part) // 2 : max(len(part) // 2 + 1, len(part) - 1)]
        sign = 1 if float(np.sum(part)) > 0 else -1
        start_s = begins_s + first * block_s
        found.append(_Pulse(start_s, begins_s + end * block_s, sign, abs(median(late))))
    return found


def _idle(levels: Floats) -> float:
    """The level it rests at: of those common the nearest to nought, for a capture triggered on tries may be driven most of
    the time."""
    counts, bounds = np.histogram(levels, bins=_IDLE_BINS)
    common = np.flatnonzero(counts >= _COMMON * counts.max())
    middles = (bounds[common] + bounds[common + 1]) / 2
    least = int(common[np.argmin(np.abs(middles))])
    return median(levels[(levels >= bounds[least]) & (levels <= bounds[least + 1])])


def _closed(spans: Sequence[tuple[int, int]], gap: int) -> list[tuple[int, int]]:
    """Spans with gaps of up to `gap` blocks closed: a commutating motor is no second pulse."""
    closed: list[tuple[int, int]] = []
    for first, end in spans:
        if closed and first - closed[-1][1] <= gap:
            closed[-1] = (closed[-1][0], end)
        else:
            closed.append((first, end))
    return closed


def _changes(wave: Waveform) -> list[float]:
    """Moments at which the position goes from one of its two levels to the other."""
    levels, block_s = _levels(wave)
    low, high = quantile(levels, 0.002), quantile(levels, 0.998)
    noise = 1.4826 * median(np.abs(np.diff(levels)))
    if high - low < max(_POSITION_SWING, 8 * noise):
        return []
    above = levels > (low + high) / 2
    where = np.flatnonzero(above[1:] != above[:-1]) + 1
    # A switch that bounces changes once.
    kept = [int(w) for i, w in enumerate(where) if i == 0 or (w - where[i - 1]) * block_s > 0.02]
    return [wave.start_s + k * block_s for k in kept]


def _tries(pulses: Sequence[_Pulse], changes: Sequence[float], positioned: bool) -> list[_Pulse]:
    """Pulses without those by which a lock that met something backs off: short after one that moved nothing, the other way.
    Where no position was captured, only between two tries."""
    kept: list[_Pulse] = []
    backs_off = False
    for index, pulse in enumerate(pulses):
        before = kept[-1] if kept else None
        after = pulses[index + 1] if index + 1 < len(pulses) else None
        turned = before is not None and before.sign == pulses[0].sign != pulse.sign
        if turned and before and pulse.start_s - before.end_s < _BACKS_OFF_S:
            tries_again = after is not None and after.sign == before.sign and after.start_s - pulse.end_s < _RETRY_S
            moved = any(before.start_s - 0.02 <= at <= pulse.end_s + _ANSWER_S for at in changes)
            if not moved and (positioned or tries_again or backs_off):
                backs_off = True
                continue
        kept.append(pulse)
    return kept


def _grouped(pulses: Sequence[_Pulse]) -> list[list[_Pulse]]:
    groups: list[list[_Pulse]] = [[pulses[0]]] if pulses else []
    for before, after in itertools.pairwise(pulses):
        if after.sign == before.sign and after.start_s - before.end_s < _RETRY_S:
            groups[-1].append(after)
        else:
            groups.append([after])
    return groups


def _attempt(group: Sequence[_Pulse], changes: Sequence[float], positioned: bool, locking: int) -> LockAttempt:
    start_s, end_s = group[0].start_s, group[-1].end_s
    changed = sum(start_s - 0.02 <= at <= end_s + _ANSWER_S for at in changes) % 2 == 1
    to_lock = group[0].sign == locking
    result: LockResult
    if changed or (not positioned and len(group) == 1):
        result = "engaged" if to_lock else "released"
    elif len(group) > 1:
        result = "obstructed"
    else:
        result = "no_feedback"
    longest = max(group, key=lambda p: p.end_s - p.start_s)
    return LockAttempt(
        start_s=start_s,
        end_s=end_s,
        pulses=len(group),
        longest_s=longest.end_s - longest.start_s,
        plateau=round(longest.plateau, 4),
        positioned=positioned,
        position_changed=changed,
        result=result,
        to_lock=to_lock,
    )
