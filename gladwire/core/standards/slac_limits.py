"""Times and levels of matching over power line.

Source: ISO 15118-3:2015, Annex A (timers TT_match_sequence, TT_match_response, TT_EV_atten_results, TT_match_join,
TT_EVSE_SLAC_init; attenuation thresholds C_EV_match_signalattn_direct and _indirect), from memory of the standard.
"""

from __future__ import annotations

from gladwire.core.standards.source import ISO_15118_3_MATCHING, Source

SEQUENCE_MAX_S = 0.4
MATCH_RESPONSE_MAX_S = 0.2
RESULTS_MAX_S = 1.2
JOIN_MAX_S = 12.0
RETRIES = 2
INIT_MIN_S, INIT_MAX_S = 20.0, 50.0
GROUPS = 58
# Up to the first a post is found at once, up to the second it is possible, above it is another outlet or a bad contact.
FOUND_DB = 10.0
POSSIBLE_DB = 20.0
# Two posts closer than this cannot be told apart by loudness alone (common practice, no source).
APART_DB = 3.0
MATCHING_SOURCE: Source = ISO_15118_3_MATCHING
