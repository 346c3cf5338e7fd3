"""A first look at a channel: short windows, each either steady or swinging between two levels.

This decides how the capture is to be read (scale, polarity, offset) before any threshold in volts makes sense.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.signal.robust import quantile, spread_out
from gladwire.core.signal.waveform import Floats, Ints, Samples, Waveform

Mask = np.ndarray[tuple[int, int], np.dtype[np.bool_]]
# Slower than this a kilohertz hides between the samples, or looks like another frequency: Nyquist, and some room.
SEES_HZ = 4000.0
_WINDOWS = 256
_WINDOW_S = 4e-3
_PER_WINDOW = 160
_FULL_HALF = 16
# Steps of the file by which a level scatters before a flat one says anything.
_TELLS_FLAT = 1.0
# Share of the distances between distinct values that are one step.
_CLOSEST = 0.1
# Bits of converters in oscilloscopes and loggers; and the share of samples on an end that is a level there.
_CONVERTER_BITS, _ONE_CODE, _DWELLS = (8, 10, 12, 14), 0.1, 0.02


@dataclass(frozen=True)
class Glance:
    """Windows of a channel in raw units; arrays of shape (k,).

    swings: True where the window holds two clear levels. high, low: their levels (equal in a steady window).
    scatter: median distance of a window's samples from its level or levels: large where it is neither.
    duty: share of samples at the high level. noise: standard deviation on a level. quantum: the file's smallest step.
    clipped_high / clipped_low: a level lies dead flat on the largest / smallest value while another level is noisy, or on the
    last / first code of a converter whose every code is used.
    invalid: share of samples that are not finite; holed: share of samples marked as beyond the range
    without the side. marked: whether
    the file marks samples as beyond the range. top, bottom: largest and smallest sample looked at.
    """

    swings: np.ndarray[tuple[int], np.dtype[np.bool_]]
    high: Floats
    low: Floats
    scatter: Floats
    duty: Floats
    noise: float
    quantum: float
    clipped_high: bool
    clipped_low: bool
    invalid: float
    top: float
    bottom: float
    holed: float = 0.0
    marked: bool = False


def glance(wave: Waveform) -> Glance:
    """Look at up to 256 windows of 4 ms spread over the record. Cost does not depend on the record's length."""
    picked = _windows(wave)
    finite = np.isfinite(picked)
    invalid = 1.0 - float(finite.mean()) if picked.size else 1.0
    holed = wave.sideless / max(1, len(wave.samples))
    rows: Floats = picked[finite.all(axis=1)].astype(np.float64)
    if not rows.size:
        nothing, none = np.empty(0), np.empty(0, bool)
        return Glance(none, nothing, nothing, nothing, nothing, 0.0, 0.0, False, False, invalid, 0.0, 0.0, holed)
    top, bottom = float(rows.max()), float(rows.min())
    middle = (rows.max(axis=1) + rows.min(axis=1))[:, None] / 2
    above: Mask = np.greater(rows, middle)
    count = above.sum(axis=1)
    ranked = np.sort(rows, axis=1)
    low, low_spread = _level_and_spread(ranked, np.zeros(len(rows), np.int64), rows.shape[1] - count)
    high, high_spread = _level_and_spread(ranked, rows.shape[1] - count, count)
    spread = low_spread + high_spread
    swings = (
        (count >= 2)
        & (count <= rows.shape[1] - 2)
        & (spread < 0.25 * (high - low))
        & (high - low > 0.2 * (top - bottom))
        & (_exchanges(above) >= 3)
    )
    all_of = np.full(len(rows), rows.shape[1])
    steady, around = _level_and_spread(ranked, 0 * all_of, all_of)
    high, low = np.where(swings, high, steady), np.where(swings, low, steady)
    noise = _noise(rows, above, swings, high, low)
    quantum = _quantum(rows)
    scatter = np.where(swings, spread / 2, around)
    # Under about a step of the file levels are flat or not as they happen to lie. Halves of few samples show their edges.
    full = ~swings | (np.minimum(count, rows.shape[1] - count) >= _FULL_HALF)
    rougher = np.where(swings, np.maximum(low_spread, high_spread), around)
    noisy = 1.48 * quantile(rougher[full], 0.9) > _TELLS_FLAT * quantum
    whole = _fills_converter(top - bottom, quantum)
    return Glance(
        swings=swings,
        high=high,
        low=low,
        scatter=scatter,
        duty=count / rows.shape[1],
        noise=noise,
        quantum=quantum,
        clipped_high=wave.ends[1] is not None
        or (noisy and _is_clipped(rows, top, noise))
        or (whole and _dwells(rows, top)),
        clipped_low=wave.ends[0] is not None
        or (noisy and _is_clipped(-rows, -bottom, noise))
        or (whole and _dwells(rows, bottom)),
        invalid=invalid,
        top=top,
        bottom=bottom,
        holed=holed,
        marked=any(end is not None for end in wave.ends),
    )


def _windows(wave: Waveform) -> Samples:
    n = len(wave.samples)
    length = min(n, max(4, round(_WINDOW_S * wave.rate_hz)))
    if length == 0:
        return np.empty((0, 0), np.float32)
    starts = np.linspace(0, n - length, min(_WINDOWS, max(1, n // length))).astype(np.int64)
    inside = spread_out(0, length - 1, _PER_WINDOW)
    picked: Samples = wave.samples[starts[:, None] + inside[None, :]]
    return picked


def _exchanges(above: Mask) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """How often each window changes side: a single step from one steady level to another is no oscillation."""
    return np.asarray((above[:, 1:] != above[:, :-1]).sum(axis=1))


def _level_and_spread(ranked: Floats, first: Ints, count: Ints) -> tuple[Floats, Floats]:
    """(median, half the interquartile range) of entries first..first+count-1 of each sorted row.

    Half the interquartile range is the median distance from the level: a sine spreads wide, a plateau does not.
    """
    last = ranked.shape[1] - 1

    def at(share: float) -> Floats:
        index = np.clip(first + (share * np.maximum(count - 1, 0)).astype(np.int64), 0, last)
        picked: Floats = np.take_along_axis(ranked, index[:, None], axis=1)[:, 0]
        return picked

    return at(0.5), (at(0.75) - at(0.25)) / 2


def _noise(
    rows: Floats,
    above: Mask,
    swings: np.ndarray[tuple[int], np.dtype[np.bool_]],
    high: Floats,
    low: Floats,
) -> float:
    """Scatter around the levels; samples on the file's extremes say nothing (they may be clipped), edges are trimmed."""
    level = np.where(above & swings[:, None], high[:, None], low[:, None])
    inside = (rows < rows.max()) & (rows > rows.min())
    if inside.mean() < 0.02:
        return 0.0
    off = np.abs((rows - level)[inside])
    kept = off[off <= quantile(off, 0.9)]
    # The innermost nine tenths of a normal distribution have 0.79 of its standard deviation.
    return float(np.sqrt(np.mean(kept**2)) / 0.79)


def _quantum(rows: Floats) -> float:
    """Smallest step between distinct values: half of it is the best any single sample can do. Values on edges lie many steps
    apart, and of few samples to the cycle they are most of them."""
    distinct = np.unique(rows.ravel()[::2][:8_000].astype(np.float32))
    if len(distinct) < 2 or len(distinct) > 2048:
        return 0.0
    return quantile(np.diff(distinct).astype(np.float64), _CLOSEST)


def _fills_converter(span: float, quantum: float) -> bool:
    """Whether the values reach over every code of a converter, as only a signal beyond both its ends does."""
    if quantum <= 0.0:
        return False
    codes = span / quantum + 1.0
    return any(abs(codes - 2**bits) < _ONE_CODE for bits in _CONVERTER_BITS)


def _dwells(rows: Floats, end: float) -> bool:
    return float((rows == end).mean()) > _DWELLS


def _is_clipped(rows: Floats, top: float, noise: float) -> bool:
    """Many samples exactly on the largest value, nothing noisy there, though noise is to be seen elsewhere."""
    at_top = float((rows == top).mean())
    near_top = float(((rows < top) & (rows > top - max(4 * noise, 1e-9))).mean())
    return noise > 0 and at_top > 0.01 and near_top < 0.05 * at_top
