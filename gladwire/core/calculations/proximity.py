"""Proximity: what a coded resistor or a latch-switch voltage means, how near its band ends, and how to stand in for it."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from typing import Literal, NamedTuple

from gladwire.core.standards.proximity_codes import (
    CODES,
    DC_PLUG_OHM,
    LATCH_INLET_OHM,
    LATCH_PLUG_OHM,
    LATCH_PRESSED_OHM,
    LATCH_PULL_UP_OHM,
    LATCH_SUPPLY_TOLERANCE,
    LATCH_SUPPLY_V,
    LATCH_TOLERANCE,
    CableCode,
)

_E12 = (10, 12, 15, 18, 22, 27, 33, 39, 47, 56, 68, 82)
# What a bag of common resistors holds, ohms.
TOOL_BAG: tuple[float, ...] = tuple(float(v * d) for d in (1, 10, 100) for v in _E12)


class CodedReading(NamedTuple):
    """What a resistance between PP and PE stands for.

    code: by the narrow bands, else by the wide ones; None outside both. disagree: only one version knows it.
    margin_ohm: distance to the nearer end of the band used, negative where no band holds the value.
    """

    ohm: float
    code: CableCode | None
    disagree: bool
    margin_ohm: float
    text: str
    warning: str


def read_ohms(ohm: float) -> CodedReading:
    """Interpret a coded cable plug. Raises ValueError for a negative resistance."""
    if ohm < 0:
        raise ValueError("a resistance is not negative")
    narrow = next((c for c in CODES if ohm in c.narrow), None)
    wide = next((c for c in CODES if ohm in c.wide), None)
    code = narrow or wide
    if code is None:
        nearest = max(CODES, key=lambda c: c.wide.margin_ohm(ohm))
        place = "no plug, or an open resistor or contact" if ohm > CODES[0].wide.high_ohm else "a short to PE"
        text = f"{_ohms(ohm)} is outside every band: {place}."
        return CodedReading(ohm, None, False, nearest.wide.margin_ohm(ohm), text, "")
    disagree = narrow is None
    band = code.wide if disagree else code.narrow
    text = f"{_ohms(ohm)} reads as a {_amps(code)} cable (code {_ohms(code.nominal_ohm)})."
    warning = ""
    if disagree:
        warning = (
            f"Only the wider of the two remembered bands ({code.wide.low_ohm:g} to {code.wide.high_ohm:g} Ω) holds it; a "
            f"vehicle that goes by {code.narrow.low_ohm:g} to {code.narrow.high_ohm:g} Ω refuses it."
        )
    elif code.nominal_ohm == DC_PLUG_OHM:
        warning = "In a CCS2 DC plug the same resistor only says that a DC plug is there; it is no 13 A cable then."
    return CodedReading(ohm, code, disagree, band.margin_ohm(ohm), text, warning)


def ohms_from_volts(volts: float, supply_v: float, pull_up_ohm: float) -> float:
    """Resistance to PE that puts a pulled-up line at this voltage. Raises ValueError outside 0 V to the supply."""
    if not 0 <= volts < supply_v:
        raise ValueError(
            f"with {supply_v:g} V through a pull-up the line lies between 0 and {supply_v:g} V, not at {volts:g} V"
        )
    return pull_up_ohm * volts / (supply_v - volts)


class PullUp(NamedTuple):
    """The pull-up a reader would have to have, ohms, if the plug carried this code."""

    code: CableCode
    pull_up_ohm: float


def candidates(volts: float, supply_v: float) -> tuple[PullUp, ...]:
    """Without knowing the reader's pull-up a voltage fits every code: each with the pull-up it would take."""
    if not 0 < volts < supply_v:
        raise ValueError(f"the line must lie between 0 and {supply_v:g} V to tell anything")
    return tuple(PullUp(c, c.nominal_ohm * (supply_v - volts) / volts) for c in CODES)


LatchState = Literal["absent", "latched", "pressed", "low", "high", "between"]


class LatchLevel(NamedTuple):
    """A state of the latch-switch inlet: nominal volts and what resistor and supply tolerances make of it."""

    state: LatchState
    volts: float
    low_v: float
    high_v: float
    means: str


def _latch_volts(
    plug_ohm: float | None, scale: float = 1.0, pull_up_scale: float = 1.0, supply_scale: float = 1.0
) -> float:
    inlet = LATCH_INLET_OHM * scale
    to_pe = inlet if plug_ohm is None else 1 / (1 / inlet + 1 / (plug_ohm * scale))
    return LATCH_SUPPLY_V * supply_scale * to_pe / (to_pe + LATCH_PULL_UP_OHM * pull_up_scale)


def _level(state: LatchState, plug_ohm: float | None, means: str) -> LatchLevel:
    t, s = LATCH_TOLERANCE, LATCH_SUPPLY_TOLERANCE
    low, high = (_latch_volts(plug_ohm, 1 + sign * t, 1 - sign * t, 1 + sign * s) for sign in (-1.0, 1.0))
    return LatchLevel(state, _latch_volts(plug_ohm), low, high, means)


LATCH_LEVELS = (
    _level("latched", LATCH_PLUG_OHM, "plug in and latched"),
    _level(
        "pressed",
        LATCH_PRESSED_OHM,
        "plug in, latch pressed or its switch open: a vehicle will not start and stops at once",
    ),
    _level("absent", None, "no plug, or the proximity contact is open"),
)


class LatchReading(NamedTuple):
    """What a latch-switch voltage means. margin_v: distance to the nearer end of the state's range."""

    volts: float
    state: LatchState
    margin_v: float
    text: str


def read_latch(volts: float) -> LatchReading:
    """Interpret the voltage between proximity and PE at a latch-switch inlet."""
    for level in LATCH_LEVELS:
        if level.low_v <= volts <= level.high_v:
            margin = min(volts - level.low_v, level.high_v - volts)
            return LatchReading(volts, level.state, margin, f"{volts:.2f} V: {level.means}.")
    latched, pressed, absent = LATCH_LEVELS
    if volts < latched.low_v:
        text = f"{volts:.2f} V is below a latched plug: proximity shorted to PE, or the vehicle's pull-up is missing."
        return LatchReading(volts, "low", volts - latched.low_v, text)
    if volts > absent.high_v:
        text = f"{volts:.2f} V is above an empty inlet: the inlet's own resistor to PE is open, or PE is."
        return LatchReading(volts, "high", absent.high_v - volts, text)
    near = min((latched, pressed, absent), key=lambda level: abs(level.volts - volts))
    text = f"{volts:.2f} V lies between the states, nearest to {near.means.split(',')[0]} ({near.volts:.2f} V)."
    return LatchReading(volts, "between", -min(abs(volts - near.low_v), abs(volts - near.high_v)), text)


class Substitute(NamedTuple):
    """Resistors that stand in for a code: how they are joined, the ohms they make, and their error against nominal."""

    joined: Literal["single", "series", "parallel"]
    parts_ohm: tuple[float, ...]
    ohm: float
    error: float


def substitutes(code: CableCode, bag: Iterable[float] = TOOL_BAG) -> tuple[Substitute, ...]:
    """Best single resistors and pairs for a code, nearest first; only what lies in the narrow band with room to spare.

    bag: ohms at hand, each available twice.
    """
    values = sorted(set(bag))
    found = [Substitute("single", (v,), v, v / code.nominal_ohm - 1) for v in values]
    for a, b in itertools.combinations_with_replacement(values, 2):
        for joined, ohm in (("series", a + b), ("parallel", a * b / (a + b))):
            found.append(Substitute(joined, (a, b), ohm, ohm / code.nominal_ohm - 1))  # type: ignore[arg-type]
    good = [s for s in found if code.narrow.margin_ohm(s.ohm) > 0.05 * code.nominal_ohm]
    return tuple(sorted(good, key=lambda s: (abs(s.error), len(s.parts_ohm)))[:6])


def _ohms(ohm: float) -> str:
    return f"{ohm / 1e3:.3g} kΩ" if ohm >= 1e3 else f"{ohm:.4g} Ω"


def _amps(code: CableCode) -> str:
    if code.single_phase_a != code.current_a:
        return f"{code.current_a:g} A three-phase ({code.single_phase_a:g} A single-phase)"
    return f"{code.current_a:g} A"
