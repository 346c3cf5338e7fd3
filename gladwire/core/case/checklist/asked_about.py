"""Readings that are asked about as they are typed: what no such contact shows, and what another unit, range or probe would
explain. Common practice, no source; the levels are those of the standards beside each.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from gladwire.core.calculations.proximity import read_ohms
from gladwire.core.case.checklist.step import Step
from gladwire.core.standards import pilot_levels
from gladwire.core.standards.proximity_codes import CODE_TOLERANCE, CODES

# Between lines and neutral, or lines, with the tolerance of supplies (IEC 60038).
_MAINS_V = ((98.0, 132.0), (198.0, 264.0), (360.0, 440.0))
# More than any source of a pilot gives, noise and offset included (IEC 61851-1 Annex A: 12.6 V at most).
_PILOT_MOST_V = 16.0
# The latch network's supply and its tolerance (SAE J1772: 5 V).
_LATCH_MOST_V = 5.5
_CODES_TO_OHM = 5000.0
# A resistor's tolerance and a meter's, twice over.
_NEAR_A_CODE = 2 * CODE_TOLERANCE + 0.01
_OVER_RANGE = ("1", "1.")
_IS_IT_ONE = "Some meters show a bare 1 at the left edge for “over range”, which is open. Is it one ohm?"


def _is_mains(value: float) -> bool:
    return any(low <= abs(value) <= high for low, high in _MAINS_V)


def _core(value: float) -> str:
    if _is_mains(value):
        return f"{value:g} is what mains has in volts. Is it ohms, measured dead and unplugged?"
    return ""


def _code(value: float) -> str:
    if value < _CODES_TO_OHM / 1e3 and read_ohms(1e3 * value).code is not None:
        return f"No code is that low. Was the meter in its kΩ range, and is it {1e3 * value:g} Ω?"
    if _is_mains(value) and not any(abs(value / code.nominal_ohm - 1.0) <= _NEAR_A_CODE for code in CODES):
        return f"{value:g} is what mains has in volts, and near no code's value. Is it ohms, both ends unplugged?"
    return ""


def _pilot(value: float) -> str:
    if _is_mains(value):
        return (
            f"{value:g} V is mains, and nothing at a pilot may carry it. If the meter shows that there, stop, touch nothing "
            "and have it made dead; else correct it."
        )
    if abs(value) >= 1e3 and abs(value) / 1e3 <= _PILOT_MOST_V:
        return f"No pilot reaches that. Is it millivolts, {value / 1e3:g} V?"
    if abs(value) > _PILOT_MOST_V:
        return (
            f"No pilot reaches {value:g} V. Is it the right contact, range and unit? If it is, stop and touch nothing."
        )
    if abs(value) < 2.0 and 10.0 * abs(value) in pilot_levels.SOURCE_HIGH:
        return f"A probe or range of ten to one would show {value:g} V for {10.0 * value:g} V. Is its factor set?"
    return ""


def _latch(value: float) -> str:
    if _is_mains(value) or abs(value) > _LATCH_MOST_V:
        if 1e3 <= value <= 1e3 * _LATCH_MOST_V:
            return f"A proximity contact shows 5 V at most. Is it millivolts, {value / 1e3:g} V?"
        return "A proximity contact shows 5 V at most. Is it the right contact? If it is, stop and touch nothing."
    if value < 0:
        return "A proximity contact is never below PE. Are the leads the other way round?"
    return ""


def _wiring(value: float) -> str:
    if value < 1.0 and 54.0 <= 1e3 * value <= 132.0:
        return f"Was the meter in its kΩ range, and is it {1e3 * value:g} Ω?"
    return ""


_BY_STEP: Mapping[str, Callable[[float], str]] = {
    "cp_core": _core,
    "pe_core": _core,
    "coded": _code,
    "post_alone": _pilot,
    "inlet_pp": _latch,
    "bus_wiring": _wiring,
}


def asked_about(step: Step, value: float, typed: str) -> str:
    """What is asked of a reading before it counts; "" where nothing is odd about it. typed: as it was typed, in the step's
    unit or without one."""
    if step.unit == "Ω" and value < 0:
        return "Ohms are never negative. Hold the meter's leads together, note what they show, and take it off."
    if step.unit == "Ω" and typed.strip() in _OVER_RANGE:
        return _IS_IT_ONE
    ask = _BY_STEP.get(step.key)
    return ask(value) if ask else ""
