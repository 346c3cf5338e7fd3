"""Decimation for drawing: of every column the smallest and largest sample, so one short glitch stays visible, and the means
of its upper and its lower side, between which noise is drawn as noise and not as its outer edge.

A `Summary` holds this of fixed blocks once and for all; wide views read it instead of every sample.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.signal.waveform import Floats, Ints, Samples

BLOCK = 512
# Sides further apart than this share of all there is are two levels, no noise; samples this far inside lie on an edge.
_TWO_LEVELS, _OF_AN_EDGE = 0.6, 0.15
_CHUNK_BLOCKS = 1 << 13
# With this many blocks to a column, blocks that overlap a column's edge widen it by a quarter at most.
_BLOCKS_PER_COLUMN = 4


@dataclass(frozen=True)
class Summary:
    """Of each block of BLOCK samples, float32, shape (ceil(n / BLOCK),), NaN where all are NaN. low, high: its extremes.
    lower, upper: means of the samples below and above the middle between them: of an oscillation its two levels, of a noisy
    level one of 0.8 standard deviations to either side."""

    low: Samples
    lower: Samples
    upper: Samples
    high: Samples


@dataclass(frozen=True)
class Envelope:
    """What to draw of a range. at: sample number of each column's middle; the others as of a Summary; all shape (k,).

    exact: every column is one single sample.
    """

    at: Floats
    low: Samples
    lower: Samples
    upper: Samples
    high: Samples
    exact: bool


def summarise(samples: Samples) -> Summary:
    """Of every block, computed in pieces that stay in the cache."""
    count = -(-len(samples) // BLOCK)
    low, lower, upper, high = (np.empty(count, np.float32) for _ in range(4))
    for first in range(0, count, _CHUNK_BLOCKS):
        part = np.asarray(samples[first * BLOCK : (first + _CHUNK_BLOCKS) * BLOCK])
        whole = len(part) // BLOCK
        table = part[: whole * BLOCK].reshape(whole, BLOCK)
        np.fmin.reduce(table, axis=1, out=low[first : first + whole])
        np.fmax.reduce(table, axis=1, out=high[first : first + whole])
        rest = part[whole * BLOCK :]
        if len(rest):
            low[first + whole], high[first + whole] = np.fmin.reduce(rest), np.fmax.reduce(rest)
        starts = np.arange(0, len(part), BLOCK)
        some = slice(first, first + len(starts))
        lower[some], upper[some] = _sides(part, starts, low[some], high[some])
    return Summary(low, lower, upper, high)


def _means(values: Samples, starts: Ints) -> Samples:
    """Mean of what is finite in each stretch that begins at `starts`; NaN where nothing is."""
    known = np.isfinite(values)
    many = np.add.reduceat(known, starts, dtype=np.int64)
    total = np.add.reduceat(np.where(known, values, np.float32(0.0)), starts, dtype=np.float64)
    return np.where(many > 0, total / np.maximum(many, 1), np.nan).astype(np.float32)


def _sides(part: Samples, starts: Ints, low: Samples, high: Samples) -> tuple[Samples, Samples]:
    """Means of the samples below and above the middle of each stretch that begins at `starts`; of two levels clear of the
    samples on edges between them."""
    counts, middle = np.diff(starts, append=len(part)), (low + high) / 2
    lower, upper = _split(part, starts, np.repeat(middle, counts), np.repeat(middle, counts))
    apart = upper - lower > _TWO_LEVELS * (high - low)
    edge = _OF_AN_EDGE * (upper - lower)
    under, over = (np.where(apart, at, middle) for at in (lower + edge, upper - edge))
    if apart.any():
        lower, upper = _split(part, starts, np.repeat(under, counts), np.repeat(over, counts))
    # Where all are alike there is no upper side.
    return lower, np.where(np.isnan(upper), high, upper)


def _split(part: Samples, starts: Ints, under: Samples, over: Samples) -> tuple[Samples, Samples]:
    """Means of the samples of each stretch that are not above `under`, and of those above `over`."""
    nothing = np.float32(np.nan)
    return _means(np.where(part > under, nothing, part), starts), _means(np.where(part > over, part, nothing), starts)


def envelope(samples: Samples, summary: Summary, first: int, end: int, columns: int) -> Envelope:
    """Extremes of samples first..end-1 in at most `columns` columns; the samples themselves where they are few.

    The range is clipped to the record. Raises ValueError for fewer than one column.
    """
    if columns < 1:
        raise ValueError("at least one column is needed")
    first, end = max(0, first), min(len(samples), end)
    if end - first <= 2 * columns:
        part = np.asarray(samples[first : max(first, end)])
        return Envelope(np.arange(first, first + len(part), dtype=np.float64), part, part, part, part, True)
    bounds = np.linspace(first, end, columns + 1)
    middle = (bounds[:-1] + bounds[1:]) / 2
    if (end - first) / columns >= _BLOCKS_PER_COLUMN * BLOCK:
        blocks = (bounds[:-1] // BLOCK).astype(np.int64)
        last = -(-end // BLOCK)
        low, high = np.fmin.reduceat(summary.low[:last], blocks), np.fmax.reduceat(summary.high[:last], blocks)
        lower, upper = (_means(side[:last], blocks) for side in (summary.lower, summary.upper))
        return Envelope(middle, low, lower, upper, high, False)
    starts = bounds[:-1].astype(np.int64) - first
    part = np.asarray(samples[first:end])
    low, high = np.fmin.reduceat(part, starts), np.fmax.reduceat(part, starts)
    lower, upper = _sides(part, starts, low, high)
    return Envelope(middle, low, lower, upper, high, False)
