"""Times and levels of matching over power line.

Source: ISO 15118-3:2015, Annex A (timers TT_match_sequence, TT_match_response, TT_EV_atten_results, TT_match_join,
TT_EVSE_SLAC_init; attenuation thresholds C_EV_match_signalattn_direct and _indirect), from memory of the standard.
"""

from __future__ import annotations

from gladwire.core.standards.limit import Limit, limits_of
from gladwire.core.standards.source import ISO_15118_3_MATCHING, PRACTICE, Source

MATCHING_SOURCE: Source = ISO_15118_3_MATCHING

SEQUENCE_MAX_S = Limit(0.4, "s", "within {}", "Answer to matching parameters, vehicle waits", MATCHING_SOURCE)
MATCH_RESPONSE_MAX_S = Limit(0.2, "s", "within {}", "Match confirmation, vehicle waits", MATCHING_SOURCE)
RESULTS_MAX_S = Limit(1.2, "s", "within {}", "Results of sounding, vehicle waits", MATCHING_SOURCE)
JOIN_MAX_S = Limit(12.0, "s", "within {}", "Modems join after the match", MATCHING_SOURCE)
RETRIES = Limit(2, "", "{} retries", "Retries of matching", MATCHING_SOURCE)
INIT_MIN_S = Limit(20.0, "s", "at least {}", "Matching begins, post waits", MATCHING_SOURCE)
INIT_MAX_S = Limit(50.0, "s", "at most {}", "Matching begins, post waits at the longest", MATCHING_SOURCE)
GROUPS = 58
FOUND_DB = Limit(10.0, "dB", "up to {}", "Average attenuation found at once", MATCHING_SOURCE)
POSSIBLE_DB = Limit(
    20.0, "dB", "up to {}", "Average attenuation possible; above it another outlet or a bad contact", MATCHING_SOURCE
)
APART_DB = Limit(3.0, "dB", "at least {} apart", "Two posts told apart by loudness", PRACTICE)

LIMITS: tuple[Limit, ...] = limits_of(globals())
