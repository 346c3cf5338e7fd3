"""Decimation for drawing: the smallest and largest sample of every column, so one short glitch stays visible.

A `Summary` holds the extremes of fixed blocks once and for all; wide views read it instead of every sample.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.signal.waveform import Floats, Samples

BLOCK = 512
_CHUNK_BLOCKS = 1 << 13
# With this many blocks to a column, blocks that overlap a column's edge widen it by a quarter at most.
_BLOCKS_PER_COLUMN = 4


@dataclass(frozen=True)
class Summary:
    """low, high: float32, shape (ceil(n / BLOCK),), extremes of each block of BLOCK samples; NaN where all are NaN."""

    low: Samples
    high: Samples


@dataclass(frozen=True)
class Envelope:
    """What to draw of a range. at: sample number of each column's middle; low, high: its extremes; all shape (k,).

    exact: every column is one single sample.
    """

    at: Floats
    low: Samples
    high: Samples
    exact: bool


def summarise(samples: Samples) -> Summary:
    """Extremes of every block, computed in pieces that stay in the cache."""
    count = -(-len(samples) // BLOCK)
    low, high = np.empty(count, np.float32), np.empty(count, np.float32)
    for first in range(0, count, _CHUNK_BLOCKS):
        part = np.asarray(samples[first * BLOCK : (first + _CHUNK_BLOCKS) * BLOCK])
        whole = len(part) // BLOCK
        table = part[: whole * BLOCK].reshape(whole, BLOCK)
        np.fmin.reduce(table, axis=1, out=low[first : first + whole])
        np.fmax.reduce(table, axis=1, out=high[first : first + whole])
        rest = part[whole * BLOCK :]
        if len(rest):
            low[first + whole], high[first + whole] = np.fmin.reduce(rest), np.fmax.reduce(rest)
    return Summary(low, high)


def envelope(samples: Samples, summary: Summary, first: int, end: int, columns: int) -> Envelope:
    """Extremes of samples first..end-1 in at most `columns` columns; the samples themselves where they are few.

    The range is clipped to the record. Raises ValueError for fewer than one column.
    """
    if columns < 1:
        raise ValueError("at least one column is needed")
    first, end = max(0, first), min(len(samples), end)
    if end - first <= 2 * columns:
        part = np.asarray(samples[first : max(first, end)])
        return Envelope(np.arange(first, first + len(part), dtype=np.float64), part, part, True)
    bounds = np.linspace(first, end, columns + 1)
    middle = (bounds[:-1] + bounds[1:]) / 2
    if (end - first) / columns >= _BLOCKS_PER_COLUMN * BLOCK:
        blocks = (bounds[:-1] // BLOCK).astype(np.int64)
        last = -(-end // BLOCK)
        low = np.fmin.reduceat(summary.low[:last], blocks)
        high = np.fmax.reduceat(summary.high[:last], blocks)
        return Envelope(middle, low, high, False)
    starts = bounds[:-1].astype(np.int64) - first
    part = np.asarray(samples[first:end])
    return Envelope(middle, np.fmin.reduceat(part, starts), np.fmax.reduceat(part, starts), False)
