"""A power record: readings of one session in the order of time, from any mixture of sources, and what follows from them
by arithmetic alone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
import pydantic.dataclasses

from gladwire.core.quantities import Place
from gladwire.core.signal.waveform import Floats, Ints

# A pause in the readings longer than this, and than so many usual steps, is a gap: nothing is claimed about it.
_GAP_S, _GAP_STEPS = 120.0, 12.0
# Fewer kW than this, and than this share of the top, is no charging.
IDLE_KW, IDLE_SHARE = 0.05, 0.02


@pydantic.dataclasses.dataclass(frozen=True)
class ColumnSeen:
    """A column of the table a record was read from. taken: the quantity it was read as, "time", or "" for none; told_by: its
    name or unit, its course, a person, or nothing, where it may be `proposed` or `instead`, and is not used."""

    title: str
    taken: str
    told_by: Literal["name", "course", "hand", "nothing"]
    why: str = ""
    proposed: str = ""
    instead: str = ""


@dataclass(frozen=True)
class PowerRecord:
    """time_s: shape (n,), rising. values: quantity to shape (n,), NaN where it was not read; units are in the names.

    places: where each was read. derived: what was worked out, as a sentence each. joints: moments at which partial runs
    were spliced. format: key of the reader. second_place: what the same file holds of a second place, at the same times.
    columns: of the table it was read from.
    """

    time_s: Floats
    values: Mapping[str, Floats]
    places: Mapping[str, Place] = field(default_factory=dict)
    derived: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    recorded_at: str = ""
    joints: tuple[float, ...] = ()
    format: str = "typed"
    second_place: PowerRecord | None = None
    columns: tuple[ColumnSeen, ...] = ()

    def get(self, key: str) -> Floats | None:
        """A quantity, or None where it was never read."""
        found = self.values.get(key)
        return None if found is None or np.isnan(found).all() else found

    def at_readings(self, key: str) -> tuple[Floats, Floats]:
        """(times, values) of the readings of one quantity; empty where it was never read."""
        found = self.values.get(key)
        if found is None:
            return np.empty(0), np.empty(0)
        read = np.isfinite(found)
        return (self.time_s, found) if read.all() else (self.time_s[read], found[read])

    @property
    def source(self) -> Place:
        """Where the power was read."""
        for key in ("power_kw", "amps_a", "volts_v", "energy_kwh", "soc_percent"):
            if key in self.places:
                return self.places[key]
        return "unknown"


def completed(record: PowerRecord) -> PowerRecord:
    """The missing one of volts, amperes and power where two are known, or power from an energy counter; each is marked.

    P = V × I; a reading that was made is never replaced.
    """
    values = dict(record.values)
    places = dict(record.places)
    derived = list(record.derived)
    power, volts, amps = (values.get(key) for key in ("power_kw", "volts_v", "amps_a"))
    if volts is not None and amps is not None:
        if power is None:
            values["power_kw"] = volts * amps
            values["power_kw"] *= 1e-3
            derived.append("Power is volts × amperes.")
        elif np.isnan(np.add.reduce(power)) and (blank := np.isnan(power) & np.isfinite(volts * amps)).any():
            values["power_kw"] = np.where(blank, volts * amps * 1e-3, power)
            derived.append("Power is volts × amperes where it was not read.")
        if "power_kw" not in places and "amps_a" in places:
            places["power_kw"] = places["amps_a"]
    elif power is not None and volts is not None:
        with np.errstate(divide="ignore", invalid="ignore"):
            values["amps_a"] = np.where(volts > 1.0, power * 1e3 / volts, np.nan)
        derived.append("Amperes are power ÷ volts.")
    elif power is not None and amps is not None:
        with np.errstate(divide="ignore", invalid="ignore"):
            values["volts_v"] = np.where(amps > 0.5, power * 1e3 / amps, np.nan)
        derived.append("Volts are power ÷ amperes, where current flows.")
    elif power is None and (counter := record.get("energy_kwh")) is not None:
        values["power_kw"] = _from_counter(record.time_s, counter)
        places["power_kw"] = places.get("energy_kwh", "unknown")
        derived.append("Power is the rise of the energy counter over time.")
    return replace(record, values=values, places=places, derived=tuple(derived))


def _from_counter(time_s: Floats, counter: Floats) -> Floats:
    """kW between the moments at which a counter moves; shape (n,). A counter set back to zero begins anew."""
    read = np.flatnonzero(np.isfinite(counter))
    moved = read[np.flatnonzero(np.diff(counter[read], prepend=np.nan) != 0)]
    if len(moved) < 2:
        return np.full(len(time_s), np.nan)
    rise = np.diff(counter[moved]).clip(min=0.0)
    kw = rise / np.diff(time_s[moved]) * 3600.0
    step = np.searchsorted(moved, np.arange(len(time_s)), side="right") - 1
    out = kw[np.clip(step, 0, len(kw) - 1)]
    # After its last movement the counter stands still: nothing flows as long as it does.
    out[moved[-1] + 1 :] = 0.0 if len(time_s) - moved[-1] > 3 else kw[-1]
    return np.asarray(out, dtype=np.float64)


def gaps(times: Floats) -> Ints:
    """Indices i, shape (k,): between reading i and i + 1 is a gap nothing is claimed about."""
    return _gaps(np.diff(times))


def _gaps(steps: Floats) -> Ints:
    if len(steps) < 2 or steps.max() <= _GAP_S:
        return np.empty(0, dtype=np.int64)
    limit = max(_GAP_S, _GAP_STEPS * float(np.median(steps)))
    return np.flatnonzero(steps > limit)


def energy_so_far(record: PowerRecord) -> tuple[Floats, Floats]:
    """(times, kWh since the first reading of power), both shape (k,); power goes straight from reading to reading.

    Nothing is counted over a gap, unless an energy counter was read on both sides of it, and nothing over a joint.
    """
    if "power_kw" not in record.values:
        record = completed(record)
    times, power = record.at_readings("power_kw")
    if len(times) < 2:
        return times, np.zeros(len(times))
    steps = np.diff(times)
    parts = (power[1:] + power[:-1]) * steps
    parts *= 0.5 / 3600.0
    for gap in _gaps(steps):
        parts[gap] = _counted(record, float(times[gap]), float(times[gap + 1]))
    for joint in record.joints:
        i = int(np.searchsorted(times, joint)) - 1
        if 0 <= i < len(parts):
            parts[i] = 0.0
    total = np.zeros(len(times))
    np.cumsum(parts, out=total[1:])
    return times, total


def _counted(record: PowerRecord, start_s: float, end_s: float) -> float:
    """kWh an energy counter says between two moments, 0 where it was not read on both sides."""
    times, counter = record.at_readings("energy_kwh")
    if not len(times) or times[0] > start_s or times[-1] < end_s:
        return 0.0
    return max(0.0, float(np.interp(end_s, times, counter) - np.interp(start_s, times, counter)))


def energy_kwh(record: PowerRecord) -> float:
    """Energy of the whole record in kWh; of the energy counter alone where power was never read."""
    times, total = energy_so_far(record)
    if len(times) > 1:
        return float(total[-1])
    _, counter = record.at_readings("energy_kwh")
    return float(counter[-1] - counter[0]) if len(counter) > 1 else 0.0


def top_kw(power: Floats) -> float:
    """The power held or passed for a twentieth of the time it flows: the level of a session without its spikes."""
    flows = power[power > IDLE_KW]
    if not len(flows):
        return 0.0
    return float(np.partition(flows, -1 - len(flows) // 20)[-1 - len(flows) // 20])
