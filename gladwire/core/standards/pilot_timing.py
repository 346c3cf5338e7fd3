"""Frequency, edges and times of the control pilot, from memory of IEC 61851-1 Annex A and ISO 15118-3."""

from __future__ import annotations

from gladwire.core.standards.source import (
    IEC_61851_A,
    IEC_61851_EDGES,
    IEC_61851_SEQUENCES,
    ISO_15118_3,
    PRACTICE,
    Source,
)

FREQUENCY_HZ = 1000.0
FREQUENCY_SOURCE_TOLERANCE = 0.005
FREQUENCY_VEHICLE_TOLERANCE = 0.02
FREQUENCY_SOURCE: Source = IEC_61851_A

# 10 to 90 % rise by state, and 90 to 10 % fall, at the vehicle.
RISE_MAX_US = {"B": 10.0, "C": 7.0, "D": 5.0}
FALL_MAX_US = 13.0
EDGES_SOURCE: Source = IEC_61851_EDGES
# Largest capacitance the chain of post, cable and vehicle may put on the pilot.
CAPACITANCE_MAX_NF = 5.5

# After the plug is drawn the post stops oscillating within this time.
OSCILLATION_AFTER_UNPLUG_MAX_S = 3.0
# The post switches on within this time of C, and off within this time of losing C or the pilot.
SWITCH_ON_MAX_S = 3.0
SWITCH_OFF_MAX_S = 0.1
# The vehicle follows a lower offer within this time.
FOLLOW_OFFER_MAX_S = 5.0
SEQUENCES_SOURCE: Source = IEC_61851_SEQUENCES

# A post that wants to be matched anew shows E or F for at least this long.
RESTART_MATCHING_MIN_S = 4.0
RESTART_SOURCE: Source = ISO_15118_3

# A gap this short between two equal states is a contact, not a person replugging.
INTERRUPTION_MAX_S = 1.0
# Contacts bounce for less than this; a state that short is none.
BOUNCE_S = 0.05
# A vehicle that has been offered current this long and did not ask.
PATIENCE_S = 5.0
# One toggle B-C-B wakes a post; from this many requests on it is hunting.
HUNTING_MIN_REQUESTS = 3
# A margin to the band's end under this is worth a look.
THIN_MARGIN_V = 0.25
PRACTICE_SOURCE: Source = PRACTICE
