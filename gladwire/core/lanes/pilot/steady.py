"""Steady stretches: levels without oscillation, cut where the level steps or drifts into another state."""

from __future__ import annotations

import itertools

import numpy as np

from gladwire.core.lanes.pilot.trace import Trace
from gladwire.core.signal.robust import median, midmean, spread_out
from gladwire.core.signal.splitting import Feature, Piece, absorb_single, join, split
from gladwire.core.signal.waveform import Floats

BLOCK_S = 0.5e-3
STEP_V = 1.0
DRIFT_V = 0.8
ALIKE_V = 0.5
# A slow change is looked for over at least two periods of 50 Hz hum.
_DRIFT_BLOCKS = 80
_LEVEL_SAMPLES = 6000


def cut_steady(trace: Trace, start: float, end: float) -> list[tuple[float, float]]:
    """Sample ranges of one level each, covering start..end (samples)."""
    first, last = int(np.ceil(start)), int(np.floor(end))
    size = max(1, round(BLOCK_S * trace.rate_hz))
    count = (last - first) // size
    if count < 3:
        return [(start, end)]
    levels = _block_means(trace, first, count, size)

    def alike(left: Piece, right: Piece) -> bool:
        return abs(_level(levels, left) - _level(levels, right)) < ALIKE_V

    pieces = split([Feature(levels, STEP_V, DRIFT_V)], _DRIFT_BLOCKS)
    pieces, _ = absorb_single(pieces, alike)
    pieces = join(pieces, alike)
    bounds = [start]
    for left, right in itertools.pairwise(pieces):
        bounds.append(_locate_step(trace, levels, left, right, first, size))
    bounds.append(end)
    return list(itertools.pairwise(bounds))


def _block_means(trace: Trace, first: int, count: int, size: int) -> Floats:
    """Mean level of every block in volts; a block without valid samples repeats the one before."""
    raw = trace.raw(first, first + count * size).reshape(count, size).mean(axis=1)
    levels = raw.astype(np.float64) * trace.correction.scale + trace.correction.offset_v
    bad = ~np.isfinite(levels)
    if bad.any() and not bad.all():
        source = np.maximum.accumulate(np.where(bad, 0, np.arange(count)))
        levels = np.where(bad, levels[source], levels)
    filled: Floats = np.nan_to_num(levels)
    return filled


def _level(levels: Floats, piece: Piece) -> float:
    return median(levels[piece.first : piece.end])


def _locate_step(trace: Trace, levels: Floats, left: Piece, right: Piece, first: int, size: int) -> float:
    """Sample number at which the level goes through the middle between two pieces."""
    before, after = _level(levels, left), _level(levels, right)
    low = first + max(left.first, right.first - 2) * size
    high = first + min(right.end, right.first + 2) * size
    volts = trace.slice_v(low, high)
    past = (volts - (before + after) / 2) * np.sign(after - before) > 0
    return float(low + int(np.argmax(past))) if past.any() else float(first + right.first * size)


def steady_level(trace: Trace, start: float, end: float) -> tuple[float, float]:
    """(level, its doubt) in volts of a steady stretch; NaN where no sample is valid."""
    first, last = int(np.ceil(start)), max(int(np.floor(end)), int(np.ceil(start)) + 1)
    inset = min((last - first) // 10, max(1, int(50e-6 * trace.rate_hz)))
    index = spread_out(first + inset, max(last - 1 - inset, first + inset), _LEVEL_SAMPLES)
    volts = trace.take(np.minimum(index, len(trace) - 1))
    volts = volts[np.isfinite(volts)]
    if not len(volts):
        return float("nan"), 0.0
    return midmean(volts), 2.0 * float(np.std(volts)) / float(np.sqrt(len(volts)))
