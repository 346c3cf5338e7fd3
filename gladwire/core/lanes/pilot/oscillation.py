"""Oscillating stretches: cut where level or duty changes, then measured cycle by cycle with stated doubt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.lanes.pilot.crossings import Edges
from gladwire.core.lanes.pilot.cycles import SPARSE_SAMPLES, Cycles
from gladwire.core.lanes.pilot.trace import Trace
from gladwire.core.signal.robust import median, midmean, quantile, spread_out
from gladwire.core.signal.splitting import Feature, Piece, absorb_single, join, split
from gladwire.core.signal.waveform import Floats, Ints

STEP_V = 0.8
DRIFT_V = 0.6
ALIKE_V = 0.5
# A half of one or two samples shows its level only roughly.
SPARSE_STEP_V = 1.2
SPARSE_ALIKE_V = 1.0
_SPARSE_NEIGHBOURS = 31
_SHORT_CYCLES = 60
_PLACES, _LOCKED = 10, 0.15
DUTY_STEP = 0.006
DUTY_DRIFT = 0.005
DUTY_ALIKE = 0.0035
_DRIFT_CYCLES = 20
_LEVEL_CYCLES = 256
_LEVEL_SHARES = np.linspace(0.45, 0.95, 8)
_EDGES_LOOKED_AT = 24
_EDGE_WINDOW_S = 100e-6
# An edge counts as resolved when its 10 to 90 % part spans this many sampling intervals.
RESOLVED_INTERVALS = 2.5


@dataclass(frozen=True)
class Value:
    """A measured value and its doubt (+/-), same unit."""

    value: float
    doubt: float


def cut_oscillation(cycles: Cycles, absolute: bool) -> tuple[list[Piece], list[Piece]]:
    """(pieces of like cycles covering all, single odd cycles that interrupted two like pieces).

    absolute: False where only the swing between the levels means anything (AC coupling).
    """
    period = median(cycles.period)
    sampling = median(cycles.width_doubt) / period
    sparse = median(cycles.width) < SPARSE_SAMPLES
    step_v, alike_v = (SPARSE_STEP_V, SPARSE_ALIKE_V) if sparse else (STEP_V, ALIKE_V)
    high_v = _over_edges(cycles.high_v) if sparse else cycles.high_v
    levels = (
        (high_v if absolute else high_v - cycles.low_v, cycles.high_noise_v),
        (cycles.low_v if absolute else np.zeros(len(cycles)), cycles.low_noise_v),
    )
    features = [Feature(values, step_v, DRIFT_V) for values, _ in levels]
    # Where samples lie may make one cycle too wide by its doubt and the next too narrow by as much.
    features.append(Feature(cycles.width / period, DUTY_STEP + 2.0 * sampling, DUTY_DRIFT + sampling))

    def alike(left: Piece, right: Piece) -> bool:
        for values, noise in levels:
            tolerance = alike_v + 3 * max(_noise(noise, left), _noise(noise, right))
            if abs(_middle(values, left) - _middle(values, right)) >= tolerance:
                return False
        # What sampling leaves open about the width of either is no difference.
        first, second = width_of(cycles, left), width_of(cycles, right)
        return abs(first.value - second.value) < DUTY_ALIKE * period + first.doubt + second.doubt

    pieces = split(features, _DRIFT_CYCLES)
    pieces, interruptions = absorb_single(pieces, alike)
    # Short pieces first among themselves: alone each leaves so much open that a long neighbour would swallow it.
    pieces = join(pieces, lambda left, right: max(_len(left), _len(right)) < _SHORT_CYCLES and alike(left, right))
    return join(pieces, alike), interruptions


def _over_edges(high_v: Floats) -> Floats:
    """The largest level of neighbouring cycles: where a half has one sample, it lies on an edge for many cycles running."""
    from scipy.ndimage import maximum_filter1d  # type: ignore[import-untyped]  # slow to import, seldom needed

    widest: Floats = maximum_filter1d(high_v, _SPARSE_NEIGHBOURS)
    return widest


def _len(piece: Piece) -> int:
    return piece.end - piece.first


def _middle(values: Floats, piece: Piece) -> float:
    part = values[piece.first : piece.end]
    return float(np.mean(part)) if len(part) < 4 else midmean(part)


def _noise(noises: Floats, piece: Piece) -> float:
    """What noise alone may have done to the mean level of a piece."""
    return float(np.mean(noises[piece.first : piece.end])) / float(np.sqrt(_len(piece)))


def _inner(piece: Piece) -> slice:
    """Without the first and last cycle, in which the change itself may lie."""
    return slice(piece.first + 1, piece.end - 1) if _len(piece) >= 5 else slice(piece.first, piece.end)


def period_of(cycles: Cycles, piece: Piece) -> Value:
    """Mean period in samples over the whole piece: the two outer edges carry all the doubt there is."""
    part = _inner(piece)
    rise, following = cycles.rise[part], cycles.next_rise[part]
    n = len(rise)
    mean = float(following[-1] - rise[0]) / n
    usual = median(following - rise)
    doubt = float(np.max(cycles.width_doubt[part])) / n
    return Value(mean if abs(mean - usual) < 0.05 * usual else usual, doubt)


def width_of(cycles: Cycles, piece: Piece) -> Value:
    """High time in samples.

    Every cycle bounds the one true width from both sides. Where sampling and pilot drift against each other the edges
    fall everywhere between samples and the mean is better than any bound; where they are locked together (20 samples
    to the cycle) the doubt honestly stays.
    """
    part = _inner(piece)
    width, doubt = cycles.width[part], cycles.width_doubt[part]
    usual = median(width)
    spread = max(2.0, 6 * 1.4826 * median(np.abs(width - usual)))
    fair = np.abs(width - usual) <= spread
    width, doubt = width[fair], doubt[fair]
    mean = float(np.mean(width))
    least = quantile(width - doubt, 0.98)
    most = quantile(width + doubt, 0.02)
    scatter = 2.0 * float(np.std(width)) / float(np.sqrt(len(width)))
    if least >= most:
        return Value(mean, max(scatter, 0.02))
    uneven = _unevenness(cycles.period[part], len(width))
    if uneven > _LOCKED:  # every cycle is sampled alike: what its slopes say is all there is
        mean = float(np.mean(cycles.line_width[part][fair]))
    value = min(max(mean, least), most)
    bound = max(value - least, most - value)
    drifted = 2 * uneven * float(np.max(doubt)) + scatter
    return Value(value, max(min(bound, drifted), scatter, 0.02))


def _unevenness(period: Floats, count: int) -> float:
    """How unevenly the edges fall between samples over `count` cycles: 1 where all fall alike, near 0 where everywhere.

    With a period near a fraction of q parts they fall in q places only, until the rest has carried them on.
    """
    mean = float(np.mean(period))
    worst = 0.0
    for q in range(1, _PLACES + 1):
        rest = abs(q * mean - round(q * mean))
        worst = max(worst, min(1.0 / q, 1.0 / max(count * rest, 1e-9)))
    return worst


def plateaus_of(trace: Trace, edges: Edges, cycles: Cycles, piece: Piece, low_side_v: float) -> tuple[Value, Value]:
    """(high, low) plateau in volts; where levels are not absolute the low side is taken for low_side_v."""
    high, low = (_plateau_of(trace, edges, cycles, piece, side) for side in (True, False))
    if trace.absolute:
        return high, low
    return Value(high.value - low.value + low_side_v, high.doubt + low.doubt), Value(low_side_v, 0.0)


def _plateau_of(trace: Trace, edges: Edges, cycles: Cycles, piece: Piece, high: bool) -> Value:
    """Plateau level in volts from many late samples of many cycles, never the extremes."""
    part = _inner(piece)
    halves = cycles.width[part] if high else cycles.next_rise[part] - cycles.fall[part]
    if median(halves) < 2 * SPARSE_SAMPLES:
        return _sparse_plateau(cycles.high_v[part] if high else -cycles.low_v[part], 1.0 if high else -1.0)
    edge = cycles.rise_edge[part]
    edge = edge[spread_out(0, len(edge) - 1, _LEVEL_CYCLES)]
    entry = edge if high else edge + 1
    first, last = edges.first_new[entry], edges.last_old[entry + 1]
    room = (last - first) >= 2
    first, last = first + room, last - room
    index = first[:, None] + np.floor(_LEVEL_SHARES * (last - first)[:, None] + 0.5).astype(np.int64)
    volts = trace.take(index).ravel()
    volts = volts[np.isfinite(volts)]
    if not len(volts):
        return Value(float("nan"), 0.0)
    return Value(midmean(volts), 2.0 * float(np.std(volts)) / float(np.sqrt(len(edge))))


def _sparse_plateau(outward: Floats, sign: float) -> Value:
    """Level where a half holds a few samples only: those on an edge lie nearer to nought, so the outer quarter counts."""
    outer, middle, far = (quantile(outward, share) for share in (0.75, 0.5, 0.9))
    return Value(sign * outer, max(outer - middle, far - outer) / float(np.sqrt(len(outward))) + (far - outer) / 2)


def edge_time(trace: Trace, edges: Edges, first: int, last: int, rising: bool, levels: tuple[float, float]) -> float:
    """Median 10 to 90 % time in samples of the rising or falling edges numbered first..last; NaN where none fits."""
    low, high = levels
    chosen = np.arange(first, last + 1)
    chosen = chosen[edges.rising[chosen] == rising]
    chosen = chosen[spread_out(0, len(chosen) - 1, _EDGES_LOOKED_AT)]
    if not len(chosen):
        return float("nan")
    times = _edge_lengths(trace, edges, chosen, 1.0 if rising else -1.0, low, high)
    times = times[np.isfinite(times)]
    return median(times) if len(times) else float("nan")


def _edge_lengths(trace: Trace, edges: Edges, chosen: Ints, sign: float, low: float, high: float) -> Floats:
    """10 to 90 % time in samples of each chosen edge; NaN where it does not get from one to the other. Shape (k,)."""
    reach = max(4, int(_EDGE_WINDOW_S * trace.rate_hz))
    last_old, first_new = edges.last_old[chosen], edges.first_new[chosen]
    span = int(np.max(first_new - last_old))
    begin = last_old - reach
    index = begin[:, None] + np.arange(2 * reach + span + 1)
    # Samples of the neighbouring edges are no part of this one.
    least = np.where(chosen > 0, edges.first_new[np.maximum(chosen - 1, 0)], 0)[:, None]
    most = np.where(chosen + 1 < len(edges), edges.last_old[np.minimum(chosen + 1, len(edges) - 1)], len(trace) - 1)[
        :, None
    ]
    volts = sign * trace.take(np.clip(index, least, most))
    ends = sorted((sign * (low + 0.1 * (high - low)), sign * (low + 0.9 * (high - low))))
    under = (volts <= ends[0]) & (index <= first_new[:, None])
    over = (volts >= ends[1]) & (index >= last_old[:, None])
    width = index.shape[1]
    leave, arrive = width - 1 - np.argmax(under[:, ::-1], axis=1), np.argmax(over, axis=1)
    found = under.any(axis=1) & over.any(axis=1)
    lengths = _interpolate(volts, arrive - 1, ends[1]) - _interpolate(volts, leave, ends[0])
    return np.where(found, lengths, np.nan)


def _interpolate(volts: Floats, at: Ints, level: float) -> Floats:
    """Where each row, between samples at and at + 1, goes through a level; fractional sample numbers."""
    at = np.clip(at, 0, volts.shape[1] - 2)
    rows = np.arange(len(volts))
    before, step = volts[rows, at], volts[rows, at + 1] - volts[rows, at]
    share: Floats = np.where(step == 0, 0.0, (level - before) / np.where(step == 0, 1.0, step))
    return at + share


def edge_numbers(cycles: Cycles, piece: Piece) -> tuple[int, int]:
    """First and last edge number of a piece."""
    numbers: Ints = cycles.rise_edge[piece.first : piece.end]
    return int(numbers[0]), int(numbers[-1]) + 1
