"""How often a finding is seen under a cause, counted where the simulator can play the cause (`likelihoods.json`, made by
`scripts/likelihoods/count.py`), and what that weighs against what is declared.

The simulator is not the world: counts are drawn towards the rate among other causes, no ratio goes beyond 1 : 50, and what is
declared with the cause (common practice, no source) counts as a few plays beside them.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from functools import cache
from importlib import resources
from typing import Any, NamedTuple

# Plays that the rate among others, and that a declared weight, count for.
_DRAWN, DECLARED = 2.0, 6.0
_MOST = math.log(50.0)
# Not there: from this share of the plays on it is expected, of so many at least, and weighs no more than that.
_EXPECTED, _FEW, _MOST_ABSENT = 0.8, 8, math.log(8.0)


class Count(NamedTuple):
    """Of the plays in which a finding could be seen (could): in how many it was, as a suspicion or fault, or a normal fact
    (loud), and in how many as a mere note (soft)."""

    loud: int
    soft: int
    could: int


class Measured(NamedTuple):
    """A logarithm of odds, with the plays it was counted in and the rate among the other causes."""

    weight: float
    plays: Count
    others: float

    @property
    def says(self) -> str:
        seen = self.plays.loud + self.plays.soft
        rest = f"in {100 * self.others:.0f}\u00a0% of those of the others"
        return f"seen in {seen} of {self.plays.could} plays of this cause, {rest}"


@cache
def table() -> Mapping[str, Any]:
    """made_of: versions and seeds; sharpness: by which log-odds are scaled; plays: of each cause; proven: those that led
    on captures no tool of ours made; counts: by finding and cause."""
    text = (resources.files("gladwire.core.diagnosis") / "likelihoods.json").read_text()
    loaded: Mapping[str, Any] = json.loads(text)
    return loaded


@cache
def counts(code: str) -> Mapping[str, Count]:
    """By cause, of one finding."""
    return {cause: Count(*found) for cause, found in table()["counts"].get(code, {}).items()}


def sharpness() -> float:
    return float(table()["sharpness"])


def is_proven(cause: str) -> bool:
    """Whether it rightly led on a capture that no tool of ours made."""
    return cause in table().get("proven", ())


def plays_of(cause: str) -> int:
    return int(table()["plays"].get(cause, 0))


@cache
def seen(cause: str, code: str, soft: bool) -> Measured | None:
    """What it weighs that the finding is there; None where the cause was never played so that it could be."""
    return _measured(cause, code, lambda c: c.soft if soft else c.loud, _MOST)


@cache
def absent(cause: str, code: str) -> Measured | None:
    """What it weighs that it could be seen and is not there; None where the cause does not lead one to expect it."""
    own = counts(code).get(cause)
    if own is None or own.could < _FEW or own.loud + own.soft < _EXPECTED * own.could:
        return None
    found = _measured(cause, code, lambda c: c.could - c.loud - c.soft, _MOST_ABSENT)
    others = _measured(cause, code, lambda c: c.loud + c.soft, _MOST)
    if found is None or others is None:
        return None
    return Measured(min(found.weight, 0.0), own, others.others)


def _measured(cause: str, code: str, picks: Any, most: float) -> Measured | None:
    own = counts(code).get(cause)
    if own is None or not own.could:
        return None
    rest = [(picks(c) + 0.5) / (c.could + 1.0) for other, c in counts(code).items() if other != cause and c.could]
    if not rest:
        return None
    among = sum(rest) / len(rest)
    rate = (picks(own) + _DRAWN * among) / (own.could + _DRAWN)
    raw = [picks(c) / c.could for other, c in counts(code).items() if other != cause and c.could]
    return Measured(max(-most, min(most, math.log(rate / among))), own, sum(raw) / len(raw))


def blended(declared: float, measured: Measured | None) -> float:
    """A declared logarithm of odds and a measured one, each by how many plays it counts for."""
    if measured is None:
        return declared
    plays = measured.plays.could
    return (DECLARED * declared + plays * measured.weight) / (DECLARED + plays)
