"""Mains lanes: when voltage and current were there, on how many phases, and how much.

Works on sampled waveforms (RMS over whole spans) and on a logger's RMS values alike.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.blocks import mean_square, over_blocks
from gladwire.core.robust import quantile
from gladwire.core.splitting import Feature, Piece, absorb_single, join, split
from gladwire.core.waveform import Floats, Waveform

# A quarter of a mains cycle at 50 Hz: its largest value is at least 0.7 of the peak.
_BLOCK_S = 5e-3
_ON_V = 60.0
_ON_A = 0.6
# Off for less than this is a gap in the envelope (a zero crossing), not a switching.
_GAP_S = 15e-3
_SHORTEST_S = 30e-3
_LEVEL_S = 0.1
_STEP_A, _ALIKE_A = 1.0, 0.7
_LEVEL_BLOCKS = 12

Quantity = Literal["V", "A"]


class Span(BaseModel):
    """A stretch in which a quantity was there. rms: of the phase with the most; phases: how many carried it."""

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float
    rms: float
    phases: int

    @property
    def duration_s(self) -> float:
        return self.end_s - self.start_s


class MainsRecord(BaseModel):
    """volts, amps: stretches with voltage and current; levels: stretches of one current, in order.

    has_volts, has_amps: whether such channels were captured at all.
    """

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float
    has_volts: bool
    has_amps: bool
    volts: tuple[Span, ...]
    amps: tuple[Span, ...]
    levels: tuple[Span, ...]


def measure_mains(volts: Sequence[Waveform], amps: Sequence[Waveform]) -> MainsRecord:
    """Measure mains channels of one recording; at least one of either must be given."""
    first = [*volts, *amps][0]
    flowing = _spans(amps, _ON_A)
    return MainsRecord(
        start_s=first.start_s,
        end_s=first.end_s,
        has_volts=bool(volts),
        has_amps=bool(amps),
        volts=_spans(volts, _ON_V),
        amps=flowing,
        levels=tuple(level for span in flowing for level in _levels(amps, span)),
    )


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
    return Span(start_s=start_s, end_s=end_s, rms=round(max(values), 3), phases=sum(v > floor / 1.5 for v in values))


def _rms(wave: Waveform, start_s: float, end_s: float) -> float:
    first = max(0, int((start_s - wave.start_s) * wave.rate_hz))
    last = max(first + 1, int((end_s - wave.start_s) * wave.rate_hz))
    return float(np.sqrt(mean_square(wave.samples[first:last])))


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
    return [
        Span(start_s=a, end_s=b, rms=round(float(np.mean(values[p.first : p.end])), 3), phases=span.phases)
        for p, (a, b) in zip(pieces, itertools.pairwise(bounds), strict=True)
    ]
