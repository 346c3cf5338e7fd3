"""Switching noise on the pilot: once a charger converts power, its switching rides on the line that lies beside it.

Noise is told from second differences, which a level, an edge every half millisecond and mains hum leave alone.
"""

from __future__ import annotations

import numpy as np

from gladwire.core.lanes.pilot.record import PilotRecord, PowerNoise, Segment
from gladwire.core.signal.blocks import over_blocks
from gladwire.core.signal.robust import median
from gladwire.core.signal.waveform import Floats, Waveform

_BLOCK_S = 50e-3
# Fewer samples to a cycle and its edges are a large share of what is compared.
_LEAST_RATE_HZ = 30e3
_RISES_BY, _LEAST_V = 3.0, 0.04
_LEAST_S = 0.4
# White noise of deviation 1 has second differences of deviation sqrt(6).
_OF_SECOND_DIFFERENCES = 1.4826 / 6**0.5


def find_power_noise(wave: Waveform, pilot: PilotRecord) -> tuple[PowerNoise, ...]:
    """Stretches of raised noise within C and D, measured against the offer standing in B of the same capture.

    Empty where there is nothing to compare with, or the rate is too low to tell.
    """
    waiting = [s for s in pilot.segments if s.state == "B" and s.offer_kind == "current"]
    asking = [s for s in pilot.segments if s.state in ("C", "D") and s.offer_kind == "current"]
    if not waiting or not asking or wave.rate_hz < _LEAST_RATE_HZ:
        return ()
    scale = abs(pilot.interpretation.scale)
    values, size = over_blocks(wave, _BLOCK_S, _noise)
    values, block_s = values * scale, size / wave.rate_hz
    usual = _within(values, waiting, wave.start_s, block_s)
    if len(usual) < 3:
        return ()
    before = max(median(usual), pilot.quantum_v / 3)
    limit = max(_RISES_BY * before, _LEAST_V)
    found = []
    for segment in asking:
        first, end = _blocks(segment, wave.start_s, block_s, len(values))
        loud = np.concatenate([[False], values[first:end] > limit, [False]])
        for a, b in np.flatnonzero(np.diff(loud)).reshape(-1, 2).tolist():
            if (b - a) * block_s >= _LEAST_S:
                start = wave.start_s + (first + a) * block_s
                level = median(values[first + a : first + b])
                noise = PowerNoise(start_s=start, end_s=start + (b - a) * block_s, noise_v=level, before_v=before)
                found.append(noise)
    return tuple(found)


def _noise(rows: Floats) -> Floats:
    seconds = np.abs(np.diff(rows, n=2, axis=1))
    noise: Floats = np.nan_to_num(np.median(seconds, axis=1)) * _OF_SECOND_DIFFERENCES
    return noise


def _blocks(segment: Segment, start_s: float, block_s: float, count: int) -> tuple[int, int]:
    """Blocks that lie wholly within a segment."""
    first = int(np.ceil((segment.start_s - start_s) / block_s))
    return min(first, count), min(count, int((segment.end_s - start_s) / block_s))


def _within(values: Floats, segments: list[Segment], start_s: float, block_s: float) -> Floats:
    spans = [_blocks(s, start_s, block_s, len(values)) for s in segments]
    return np.concatenate([values[a:b] for a, b in spans])
