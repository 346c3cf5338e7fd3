"""What would explain a shifted level or a slow edge: resistance and capacitance from the pilot's own circuit."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping

from gladwire.core.standards.pilot_levels import DIODE_DROP_V, SOURCE_OHM, VEHICLE_OHM

# 10 to 90 % of an RC takes ln(9) time constants.
_TEN_TO_NINETY = math.log(9.0)


def nominal_level_v(state: str, source_v: float = 12.0, series_ohm: float = 0.0) -> float:
    """High level at the post in state B, C or D with a resistance in the wire. Volts. KeyError for other states."""
    current = (source_v - DIODE_DROP_V) / (SOURCE_OHM + series_ohm + VEHICLE_OHM[state])
    return source_v - current * SOURCE_OHM


def leaking_level_v(state: str, open_v: float, source_v: float = 12.0) -> float:
    """High level at the post in state B, C or D where a leak from CP to PE holds the open pilot at `open_v`: what loads the
    source also lowers its resistance. Volts. KeyError for other states."""
    inner = SOURCE_OHM * open_v / source_v
    return (open_v - DIODE_DROP_V) * VEHICLE_OHM[state] / (inner + VEHICLE_OHM[state]) + DIODE_DROP_V


def inner_ohm(levels_v: Mapping[str, float]) -> float | None:
    """Resistance behind the post's contacts, in ohms, from its high levels in two states or more of A to D; None from fewer.

    A source of its own has 1 kΩ, however many volts; a leak from CP to PE lies beside that.
    """
    loaded = {state: level for state, level in levels_v.items() if state in VEHICLE_OHM and level > DIODE_DROP_V}
    if "A" in levels_v and loaded:
        found = [VEHICLE_OHM[s] * (levels_v["A"] - v) / (v - DIODE_DROP_V) for s, v in loaded.items()]
        return sum(found) / len(found)
    if len(loaded) < 2:
        return None
    (light, heavy), *_ = itertools.combinations(sorted(loaded, key=lambda s: -VEHICLE_OHM[s]), 2)
    ratio = (loaded[light] - DIODE_DROP_V) / (loaded[heavy] - DIODE_DROP_V) * VEHICLE_OHM[heavy] / VEHICLE_OHM[light]
    return (ratio * VEHICLE_OHM[light] - VEHICLE_OHM[heavy]) / (1.0 - ratio) if ratio < 1.0 else None


def series_resistance_ohm(state: str, level_v: float, source_v: float = 12.0) -> float | None:
    """Resistance in the CP or PE path that would put state B, C or D at this level; None where none can.

    Negative results (a level lower than the circuit's own) mean more load than the vehicle's resistors: None.
    """
    if state not in VEHICLE_OHM or not DIODE_DROP_V < level_v < source_v:
        return None
    ohm = (source_v - DIODE_DROP_V) * SOURCE_OHM / (source_v - level_v) - SOURCE_OHM - VEHICLE_OHM[state]
    return ohm if ohm > 0 else None


def leakage_ohm(state: str, level_v: float, source_v: float = 12.0) -> float | None:
    """Resistance from CP to PE beside the vehicle that would pull state A, B, C or D down to this level; or None."""
    if level_v <= 0 or level_v >= source_v:
        return None
    drawn = (source_v - level_v) / SOURCE_OHM
    vehicle = max(level_v - DIODE_DROP_V, 0.0) / VEHICLE_OHM[state] if state in VEHICLE_OHM else 0.0
    left = drawn - vehicle
    return level_v / left if left > 1e-6 else None


def capacitance_nf(fall_us: float) -> float:
    """Capacitance on the pilot in nF from the 90 to 10 % fall: only the 1 kOhm source discharges it."""
    return fall_us * 1e-6 / (_TEN_TO_NINETY * SOURCE_OHM) * 1e9
