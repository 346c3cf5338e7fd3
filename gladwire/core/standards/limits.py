"""Every limit there is, by topic: what the page of limits walks and the tests try from both sides."""

from __future__ import annotations

from typing import NamedTuple

from gladwire.core.standards import dc_limits, pilot_timing, practice, slac_limits, supply, v2g_timers
from gladwire.core.standards.limit import Limit


class Topic(NamedTuple):
    """Limits that belong together."""

    title: str
    limits: tuple[Limit, ...]


TOPICS: tuple[Topic, ...] = (
    Topic("The pilot", pilot_timing.LIMITS),
    Topic("Matching", slac_limits.LIMITS),
    Topic("The conversation", v2g_timers.LIMITS),
    Topic("DC", dc_limits.LIMITS),
    Topic("The supply", supply.LIMITS),
    Topic("Where rules begin to speak", practice.LIMITS),
)
LIMITS: tuple[Limit, ...] = tuple(limit for topic in TOPICS for limit in topic.limits)
