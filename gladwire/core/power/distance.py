"""Energy as distance, in the units people use for consumption."""

from __future__ import annotations

from collections.abc import Mapping

# The international mile: 1.609344 km exactly (1959 agreement on yard and pound).
KM_PER_MILE = 1.609344
# Unit of consumption to kWh for a km; mi/kWh and km/kWh are turned round.
_KWH_PER_KM: Mapping[str, float] = {
    "kWh/100 km": 0.01,
    "Wh/km": 0.001,
    "Wh/mi": 0.001 / KM_PER_MILE,
    "kWh/100 mi": 0.01 / KM_PER_MILE,
}
_KM_PER_KWH: Mapping[str, float] = {"mi/kWh": KM_PER_MILE, "km/kWh": 1.0}
UNITS = (*_KWH_PER_KM, *_KM_PER_KWH)


def km_per_kwh(consumption: float, unit: str) -> float:
    """How far a kWh goes. Raises ValueError for a consumption that is not above zero, KeyError for an unknown unit."""
    if consumption <= 0:
        raise ValueError("a consumption above zero was expected")
    if unit in _KM_PER_KWH:
        return consumption * _KM_PER_KWH[unit]
    return 1.0 / (consumption * _KWH_PER_KM[unit])


def distance(energy_kwh: float, consumption: float, unit: str) -> tuple[float, str]:
    """(distance, "km" or "mi") that energy is good for, in the length the consumption is told in."""
    km = energy_kwh * km_per_kwh(consumption, unit)
    return (km / KM_PER_MILE, "mi") if "mi" in unit else (km, "km")
