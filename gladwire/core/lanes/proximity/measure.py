"""A captured proximity lane: stretches of one level and what each means."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Literal

import numpy as np

from gladwire.core.calculations.proximity import read_latch, read_ohms
from gladwire.core.lanes.proximity.record import ProximityRecord, ProximitySegment, ProximityState
from gladwire.core.signal.blocks import over_blocks
from gladwire.core.signal.robust import median
from gladwire.core.signal.splitting import Feature, Piece, absorb_single, join, split
from gladwire.core.signal.waveform import Floats, Waveform

_BLOCK_S = 1e-3
_STEP_V, _ALIKE_V = 0.3, 0.2
# Ohms are compared as logarithms: 15 % is a step.
_STEP_LOG, _ALIKE_LOG = 0.06, 0.03
_DRIFT_BLOCKS = 60
# What a line stood at, not passed through; as shares of the open level, how much lower a plug pulls it, and a short.
_STOOD_S, _DROP, _SHORT = 0.1, 0.1, 0.008
# Between a short and this a probe's offset and a low resistor are alike.
_NEARLY_SHORT = 0.02
# What inlets without a latch are pulled up to: common practice, no source. Below the last no plug pulls any of them.
_SUPPLIES_V, _SUPPLY_TOLERANCE, _NOTHING_V = (3.3, 5.0, 12.0), 0.08, 0.1


def measure_proximity(wave: Waveform) -> ProximityRecord:
    """Cut a proximity channel (volts at a latch-switch inlet, or ohms) into stretches of one level.

    Missing samples take the level before them. A channel shorter than three milliseconds is one stretch.
    """
    ohms = wave.unit == "ohm"
    levels, size = over_blocks(wave, _BLOCK_S, _mean_of_finite)
    levels = _filled(levels)
    scale = np.log10(np.maximum(levels, 1e-3)) if ohms else levels
    step, near = (_STEP_LOG, _ALIKE_LOG) if ohms else (_STEP_V, _ALIKE_V)

    def alike(left: Piece, right: Piece) -> bool:
        return abs(median(scale[left.first : left.end]) - median(scale[right.first : right.end])) < near

    pieces, _ = absorb_single(split([Feature(scale, step, step)], _DRIFT_BLOCKS), alike)
    pieces = join(pieces, alike)
    bounds = [wave.start_s, *(wave.start_s + p.first * size / wave.rate_hz for p in pieces[1:]), wave.end_s]
    values = [median(levels[p.first : p.end]) for p in pieces]
    spans = list(itertools.pairwise(bounds))
    stood = [v for v, (start, end) in zip(values, spans, strict=True) if end - start > _STOOD_S] or values
    means = [_of_ohms(value) if ohms else _of_volts(value, stood) for value in values]
    unit: Literal["V", "ohm"] = "ohm" if ohms else "V"
    segments = tuple(
        ProximitySegment(start_s=start, end_s=end, value=round(value, 4), unit=unit, state=state, meaning=text)
        for value, (start, end), (state, text) in zip(values, spans, means, strict=True)
    )
    return ProximityRecord(channel=wave.name, start_s=wave.start_s, end_s=wave.end_s, segments=segments)


def _mean_of_finite(rows: Floats) -> Floats:
    """Mean of each row's finite samples; NaN for a row without any."""
    good = np.isfinite(rows)
    counts = good.sum(axis=1)
    means: Floats = np.where(counts > 0, np.where(good, rows, 0.0).sum(axis=1) / np.maximum(counts, 1), np.nan)
    return means


def _filled(levels: Floats) -> Floats:
    """Levels in which a missing one repeats the one before; 0 where none came before."""
    known = np.maximum.accumulate(np.where(np.isfinite(levels), np.arange(len(levels)), 0))
    filled: Floats = np.nan_to_num(levels[known])
    return filled


def _of_ohms(value: float) -> tuple[ProximityState, str]:
    coded = read_ohms(max(value, 0.0))
    state: ProximityState = (
        "doubtful" if coded.disagree else "coded" if coded.code else "absent" if value > 2700 else "low"
    )
    return state, coded.text


def _of_volts(value: float, stood: Sequence[float]) -> tuple[ProximityState, str]:
    """What a level in volts means among those the line stood at: at a latch-switch inlet, or through a pull-up not known,
    where only a drop from the open level tells that a plug is there."""
    latch = read_latch(value)
    seen = {read_latch(v).state for v in stood}
    top = max(stood)
    # An inlet without a latch's resistor stands at its supply while nothing is plugged, never at the latch's open level.
    if "absent" in seen or {"latched", "pressed"} <= seen or read_latch(top).state == "latched" or top < _NOTHING_V:
        return latch.state, latch.text
    opens = any(abs(top / supply - 1.0) < _SUPPLY_TOLERANCE for supply in _SUPPLIES_V)
    if not opens or top - min(stood) < _DROP * top:
        return "unread", f"{value:.2f} V: what that means depends on the inlet's pull-up, which is not known."
    if value > top - _DROP * top:
        return "absent", f"{value:.2f} V, its highest: nothing pulls it down, no plug is in."
    if value < _SHORT * top:
        return "low", f"{value:.2f} V, down from {top:.2f} V: shorted to PE, or the pull-up's supply went off."
    if value < _NEARLY_SHORT * top:
        return (
            "unread",
            f"{value:.2f} V, down from {top:.2f} V: a short to PE or a low resistor; they are too near.",
        )
    return "made", f"{value:.2f} V, down from {top:.2f} V: a plug is in; what it codes depends on a pull-up not known."
