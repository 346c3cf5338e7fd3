"""Limits of DC charging around insulation, pre-charge and stop.

Source: IEC 61851-23:2014, from memory of the standard; those of common practice are marked so.
"""

from __future__ import annotations

from gladwire.core.standards.limit import Limit, limits_of
from gladwire.core.standards.source import IEC_61851_23, PRACTICE, Source

DC_SOURCE: Source = IEC_61851_23

CLOSE_V = Limit(20.0, "V", "within {}", "The post comes near the pack before the vehicle closes", DC_SOURCE)
OPEN_A = Limit(5.0, "A", "under {}", "Current before contactors open", DC_SOURCE)
# Common practice, and the limit of touch voltage in DC (IEC 61140, from memory of the standard).
RELEASE_FIRST = "Before any manual release prove at the inlet that the contactors are open and under 60 V stand there"
SAFE_V = Limit(60.0, "V", "under {}", "The cable after contactors opened", DC_SOURCE)
INSULATION_FAULT_OHM_PER_V = Limit(100.0, "Ω", "under {} per volt", "Insulation fault, of rated output", DC_SOURCE)
INSULATION_WARNING_OHM_PER_V = Limit(500.0, "Ω", "under {} per volt", "Insulation warning, of rated output", DC_SOURCE)
STOP_IGNORED_S = Limit(10.0, "s", "within {}", "The vehicle follows a stop the post asks for", PRACTICE)
FLOWS_A = Limit(1.0, "A", "over {}", "Current that counts as flowing", PRACTICE)
NO_CURRENT_S = Limit(10.0, "s", "within {}", "Current comes in a charge loop", PRACTICE)
GIVES_SHARE = Limit(0.8, "share", "at least {}", "Current given of current asked, without a limit named", PRACTICE)
GIVES_A = Limit(5.0, "A", "within {}", "Current given short of what is asked, beside the share", PRACTICE)

LIMITS: tuple[Limit, ...] = limits_of(globals())
