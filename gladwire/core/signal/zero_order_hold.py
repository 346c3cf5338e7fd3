"""Values that hold until the next is said, as an evenly sampled lane."""

from __future__ import annotations

import numpy as np

from gladwire.core.signal.waveform import Floats, Waveform

_MOST_SAMPLES = 4_000_000


def zero_order_hold(
    title: str, unit: str, times: Floats, values: Floats, end_s: float, rate_hz: float, stays_s: float
) -> Waveform:
    """times, values: shape (n,), rising. Empty where nothing was said for `stays_s`."""
    start = float(times[0])
    stop = min(end_s, float(times[-1]) + stays_s)
    rate = min(rate_hz, _MOST_SAMPLES / max(stop - start, 1.0))
    at = start + np.arange(max(int((stop - start) * rate), 2)) / rate
    index = np.searchsorted(times, at + 0.5 / rate, side="right") - 1
    samples = values[np.clip(index, 0, None)].astype(np.float32)
    samples[(at - times[np.clip(index, 0, None)] > stays_s) | (index < 0)] = np.nan
    return Waveform(title, samples, rate, start, unit)
