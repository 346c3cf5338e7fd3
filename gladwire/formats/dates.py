"""Dates as files write them: which part is the day is told by the whole column, not by one cell."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import UTC, date, datetime
from functools import lru_cache
from itertools import pairwise

from dateutil import parser

_YEAR_FIRST = re.compile(r"\d{4}\D")
_NUMBERS = re.compile(r"(\d{1,2})[-/.]\d{1,2}[-/.]\d{2,4}$")
_DATED = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}")


class Dates:
    """The dates of a column. decided: whether the column itself, its dots or its leading years tell day from month."""

    def __init__(self, texts: Sequence[str]) -> None:
        """texts: dates without clock, in the order of the rows. Raises ValueError where one is no date."""
        distinct = list(dict.fromkeys(texts))
        readings = [found for day_first in (True, False) if (found := _read(distinct, day_first))]
        if not readings:
            raise ValueError(_why_not(distinct))
        orders = {tuple(found.values()) for found in readings}
        dotted = all("." in text for text in distinct)
        spans = [_span(list(found.values())) for found in readings]
        self.decided = len(orders) == 1 or dotted or len(set(spans)) > 1
        # Dots put the day first wherever they are used; else time runs on, in the smaller steps.
        self._days = readings[0] if dotted else readings[spans.index(min(spans))]

    def day(self, text: str) -> date:
        return self._days[text]


def _why_not(distinct: Sequence[str]) -> str:
    """Which of them is no date, or that their orders do not go together."""
    wrong = next((text for text in distinct if _read([text], True) is None and _read([text], False) is None), None)
    if wrong is not None:
        return f"“{wrong}” is no date"
    return "the dates are of two orders, day first and month first" if distinct else "there is no date"


def _read(texts: Sequence[str], day_first: bool) -> dict[str, date] | None:
    """The dates in one order; None where one of them cannot be read so. The parser would silently take the other order."""
    try:
        found = {text: parser.parse(text, dayfirst=day_first and not _YEAR_FIRST.match(text)).date() for text in texts}
    except (ValueError, OverflowError):
        return None
    for text, day in found.items():
        numbers = _NUMBERS.match(text)
        if numbers and int(numbers[1]) != (day.day if day_first else day.month):
            return None
    return found


def _span(days: Sequence[date]) -> float:
    steps = [(after - before).days for before, after in pairwise(days)]
    return float("inf") if any(step < 0 for step in steps) else float(sum(steps))


def moment_of(text: str) -> float | None:
    """Seconds since 1970 of a file's own word for its start, UTC where it names no zone.

    None where it tells no date, or one whose day and month could be either.
    """
    found = _parsed(text)
    return (found if found.tzinfo else found.replace(tzinfo=UTC)).timestamp() if found else None


def names_zone(text: str) -> bool:
    """Whether a file's own word for its start is one moment anywhere, and not the clock of some place."""
    found = _parsed(text)
    return found is not None and found.tzinfo is not None


@lru_cache(4096)
def _parsed(text: str) -> datetime | None:
    told = _DATED.search(text)
    try:
        dates = Dates([told[0]]) if told else None
        if told is None or dates is None or not dates.decided:
            return None
        return parser.parse(text.replace(told[0], dates.day(told[0]).isoformat(), 1))
    except (ValueError, OverflowError):
        return None
