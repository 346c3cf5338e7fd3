"""Edges of the oscillation: where the pilot goes through the threshold, with sub-sample interpolation.

A Schmitt trigger (threshold +/- 1 V) decides that an edge happened; the time of the edge is the straight-line
crossing of the threshold itself between the last sample of the old level and the first of the new one.
Works in chunks that stay in the processor's cache: the memory needed does not grow with the record, only with the
number of edges.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.lanes.pilot.trace import Trace
from gladwire.core.signal.waveform import Floats, Ints, Samples

HYSTERESIS_V = 1.0
# No pilot half is this short (3 % of 1 ms is 30 us): ringing and bursts are.
SHORTEST_HALF_S = 12e-6
# Share of the step by which a sample must differ from its neighbour to count as part of the slope.
_ON_SLOPE = 0.1
_LONGEST_SLOPE = 400
# The part of an edge that one step between samples may take for a straight line to be it.
_OF_AN_EDGE = 0.2
_CHUNK = 1 << 17


@dataclass(frozen=True)
class Edges:
    """Alternating edges, all arrays of shape (m,).

    rising: True where the level goes up. at: fractional sample number of the threshold crossing.
    last_old, first_new: sample numbers around it. doubt: +/- samples within which the crossing surely lies. line: where a
    straight line between samples on the slope crosses it, beside `at`: better for one edge, biased over many.
    """

    rising: np.ndarray[tuple[int], np.dtype[np.bool_]]
    at: Floats
    last_old: Ints
    first_new: Ints
    doubt: Floats
    line: Floats

    def __len__(self) -> int:
        return len(self.at)


def _level_changes(samples: Samples, high_raw: float, low_raw: float) -> tuple[Ints, Ints]:
    """Sample numbers i where the three-way level (high 1, between 0, low -1) differs at i+1, and the level there."""
    where: list[Ints] = []
    levels: list[np.ndarray[tuple[int], np.dtype[np.int8]]] = []
    above = np.empty(_CHUNK + 1, bool)
    below = np.empty(_CHUNK + 1, bool)
    level = np.empty(_CHUNK + 1, np.int8)
    change = np.empty(_CHUNK, bool)
    for first in range(0, max(len(samples) - 1, 0), _CHUNK):
        part = samples[first : first + _CHUNK + 1]
        n = len(part)
        np.greater(part, high_raw, out=above[:n])
        np.less(part, low_raw, out=below[:n])
        np.subtract(above[:n].view(np.int8), below[:n].view(np.int8), out=level[:n])
        np.not_equal(level[1:n], level[: n - 1], out=change[: n - 1])
        hits = np.flatnonzero(change[: n - 1])
        if len(hits):
            where.append(hits + first)
            levels.append(level[hits + 1])
    if not where:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    return np.concatenate(where), np.concatenate(levels).astype(np.int64)


def find_edges(trace: Trace, threshold_v: float = 0.0, noise_v: float = 0.0) -> Edges:
    """All edges of a trace. noise_v (standard deviation) only widens the stated doubt."""
    correction = trace.correction
    high, low = correction.to_raw(threshold_v + HYSTERESIS_V), correction.to_raw(threshold_v - HYSTERESIS_V)
    where, level = _level_changes(trace.wave.samples, max(high, low), min(high, low))
    if correction.scale < 0:
        level = -level
    settled = np.flatnonzero(level)
    # A repeated level is an excursion into the middle and back, not an edge.
    first_level = _level_before(trace, where[0], threshold_v, level[settled]) if len(where) else 0
    previous = np.concatenate([[first_level], level[settled][:-1]]) if len(settled) else np.empty(0, np.int64)
    settled = settled[level[settled] != previous]
    if not len(settled):
        none = np.empty(0, np.int64)
        return Edges(np.empty(0, bool), np.empty(0), none, none, np.empty(0), np.empty(0))
    first_new = where[settled] + 1
    # When the change before led into the middle, the old level ended there.
    before = np.maximum(settled - 1, 0)
    came_through_middle = (settled > 0) & (level[before] == 0)
    last_old = np.where(came_through_middle, where[before], where[settled])
    edges = _timed(trace, level[settled] > 0, last_old, first_new, threshold_v, noise_v)
    return _without_spikes(edges, SHORTEST_HALF_S * trace.rate_hz)


def _level_before(trace: Trace, sample: int, threshold_v: float, following: Ints) -> int:
    volts = float(trace.take(np.array([sample]))[0])
    if np.isnan(volts):
        return int(following[0]) if len(following) else 0  # coming back from a gap is no edge
    if volts > threshold_v + HYSTERESIS_V:
        return 1
    return -1 if volts < threshold_v - HYSTERESIS_V else 0


def _timed(
    trace: Trace,
    rising: np.ndarray[tuple[int], np.dtype[np.bool_]],
    last_old: Ints,
    first_new: Ints,
    threshold_v: float,
    noise_v: float,
) -> Edges:
    below = _bracket(trace, rising, last_old, first_new, threshold_v)
    before, after = trace.take(below), trace.take(below + 1)
    swing = np.where(after == before, 1.0, after - before)
    share = np.clip((threshold_v - before) / swing, 0.0, 1.0)
    share = np.where(np.isnan(share), 0.5, share)
    # A sample that differs from its outer neighbour lies on the slope itself; else it is the plateau.
    left = np.abs(before - trace.take(np.maximum(below - 1, 0))) > _ON_SLOPE * np.abs(swing)
    right = np.abs(after - trace.take(np.minimum(below + 2, len(trace) - 1))) > _ON_SLOPE * np.abs(swing)
    # A straight line is the edge only where samples lie close on it. Where one step takes most of it, the edge may lie
    # anywhere in it: over all cycles the middle is the unbiased guess, a line through a bent edge is none.
    outer = np.abs(trace.take(np.minimum(below + 4, len(trace) - 1)) - trace.take(np.maximum(below - 3, 0)))
    resolved = (left | right) & (np.abs(swing) < _OF_AN_EDGE * outer)
    line = np.where(left | right, share, 0.5)
    share = np.where(resolved, share, 0.5)
    anywhere = 0.5 + np.abs(share - 0.5)
    on_slope = np.minimum(0.1 + 1.5 * noise_v / np.abs(swing), anywhere)
    doubt = np.where(resolved & left & right, on_slope, anywhere)
    return Edges(rising, below + share, last_old, first_new, doubt, below.astype(np.float64) + line)


def _bracket(
    trace: Trace,
    rising: np.ndarray[tuple[int], np.dtype[np.bool_]],
    last_old: Ints,
    first_new: Ints,
    threshold_v: float,
) -> Ints:
    """Number of the sample just before each crossing of the threshold, between last_old and first_new - 1."""
    below = last_old.copy()
    going = np.flatnonzero(first_new - last_old > 1)
    for _ in range(_LONGEST_SLOPE):
        volts = trace.take(below[going] + 1)
        old = np.where(rising[going], volts < threshold_v, volts > threshold_v)
        going = going[old & (below[going] + 2 <= first_new[going])]
        if not len(going):
            return below
        below[going] += 1
    # Slopes longer than that are slow beyond any pilot: half-way is near enough.
    below[going] = (last_old[going] + first_new[going]) // 2
    return below


def _without_spikes(edges: Edges, shortest: float) -> Edges:
    """Drop pairs of edges closer than `shortest` samples until none is left; alternation is kept."""
    keep = np.arange(len(edges))
    for _ in range(64):
        short = np.flatnonzero(np.diff(edges.at[keep]) < shortest)
        if not len(short):
            break
        # Of touching short halves only every other one can go at once.
        lone = short[np.concatenate([[True], np.diff(short) > 1])]
        gone = np.concatenate([lone, lone + 1])
        keep = np.delete(keep, gone)
    return Edges(
        edges.rising[keep],
        edges.at[keep],
        edges.last_old[keep],
        edges.first_new[keep],
        edges.doubt[keep],
        edges.line[keep],
    )
