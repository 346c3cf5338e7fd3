"""Mains lanes: when voltage and current were there, on how many phases, and how much.

Works on sampled waveforms (RMS over whole spans) and on a logger's RMS values alike.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from gladwire.core.lanes.mains.record import MainsRecord, Sag, Span
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
_SHORTEST_S = 10e-3
# Current for less than this is what the filters behind a contactor take in as it closes (common practice, no source).
_INRUSH_S = 0.1
# Samples from which on the two half-waves are seen; then mains, and its current, go both ways within this many blocks, by
# this share of the larger side. What a contactor leaves on the filters behind it goes one way, and so does a clamp's zero.
_ALTERNATES_HZ, _NO_METER_HZ, _BOTH_WAYS_BLOCKS, _BOTH_WAYS = 400.0, 2000.0, 5, 0.3
_LEVEL_S = 0.1
_STEP_A, _ALIKE_A = 1.0, 0.7
# One cycle of 50 Hz; at 60 Hz the RMS over it is off by a few percent, well above the dip threshold.
CYCLE_S = 20e-3
_LEVEL_BLOCKS = 12
# Under this share of its usual volts a line is off, not low. And what a stretch must last, and its current differ by, to
# tell what a line loses under load. By judgement.
_OFF_SHARE, _SAG_S, _SAG_A = 0.2, 0.1, 4.0
# A line's current that ended while another goes on: how long, and what share of its usual the other keeps.
_ENDED_S, _STAYS_SHARE = 2.0, 0.5
# Slower than this samples are values read now and then.
_WAVEFORM_HZ, _MOST_OFFERS = 5.0, 500

# Noise is taken from so many pieces of so many samples; so many times its deviation, and so many steps of the converter,
# are no current yet.
_NOISE_PIECES, _NOISE_PIECE, _NOISE_REACH, _STEP_REACH = 64, 2048, 5.0, 1.6

Quantity = Literal["V", "A"]


def measure_mains(volts: Sequence[Waveform], amps: Sequence[Waveform], offered: Sequence[Waveform] = ()) -> MainsRecord:
    """Measure mains channels of one recording; at least one of either must be given. offered: amperes a logger says the post
    offers."""
    first = [*volts, *amps][0]
    flowing, live = _spans(amps, _ON_A, _INRUSH_S), _spans(volts, ON_V, _SHORTEST_S)
    levels = tuple(level for span in flowing for level in _levels(amps, span))
    return MainsRecord(
        start_s=first.start_s,
        end_s=first.end_s,
        has_volts=bool(volts),
        has_amps=bool(amps),
        volts=live,
        amps=flowing,
        levels=levels,
        ended=tuple(_with_volts(end, volts, amps) for span in flowing for end in _ended(amps, span)),
        sags=tuple(
            sag for pair in _paired(volts, amps) for span in live if (sag := _sag(*pair, span, flowing, levels))
        ),
        dips=tuple(dip for wave in volts for span in live for dip in _dips(wave, span)),
        offered=tuple(level for wave in offered[:1] for level in _offers(wave)),
        lines=tuple(wave.name for wave in volts),
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
    """(largest magnitude of each block, block length in seconds); missing samples count as nought, and so does what does not
    alternate in a wave that does."""
    most, size = over_blocks(wave, _BLOCK_S, lambda rows: np.nan_to_num(rows).max(axis=1))
    least, _ = over_blocks(wave, _BLOCK_S, lambda rows: np.nan_to_num(rows).min(axis=1))
    magnitude = np.maximum(most, -least)
    # Values of a meter that tells RMS have one sign, and come slower.
    alternates = -quantile(least, 0.02) > _BOTH_WAYS * quantile(most, 0.98) or wave.rate_hz > _NO_METER_HZ
    if wave.rate_hz >= _ALTERNATES_HZ and alternates:
        from scipy.ndimage import maximum_filter1d, minimum_filter1d  # type: ignore[import-untyped]  # slow to import

        above = maximum_filter1d(most, _BOTH_WAYS_BLOCKS, mode="nearest")
        below = -minimum_filter1d(least, _BOTH_WAYS_BLOCKS, mode="nearest")
        magnitude[np.minimum(above, below) < _BOTH_WAYS * np.maximum(above, below)] = 0.0
    return magnitude, size / wave.rate_hz


def _noise(wave: Waveform) -> float:
    """What noise alone, or one step of the converter, may reach; 0 for values read now and then.

    By third differences, which leave little of a sine of ten samples and more: of white noise 20 times its variance.
    """
    if wave.rate_hz < _ALTERNATES_HZ:
        return 0.0
    often = max(1, len(wave.samples) // (_NOISE_PIECES * _NOISE_PIECE))
    pieces = [
        np.asarray(wave.samples[k : k + _NOISE_PIECE], dtype=np.float64)
        for k in range(0, max(len(wave.samples) - _NOISE_PIECE, 1), often * _NOISE_PIECE)
    ]
    thirds = np.concatenate([np.abs(np.diff(np.nan_to_num(piece), 3)) for piece in pieces])
    found = np.unique(np.concatenate(pieces[:_NOISE_PIECES]))
    step = float(np.diff(found).min()) if len(found) > 1 else 0.0
    return max(_NOISE_REACH * 1.4826 * median(thirds) / math.sqrt(20.0), _STEP_REACH * step)


def _spans(waves: Sequence[Waveform], least: float, shortest_s: float) -> tuple[Span, ...]:
    if not waves:
        return ()
    envelopes = [_envelope(wave) for wave in waves]
    block_s, count = envelopes[0][1], min(len(e) for e, _ in envelopes)
    table = np.stack([e[:count] for e, _ in envelopes])
    # Pick-up on an open phase stays well below what flows on the others.
    floor = max(least, 0.1 * quantile(table.max(axis=0), 0.98), *(_noise(wave) for wave in waves))
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
        if (b - a) * block_s >= shortest_s
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
    samples = wave.rate_hz >= _ALTERNATES_HZ
    # What is left on filters behind an open contact goes one way.
    squares, size = over_blocks(
        piece,
        CYCLE_S,
        lambda rows: (np.nan_to_num(rows) ** 2).mean(axis=1) - samples * np.nan_to_num(rows).mean(axis=1) ** 2,
    )
    block_s = size / wave.rate_hz
    values = np.sqrt(squares)
    # Not its median: it may be gone for most of the span.
    usual = quantile(values, 0.9)
    low = values < DIP_SHARE * usual
    edges = np.flatnonzero(np.diff(np.concatenate([[False], low, [False]]))).reshape(-1, 2)
    return [
        Span(
            start_s=piece.start_s + a * block_s,
            end_s=piece.start_s + b * block_s,
            rms=round(float(values[a:b].min()), 1),
            carried_by=(wave.name,),
        )
        for a, b in edges.tolist()
        # A line that its own contact left is off.
        if values[a:b].min() > _OFF_SHARE * usual
    ]


def _paired(volts: Sequence[Waveform], amps: Sequence[Waveform]) -> list[tuple[Waveform, Waveform]]:
    """Volts and amperes of one line, as far as the channels' own numbers tell."""

    def line_of(wave: Waveform) -> str:
        return "".join(c for c in wave.name if c.isdigit())[:1]

    if len(volts) == len(amps) == 1:
        return [(volts[0], amps[0])]
    return [(v, a) for v in volts for a in amps if line_of(v) and line_of(v) == line_of(a)]


def _sag(volts: Waveform, amps: Waveform, span: Span, flowing: Sequence[Span], levels: Sequence[Span]) -> Sag | None:
    """What one line loses within a live span; None where its current does not vary enough."""
    begins = span.start_s + 2 * CYCLE_S
    first_s = min((f.start_s for f in flowing if f.end_s > begins), default=span.end_s) - CYCLE_S
    stretches = [(begins, min(first_s, span.end_s - CYCLE_S))]
    stretches += [(max(x.start_s, begins), min(x.end_s, span.end_s) - CYCLE_S) for x in levels]
    stretches = [(a, _live_until(volts, a, b)) for a, b in stretches]
    read = [
        (_rms(amps, a, b) if a != begins or b > first_s else 0.0, _rms(volts, a, b), a, b)
        for a, b in stretches
        if b - a >= _SAG_S
    ]
    if len(read) < 2:
        return None
    (idle_a, idle_v, start_s, _), (loaded_a, loaded_v, _, end_s) = min(read), max(read)
    if loaded_a - idle_a < _SAG_A:
        return None
    return Sag(
        line=volts.name,
        start_s=start_s,
        end_s=end_s,
        idle_v=round(idle_v, 2),
        loaded_v=round(loaded_v, 2),
        idle_a=round(idle_a, 2),
        loaded_a=round(loaded_a, 2),
    )


def _live_until(volts: Waveform, start_s: float, end_s: float) -> float:
    """End of a stretch, or where the line dies in it: one that is gone has lost nothing on the way."""
    count = int((end_s - start_s) / _LEVEL_S)
    if count < 2:
        return end_s
    values = np.array([_rms(volts, start_s + i * _LEVEL_S, start_s + (i + 1) * _LEVEL_S) for i in range(count)])
    dead = np.flatnonzero(values < _OFF_SHARE * float(values.max()))
    # The block before it may hold the moment itself.
    return start_s + max(0, int(dead[0]) - 1) * _LEVEL_S if len(dead) else end_s


def _cut(wave: Waveform, start_s: float, end_s: float) -> Waveform:
    first = max(0, round((start_s - wave.start_s) * wave.rate_hz))
    last = max(first, round((end_s - wave.start_s) * wave.rate_hz))
    return replace(wave, samples=wave.samples[first:last], start_s=wave.start_s + first / wave.rate_hz)


def _ended(waves: Sequence[Waveform], span: Span) -> list[Span]:
    """Where one of several lines that carried current carries none for long, and another still does."""
    step_s = max(_LEVEL_S, 1.0 / waves[0].rate_hz)
    count = int(span.duration_s / step_s)
    carrying = [wave for wave in waves if wave.name in span.carried_by]
    if len(carrying) < 2 or count * step_s < 2 * _ENDED_S:
        return []
    times = span.start_s + step_s * np.arange(count)
    table = np.array([[_rms(wave, t, t + step_s) for t in times] for wave in carrying])
    usual = np.quantile(table, 0.9, axis=1)
    found = []
    for number, wave in enumerate(carrying):
        others = np.delete(table, number, axis=0).max(axis=0) > _STAYS_SHARE * np.delete(usual, number).max()
        none = (table[number] < _OFF_SHARE * usual[number]) & others
        edges = np.flatnonzero(np.diff(np.concatenate([[False], none, [False]]))).reshape(-1, 2)
        found += [
            Span(start_s=float(times[a]), end_s=float(times[a]) + (b - a) * step_s, rms=0.0, carried_by=(wave.name,))
            for a, b in edges.tolist()
            if (b - a) * step_s >= _ENDED_S and (table[number][:a] > _STAYS_SHARE * usual[number]).any()
        ]
    return found


def _with_volts(end: Span, volts: Sequence[Waveform], amps: Sequence[Waveform]) -> Span:
    """With the volts of that line meanwhile in `each`, where they were captured."""
    line = next((v for v, a in _paired(volts, amps) if a.name == end.carried_by[0]), None)
    return end.model_copy(update={"each": (round(_rms(line, end.start_s, end.end_s), 2),)}) if line else end


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
