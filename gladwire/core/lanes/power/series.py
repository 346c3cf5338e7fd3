"""A power record as evenly sampled lanes, for drawing beside other captures, and back from lanes said in messages."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gladwire.core.lanes.frames.series import SERIES
from gladwire.core.lanes.power.record import PowerRecord, completed, gaps
from gladwire.core.quantities import QUANTITIES
from gladwire.core.signal.waveform import Waveform

_MOST_SAMPLES, _SLOWEST_HZ, _FASTEST_HZ = 400_000, 1 / 60.0, 20.0
_SAID_STEP_S = 1.0
# Less current than this all along is no charging, only what a check or pre-charge lets through.
_FLOWS_A, _FLOWS_KW = 3.0, 0.5


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


def record_of(said: Sequence[Waveform]) -> PowerRecord | None:
    """The power record of a conversation, read once a second from its lanes; None where no current is said to flow."""
    by_title = {wave.name: wave for wave in said}
    waves = {series.quantity: by_title[series.title] for series in SERIES if series.title in by_title}
    amps, power = waves.get("amps_a"), waves.get("power_kw")
    if amps is not None and "volts_v" in waves and np.nanmax(amps.samples, initial=0.0) > _FLOWS_A:
        base = amps
    elif power is not None and np.nanmax(power.samples, initial=0.0) > _FLOWS_KW:
        base = power  # AC by ISO 15118-20 tells watts alone
    else:
        return None
    at = np.arange(base.start_s, base.end_s, _SAID_STEP_S)
    if len(at) < 4:
        return None
    values = {}
    for key, wave in waves.items():
        index = np.round((at - wave.start_s) * wave.rate_hz).astype(np.int64)
        inside = (index >= 0) & (index < len(wave.samples))
        taken = np.full(len(at), np.nan)
        taken[inside] = wave.samples[index[inside]]
        values[key] = taken
    return PowerRecord(at, values, {key: "frames" for key in values}, format="frames")
