"""What is at hand where the next test would be done, and what it costs to get there."""

from __future__ import annotations

from typing import NamedTuple

from gladwire.core.diagnosis.tests import Test

# Fetching a tool nobody has with them; common practice, no source.
FETCH_MIN = 45


class Situation(NamedTuple):
    """tools: keys of those at hand, None where nobody said. away_min: to the post; other_post_min: from there to another one
    of its kind."""

    tools: frozenset[str] | None = None
    away_min: int = 0
    other_post_min: int = 0

    def minutes(self, test: Test) -> int:
        """What a test costs from here, getting there and fetching what is missing included."""
        there = self.other_post_min if test.elsewhere else 0
        away = self.away_min if test.kind != "ask" else 0
        return test.minutes + there + away + (FETCH_MIN if self.missing(test) else 0)

    def missing(self, test: Test) -> tuple[str, ...]:
        """Tools it takes and nobody has with them."""
        return tuple(tool for tool in test.needs if tool not in self.tools) if self.tools is not None else ()


HERE = Situation()
