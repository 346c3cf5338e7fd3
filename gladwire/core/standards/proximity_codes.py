"""Proximity: the coded cable plug of IEC 61851-1 Annex B and the latch switch of SAE J1772, from memory."""

from __future__ import annotations

from typing import NamedTuple

from gladwire.core.standards.source import IEC_61851_B, SAE_J1772_PROXIMITY, Source


class OhmBand(NamedTuple):
    """Ohms, ends included."""

    low_ohm: float
    high_ohm: float

    def __contains__(self, ohm: object) -> bool:
        return isinstance(ohm, int | float) and self.low_ohm <= ohm <= self.high_ohm

    def margin_ohm(self, ohm: float) -> float:
        """Distance to the nearer end in ohms; negative outside."""
        return min(ohm - self.low_ohm, self.high_ohm - ohm)


class CableCode(NamedTuple):
    """A coding resistor: nominal ohms, the current it stands for, and its interpretation band in both versions.

    single_phase_a: where a single-phase cable of this code may carry more; else the same.
    """

    nominal_ohm: float
    current_a: float
    single_phase_a: float
    wide: OhmBand
    narrow: OhmBand


# The bands are remembered in two versions; where they disagree an answer needs a warning.
CODES = (
    CableCode(1500.0, 13.0, 13.0, OhmBand(1000, 2700), OhmBand(1100, 2460)),
    CableCode(680.0, 20.0, 20.0, OhmBand(330, 1000), OhmBand(400, 936)),
    CableCode(220.0, 32.0, 32.0, OhmBand(150, 330), OhmBand(164, 308)),
    CableCode(100.0, 63.0, 70.0, OhmBand(50, 150), OhmBand(80, 140)),
)
CODE_TOLERANCE = 0.03
CODES_SOURCE: Source = IEC_61851_B
# A DC plug carries this code only to say that a DC plug is there.
DC_PLUG_OHM = 1500.0

# Latch-switch inlet: pull-up in the vehicle, resistor to PE in the inlet, plug latched and with the latch pressed.
LATCH_SUPPLY_V = 5.0
LATCH_PULL_UP_OHM = 330.0
LATCH_INLET_OHM = 2700.0
LATCH_PLUG_OHM = 150.0
LATCH_PRESSED_OHM = 480.0
LATCH_TOLERANCE = 0.10
LATCH_SUPPLY_TOLERANCE = 0.05
LATCH_SOURCE: Source = SAE_J1772_PROXIMITY
