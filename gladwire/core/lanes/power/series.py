"""A power record as evenly sampled lanes, for drawing beside other captures."""

from __future__ import annotations

import numpy as np

from gladwire.core.lanes.power.record import PowerRecord, completed, gaps
from gladwire.core.quantities import QUANTITIES
from gladwire.core.signal.waveform import Waveform

_MOST_SAMPLES, _SLOWEST_HZ, _FASTEST_HZ = 400_000, 1 / 60.0, 20.0


def lanes_of(record: PowerRecord) -> tuple[Waveform, ...]:
    """A lane for each quantity, straight between readings and empty over gaps; in the order of `QUANTITIES`."""
    record = completed(record)
    found = []
    for quantity in QUANTITIES:
        times, values = record.at_readings(quantity.key)
        if len(times) < 2:
            continue
        span = float(times[-1] - times[0])
        rate = float(np.clip(1.0 / np.median(np.diff(times)), _SLOWEST_HZ, _FASTEST_HZ))
        count = int(min(max(span * rate, 4.0), _MOST_SAMPLES)) + 1
        at = np.linspace(times[0], times[-1], count)
        samples = np.interp(at, times, values)
        for gap in gaps(times):
            samples[(at > times[gap]) & (at < times[gap + 1])] = np.nan
        found.append(
            Waveform(quantity.title, samples.astype(np.float32), (count - 1) / span, float(times[0]), quantity.unit)
        )
    return tuple(found)
