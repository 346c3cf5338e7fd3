"""A captured proximity lane: stretches of one level and what each means."""

from __future__ import annotations

import itertools
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
    segments = tuple(
        _segment(start, end, median(levels[p.first : p.end]), ohms)
        for p, (start, end) in zip(pieces, itertools.pairwise(bounds), strict=True)
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


def _segment(start_s: float, end_s: float, value: float, ohms: bool) -> ProximitySegment:
    state: ProximityState
    if ohms:
        coded = read_ohms(max(value, 0.0))
        state = "doubtful" if coded.disagree else "coded" if coded.code else "absent" if value > 2700 else "low"
        text = coded.text
    else:
        latch = read_latch(value)
        state, text = latch.state, latch.text
    unit: Literal["V", "ohm"] = "ohm" if ohms else "V"
    return ProximitySegment(start_s=start_s, end_s=end_s, value=round(value, 4), unit=unit, state=state, meaning=text)
