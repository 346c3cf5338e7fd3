"""The power record of a conversation: what was said of volts, amperes and limits, read once a second."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gladwire.core.lanes.frames.series import SERIES
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.signal.waveform import Waveform

_STEP_S = 1.0
# Less current than this all along is no charging, only what a check or pre-charge lets through.
_FLOWS_A, _FLOWS_KW = 3.0, 0.5


def power_of_frames(said: Sequence[Waveform]) -> PowerRecord | None:
    """said: lanes of `series_of`. None where no current is said to flow."""
    by_title = {wave.name: wave for wave in said}
    waves = {series.quantity: by_title[series.title] for series in SERIES if series.title in by_title}
    amps, power = waves.get("amps_a"), waves.get("power_kw")
    if amps is not None and "volts_v" in waves and np.nanmax(amps.samples, initial=0.0) > _FLOWS_A:
        base = amps
    elif power is not None and np.nanmax(power.samples, initial=0.0) > _FLOWS_KW:
        base = power  # AC by ISO 15118-20 tells watts alone
    else:
        return None
    at = np.arange(base.start_s, base.end_s, _STEP_S)
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
