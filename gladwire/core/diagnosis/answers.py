"""What the result of a test says of a cause. Chances are common practice, no source."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

from gladwire.core.answers import Answer
from gladwire.core.diagnosis.cause import Cause, Owner
from gladwire.core.diagnosis.tests import BY_KEY, Find, Test

# Chance of the first result where the cause is one that the test is for: of looking, measuring and asking, and of a capture
# or a try, which an intermittent fault may pass; and where it is another cause.
DIRECT, TRIED, OTHER = 0.98, 0.9, 0.05
# Of a question or a swap where it is a cause that is not listed; the test of a cause then turns out as with any other.
_OPEN = 0.5
# That none of several faults is found is never ruled out.
_LEAST = 0.02
SO, NOT_SO, OPEN = "so", "not_so", "open"


def outcomes(test: Test) -> tuple[str, ...]:
    """Keys of what may come of it; the last is that it is as it should be, or not as the cause would have it."""
    return (*(find.key for find in test.finds), NOT_SO) if test.finds else (SO, NOT_SO)


def chances(test: Test, cause: Cause, ac: bool) -> tuple[float, ...]:
    """Of each outcome, where this is the cause. ac: the lead is a part of its own; on DC it is the post's."""
    key = (test.key, cause.code, ac)
    if key not in _KEPT:
        _KEPT[key] = _chances(test, cause, ac)
    return _KEPT[key]


# Of the catalogue, which does not change.
_KEPT: dict[tuple[str, str, bool], tuple[float, ...]] = {}


def _chances(test: Test, cause: Cause, ac: bool) -> tuple[float, ...]:
    if test.finds:
        return _with_rest(find.causes.get(cause.code, find.stray) for find in test.finds)
    so = _first(test, cause, ac)
    return so, 1.0 - so


def _first(test: Test, cause: Cause, ac: bool) -> float:
    if test.owners:
        owner: Owner = "evse" if cause.owner == "cable" and not ac else cause.owner
        return test.owners[owner]
    if test.causes:
        return test.causes.get(cause.code, OTHER)
    if cause.test != test.key:
        return OTHER
    return DIRECT if test.kind in ("look", "measure", "ask") else TRIED


def _with_rest(found: Iterable[float]) -> tuple[float, ...]:
    given = tuple(found)
    rest = max(_LEAST, 1.0 - sum(given))
    total = sum(given) + rest
    return (*(chance / total for chance in given), rest / total)


def base(test: Test) -> tuple[float, ...]:
    """Of each outcome, where it is a cause that is not listed."""
    if test.finds:
        return _with_rest(find.stray for find in test.finds)
    so = _OPEN if test.owners else OTHER
    return so, 1.0 - so


def weight(test: Test, result: str, cause: Cause, ac: bool) -> float:
    """Logarithm of odds that the result gives the cause; nothing where it is none of its outcomes."""
    known = outcomes(test)
    if result not in known:
        return 0.0
    at = known.index(result)
    return math.log(chances(test, cause, ac)[at] / base(test)[at])


def points_at(test: Test, result: str, cause: Cause) -> bool:
    """Whether the result by itself makes one think of the cause."""
    if result in (NOT_SO, OPEN) or test.owners:
        return False
    find = found(test, result)
    if find:
        return find.causes.get(cause.code, 0.0) > 2 * find.stray
    return test.causes.get(cause.code, 0.0) > 2 * OTHER if test.causes else cause.test == test.key


def found(test: Test, result: str) -> Find | None:
    return next((find for find in test.finds if find.key == result), None)


def danger_of(answers: Iterable[Answer]) -> str:
    """What can hurt, of what tests showed, in its own words; "" where nothing does. Of each test the last result holds."""
    last = {a.test: a.result for a in answers if a.test in BY_KEY}
    told = (found(BY_KEY[test], result) for test, result in last.items())
    return next((find.danger for find in told if find and find.danger), "")


def words(test: Test, result: str, own: Cause | None) -> str:
    """The result in words: the test's own, or those of a cause that names it."""
    find = found(test, result)
    if find:
        return find.words
    said: Mapping[str, str] = {SO: test.so, NOT_SO: test.not_so}
    if said.get(result) or own is None:
        return said.get(result, "")
    return own.if_so if result == SO else own.if_not
