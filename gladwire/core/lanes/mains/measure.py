"""Mains lanes: when voltage and current were there, on how many phases, and how much.

Works on sampled waveforms (RMS over whole spans) and on a logger's RMS values alike.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from gladwire.core.lanes.mains.record import MainsRecord, Span
from gladwire.core.signal.blocks import mean_square, over_blocks
from gladwire.core.signal.robust import median, quantile
from gladwire.core.signal.splitting import Feature, Piece, absorb_single, join, split
from gladwire.core.signal.waveform import Floats, Waveform
from gladwire.core.standards.supply import DIP_SHARE

# A quarter of a mains cycle at 50 Hz: its largest value is at least 0.7 of the peak.
_BLOCK_S = 5e-3
ON_V = 60.0
_ON_A = 0.6
# Off for less than this is a gap in the envelope (a zero crossing), not a switching.
_GAP_S = 15e-3
_SHORTEST_S = 30e-3
_LEVEL_S = 0.1
_STEP_A, _ALIKE_A = 1.0, 0.7
# One cycle of 50 Hz; at 60 Hz the RMS over it is off by a few percent, well above the dip threshold.
CYCLE_S = 20e-3
_LEVEL_BLOCKS = 12
# Slower than this samples are values read now and then.
_WAVEFORM_HZ, _MOST_OFFERS = 5.0, 500

Quantity = Literal["V", "A"]


def measure_mains(volts: Sequence[Waveform], amps: Sequence[Waveform], offered: Sequence[Waveform] = ()) -> MainsRecord:
    """Measure mains channels of one recording; at least one of either must be given. offered: amperes a logger says the post
    offers."""
    first = [*volts, *amps][0]
    flowing, live = _spans(amps, _ON_A), _spans(volts, ON_V)
    return MainsRecord(
        start_s=first.start_s,
        end_s=first.end_s,
        has_volts=bool(volts),
        has_amps=bool(amps),
        volts=live,
        amps=flowing,
        levels=tuple(level for span in flowing for level in _levels(amps, span)),
        dips=tuple(dip for wave in volts for span in live for dip in _dips(wave, span)),
        offered=tuple(level for wave in offered[:1] for level in _offers(wave)),
        step_s=1.0 / first.rate_hz if first.rate_hz < _WAVEFORM_HZ else 0.0,
    )


def _offers(wave: Waveform) -> list[Span]:
    """Stretches of one offer, in order; nothing where it was not read."""
    values = np.round(wave.samples.astype(np.float64), 1)
    edges = np.flatnonzero(np.diff(values) != 0) + 1
    bounds = [0, *edges.tolist(), len(values)]
    return [
        Span(start_s=wave.start_s + a / wave.rate_hz, end_s=wave.start_s + b / wave.rate_hz, rms=float(values[a]))
        for a, b in itertools.pairwise(bounds)
        if np.isfinite(values[a])
    ][:_MOST_OFFERS]


def _envelope(wave: Waveform) -> tuple[Floats, float]:
    """(largest magnitude of each block, block length in seconds); missing samples count as nought."""
    values, size = over_blocks(wave, _BLOCK_S, lambda rows: np.abs(np.nan_to_num(rows)).max(axis=1))
    return values, size / wave.rate_hz


def _spans(waves: Sequence[Waveform], least: float) -> tuple[Span, ...]:
    if not waves:
        return ()
    envelopes = [_envelope(wave) for wave in waves]
    block_s, count = envelopes[0][1], min(len(e) for e, _ in envelopes)
    table = np.stack([e[:count] for e, _ in envelopes])
    # Pick-up on an open phase stays well below what flows on the others.
    floor = max(least, 0.1 * quantile(table.max(axis=0), 0.98))
    on = (table > floor).any(axis=0)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], on, [False]]))).reshape(-1, 2)
    joined: list[list[int]] = []
    for begin, end in edges.tolist():
        if joined and (begin - joined[-1][1]) * block_s <= max(_GAP_S, block_s):
            joined[-1][1] = end
        else:
            joined.append([begin, end])
    start = waves[0].start_s
    return tuple(
        _span(waves, start + a * block_s, start + b * block_s, floor)
        for a, b in joined
        if (b - a) * block_s >= min(_SHORTEST_S, 2 * block_s)
    )


def _span(waves: Sequence[Waveform], start_s: float, end_s: float, floor: float) -> Span:
    values = [_rms(wave, start_s, end_s) for wave in waves]
    carried = [(w.name, round(value, 3)) for w, value in zip(waves, values, strict=True) if value > floor / 1.5]
    return Span(
        start_s=start_s,
        end_s=end_s,
        rms=round(max(values), 3),
        carried_by=tuple(name for name, _ in carried),
        each=tuple(value for _, value in carried),
    )


def _rms(wave: Waveform, start_s: float, end_s: float) -> float:
    first = max(0, int((start_s - wave.start_s) * wave.rate_hz))
    last = max(first + 1, int((end_s - wave.start_s) * wave.rate_hz))
    return float(np.sqrt(mean_square(wave.samples[first:last])))


def _dips(wave: Waveform, span: Span) -> list[Span]:
    """Stretches well inside a live span in which one phase's RMS is under the dip threshold of its usual value."""
    if wave.name not in span.carried_by:
        return []
    piece = _cut(wave, span.start_s + CYCLE_S, span.end_s - CYCLE_S)
    if len(piece.samples) < 4:
        return []
    squares, size = over_blocks(piece, CYCLE_S, lambda rows: (np.nan_to_num(rows) ** 2).mean(axis=1))
    block_s = size / wave.rate_hz
    values = np.sqrt(squares)
    low = values < DIP_SHARE * median(values)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], low, [False]]))).reshape(-1, 2)
    return [
        Span(
            start_s=piece.start_s + a * block_s,
            end_s=piece.start_s + b * block_s,
            rms=round(float(values[a:b].min()), 1),
            carried_by=(wave.name,),
        )
        for a, b in edges.tolist()
    ]


def _cut(wave: Waveform, start_s: float, end_s: float) -> Waveform:
    first = max(0, round((start_s - wave.start_s) * wave.rate_hz))
    last = max(first, round((end_s - wave.start_s) * wave.rate_hz))
    return replace(wave, samples=wave.samples[first:last], start_s=wave.start_s + first / wave.rate_hz)


def _levels(waves: Sequence[Waveform], span: Span) -> list[Span]:
    """Stretches of one current within a span, from RMS values over a tenth of a second."""
    step_s = max(_LEVEL_S, 1.0 / waves[0].rate_hz)
    count = int(span.duration_s / step_s)
    if count < 3:
        return [span]
    times = span.start_s + step_s * np.arange(count)
    values = np.array([max(_rms(w, t, t + step_s) for w in waves) for t in times])

    def alike(left: Piece, right: Piece) -> bool:
        means = [float(np.mean(values[p.first : p.end])) for p in (left, right)]
        return abs(means[0] - means[1]) < max(_ALIKE_A, 0.05 * max(means))

    pieces, _ = absorb_single(split([Feature(values, _STEP_A, _STEP_A)], _LEVEL_BLOCKS), alike)
    pieces = join(pieces, alike)
    bounds = [span.start_s, *(float(times[p.first]) for p in pieces[1:]), span.end_s]
    carrying = [wave for wave in waves if wave.name in span.carried_by]
    return [
        Span(
            start_s=a,
            end_s=b,
            rms=round(float(np.mean(values[p.first : p.end])), 3),
            carried_by=span.carried_by,
            each=tuple(round(_rms(wave, a, b), 3) for wave in carrying),
        )
        for p, (a, b) in zip(pieces, itertools.pairwise(bounds), strict=True)
    ]
