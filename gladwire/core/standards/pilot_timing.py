"""Frequency, edges and times of the control pilot, from memory of IEC 61851-1 Annex A and ISO 15118-3."""

from __future__ import annotations

from gladwire.core.standards.limit import Limit, limits_of
from gladwire.core.standards.source import (
    IEC_61851_A,
    IEC_61851_EDGES,
    IEC_61851_SEQUENCES,
    ISO_15118_3,
    PRACTICE,
    Source,
)

FREQUENCY_SOURCE: Source = IEC_61851_A
EDGES_SOURCE: Source = IEC_61851_EDGES
SEQUENCES_SOURCE: Source = IEC_61851_SEQUENCES
RESTART_SOURCE: Source = ISO_15118_3
PRACTICE_SOURCE: Source = PRACTICE

FREQUENCY_HZ = 1000.0
FREQUENCY_SOURCE_TOLERANCE = Limit(0.005, "share", "± {}", "Frequency of the source, about 1000 Hz", FREQUENCY_SOURCE)
FREQUENCY_VEHICLE_TOLERANCE = Limit(0.02, "share", "± {}", "Frequency a vehicle accepts", FREQUENCY_SOURCE)

# 10 to 90 % rise by state, and 90 to 10 % fall, at the vehicle.
RISE_MAX_US = {
    "B": Limit(10.0, "µs", "rise up to {}", "Rise, 10 to 90 %, in B", EDGES_SOURCE),
    "C": Limit(7.0, "µs", "rise up to {}", "Rise, 10 to 90 %, in C", EDGES_SOURCE),
    "D": Limit(5.0, "µs", "rise up to {}", "Rise, 10 to 90 %, in D", EDGES_SOURCE),
}
FALL_MAX_US = Limit(13.0, "µs", "fall up to {}", "Fall, 90 to 10 %", EDGES_SOURCE)
CAPACITANCE_MAX_NF = Limit(5.5, "nF", "up to {}", "Capacitance of post, cable and vehicle on the pilot", EDGES_SOURCE)

OSCILLATION_AFTER_UNPLUG_MAX_S = Limit(
    3.0, "s", "within {}", "Oscillation ends after the plug is drawn", SEQUENCES_SOURCE
)
SWITCH_ON_MAX_S = Limit(3.0, "s", "within {}", "The post switches on after C", SEQUENCES_SOURCE)
SWITCH_OFF_MAX_S = Limit(0.1, "s", "within {}", "The post switches off after C or the pilot is lost", SEQUENCES_SOURCE)
FOLLOW_OFFER_MAX_S = Limit(5.0, "s", "within {}", "The vehicle follows a lower offer", SEQUENCES_SOURCE)
STOP_DRAWING_MAX_S = Limit(3.0, "s", "{}", "The vehicle stops drawing after oscillation ends", SEQUENCES_SOURCE)
RESTART_MATCHING_MIN_S = Limit(
    4.0, "s", "at least {}", "E or F by which a post asks to be matched anew", RESTART_SOURCE
)

INTERRUPTION_MAX_S = Limit(1.0, "s", "up to {}", "A gap taken for a contact, not a person replugging", PRACTICE)
PLUG_IN_S = Limit(0.5, "s", "within {}", "Contacts bounce while a plug is pushed home", PRACTICE)
BOUNCE_S = Limit(0.05, "s", "under {}", "A bounce of a contact, no state", PRACTICE)
PATIENCE_S = Limit(5.0, "s", "for {}", "An offer, or a vehicle, that waits in vain", PRACTICE)
LOWERED_FOR_S = Limit(1.0, "s", "from {} on", "A lower offer that stays, no search of a load control", PRACTICE)
HUNTING_MIN_REQUESTS = Limit(3, "", "from {} requests on", "Hunting, not a wake-up", PRACTICE)
TOGGLE_MAX_S = Limit(3.0, "s", "up to {}", "A toggle by which a vehicle wakes the post", PRACTICE)
THIN_MARGIN_V = Limit(0.25, "V", "at least {}", "Margin of a level to the end of its band", PRACTICE)
SHIFT_V = Limit(0.4, "V", "up to {}", "Shift of a level that tolerances of source and resistors add up to", PRACTICE)
STUCK_SHARE = Limit(0.98, "share", "from {} on", "Part of a capture in E or F that counts as all of it", PRACTICE)
LEAK_OHM = Limit(50e3, "Ω", "under {}", "A leak from CP to PE that explains a level", PRACTICE)

LIMITS: tuple[Limit, ...] = limits_of(globals())
