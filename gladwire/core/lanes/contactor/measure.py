"""A contactor's line, driven or fed back: when it is closed. The level it rests at is taken for open."""

from __future__ import annotations

import numpy as np

from gladwire.core.lanes.contactor.record import Closing, ContactorRecord
from gladwire.core.signal.blocks import over_blocks
from gladwire.core.signal.robust import median, quantile
from gladwire.core.signal.waveform import Waveform

_BLOCK_S = 1e-3
# Contacts bounce: what is shorter is no switching.
_BOUNCE_S = 20e-3
_LEAST_SWING = 0.3


def measure_contactor(wave: Waveform) -> ContactorRecord:
    """Closings of a two-level line; missing samples take the resting level."""
    values, size = over_blocks(wave, _BLOCK_S, lambda rows: np.nan_to_num(rows).mean(axis=1))
    block_s = size / wave.rate_hz
    low, high = quantile(values, 0.001), quantile(values, 0.999)
    if high - low < max(_LEAST_SWING, 8 * 1.4826 * median(np.abs(np.diff(values))) if len(values) > 1 else 0.0):
        return ContactorRecord(channel=wave.name, start_s=wave.start_s, end_s=wave.end_s, switched=False)
    above = values > (low + high) / 2
    closed = above if not above[0] else ~above
    edges = np.flatnonzero(np.diff(np.concatenate([[False], closed, [False]]))).reshape(-1, 2).tolist()
    joined: list[list[int]] = []
    for first, end in edges:
        if joined and (first - joined[-1][1]) * block_s < _BOUNCE_S:
            joined[-1][1] = end
        else:
            joined.append([first, end])
    return ContactorRecord(
        channel=wave.name,
        start_s=wave.start_s,
        end_s=wave.end_s,
        switched=True,
        closings=tuple(
            Closing(
                start_s=wave.start_s + a * block_s, end_s=wave.start_s + b * block_s, until_end=b >= len(values) - 1
            )
            for a, b in joined
            if (b - a) * block_s >= _BOUNCE_S
        ),
    )
