"""Runs of oscillation, cut into cycles: period, high time and plateau levels of each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.lanes.pilot.crossings import Edges
from gladwire.core.lanes.pilot.trace import Trace
from gladwire.core.signal.robust import median, quantile
from gladwire.core.signal.waveform import Floats, Ints

# A half longer than this is a steady level, whatever the period (200 Hz is no pilot).
LONGEST_HALF_S = 5e-3
# Ten times too fast is noise about the threshold.
SHORTEST_PERIOD_S = 0.1e-3
# Late in the half-cycle: past the ringing of the edge before, short of the edge after.
_PLATEAU_SHARES = np.array([0.5, 0.75, 1.0])
# Where a half holds enough samples more of them are looked at: power line bursts must not move the level.
_FINE_SHARES = np.linspace(0.4, 0.96, 9)
_FINE_FROM_SAMPLES = 14
_CHUNK = 1 << 17
# Halves of fewer samples than this have hardly one that lies clear of the edges.
SPARSE_SAMPLES = 2.5
_HALVES_LOOKED_AT = 2000


@dataclass(frozen=True)
class Train:
    """Edges first..last (inclusive) belong to one unbroken oscillation; start and end in samples."""

    first: int
    last: int
    start: float
    end: float


@dataclass(frozen=True)
class Cycles:
    """Whole cycles of one run, rise to rise; arrays of shape (n,), times and widths in samples, levels in volts.

    line_width: by straight lines through the samples on the slopes.
    high_noise_v, low_noise_v: how far noise within the half may have moved its level (standard deviation).
    """

    rise: Floats
    fall: Floats
    next_rise: Floats
    width_doubt: Floats
    high_v: Floats
    low_v: Floats
    high_noise_v: Floats
    low_noise_v: Floats
    rise_edge: Ints
    line_width: Floats

    def __len__(self) -> int:
        return len(self.rise)

    @property
    def width(self) -> Floats:
        return self.fall - self.rise

    @property
    def period(self) -> Floats:
        return self.next_rise - self.rise


def usual_period(edges: Edges, rate_hz: float) -> float | None:
    """Median period in samples over all rising edges, or None where nothing oscillates."""
    periods = np.diff(edges.at[edges.rising])
    periods = periods[periods < 2 * LONGEST_HALF_S * rate_hz]
    period = median(periods) if len(periods) else 0.0
    return period if period >= SHORTEST_PERIOD_S * rate_hz else None


def find_trains(edges: Edges, samples: int, rate_hz: float) -> list[Train]:
    """Unbroken oscillations of at least one and a half cycles, in order.

    A partial half at the capture's very start or end counts with the run it touches.
    """
    period = usual_period(edges, rate_hz)
    if period is None:
        return []
    # A half of one or two samples is missed now and then; that is the sampling's gap, not the pilot's.
    sparse = quantile(np.diff(edges.at[:_HALVES_LOOKED_AT]), 0.25) < SPARSE_SAMPLES
    limit = min((4.5 if sparse else 1.5) * period, LONGEST_HALF_S * rate_hz)
    breaks = np.flatnonzero(np.diff(edges.at) > limit)
    firsts = np.concatenate([[0], breaks + 1])
    lasts = np.concatenate([breaks, [len(edges) - 1]])
    runs = []
    for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
        if last - first < 2:
            continue
        start, end = float(edges.at[first]), float(edges.at[last])
        if first == 0 and start <= limit:
            start = 0.0
        if last == len(edges) - 1 and samples - end <= limit:
            end = float(samples)
        runs.append(Train(first, last, start, end))
    return runs


def cut_cycles(trace: Trace, edges: Edges, run: Train) -> Cycles:
    """Whole cycles (rise, fall, rise) of a run; may be empty when the run holds none."""
    first = run.first if edges.rising[run.first] else run.first + 1
    count = (run.last - first) // 2
    rise = first + 2 * np.arange(max(count, 0), dtype=np.int64)
    fall, following = rise + 1, rise + 2
    high_v, high_noise_v = plateau(trace, edges.first_new[rise], edges.last_old[fall], True)
    low_v, low_noise_v = plateau(trace, edges.first_new[fall], edges.last_old[following], False)
    return Cycles(
        rise=edges.at[rise],
        fall=edges.at[fall],
        next_rise=edges.at[following],
        width_doubt=edges.doubt[rise] + edges.doubt[fall],
        high_v=high_v,
        low_v=low_v,
        high_noise_v=high_noise_v,
        low_noise_v=low_noise_v,
        rise_edge=rise,
        line_width=edges.line[fall] - edges.line[rise],
    )


def plateau(trace: Trace, first: Ints, last: Ints, upper: bool) -> tuple[Floats, Floats]:
    """(level, its noise) of each half between sample numbers first..last, from late samples, never an edge's own.

    Of a half with one or two samples the outer one counts: the other may lie on an edge. upper: which half it is.
    """
    room = (last - first) >= 2
    low, high = first + room, last - room
    fine = len(low) > 0 and median((high - low).astype(np.float64)) >= _FINE_FROM_SAMPLES
    shares = _FINE_SHARES if fine else _PLATEAU_SHARES
    level, noise = np.empty(len(low)), np.empty(len(low))
    for begin in range(0, len(low), _CHUNK):
        part = slice(begin, begin + _CHUNK)
        index = low[part, None] + np.floor(shares * (high - low)[part, None] + 0.5).astype(np.int64)
        volts = np.sort(trace.take(index), axis=1)
        inner = volts[:, 2:-2] if fine else volts[:, 1:-1]
        level[part] = inner.mean(axis=1)
        # The middle five of nine (or all of three) normal values span 1.14 (1.69) standard deviations.
        spread = (inner[:, -1] - inner[:, 0]) / 1.14 if fine else (volts[:, -1] - volts[:, 0]) / 1.69
        # Two samples, one on an edge, show the edge and no noise.
        noise[part] = np.where(room[part], spread / np.sqrt(len(shares)), 0.0)
        level[part] = np.where(room[part], level[part], volts[:, -1] if upper else volts[:, 0])
    return level, noise
