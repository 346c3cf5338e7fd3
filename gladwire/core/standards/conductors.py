"""Conductor resistance by cross-section: IEC 60228 class 5 (flexible, plain copper) at 20 °C, from memory."""

from __future__ import annotations

from gladwire.core.standards.source import IEC_60228, PRACTICE, Source

# mm² to ohms per kilometre, largest value allowed.
RESISTANCE_OHM_PER_KM = {0.5: 39.0, 1.5: 13.3, 2.5: 7.98, 4.0: 4.95, 6.0: 3.30, 10.0: 1.91, 16.0: 1.21}
RESISTANCE_SOURCE: Source = IEC_60228
# Copper, per kelvin, at 20 °C.
COPPER_PER_K = 0.00393

# Current a charging lead of this cross-section is sold for; common practice, no source.
LEAD_CURRENT_A = {2.5: 16.0, 6.0: 32.0}
LEAD_SOURCE: Source = PRACTICE
