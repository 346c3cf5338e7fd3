"""What the result of a test says of a cause. Chances are common practice, no source."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

from gladwire.core.diagnosis.cause import Cause, Owner
from gladwire.core.diagnosis.tests import Test

# Chance of the first result where the cause is one that the test is for: of looking, measuring and asking, and of a capture
# or a try, which an intermittent fault may pass; and where it is another cause.
DIRECT, TRIED, OTHER = 0.98, 0.9, 0.05
# Of a question or a swap where it is a cause that is not listed; the test of a cause then turns out as with any other.
_OPEN = 0.5


def chance(test: Test, cause: Cause, ac: bool) -> float:
    """Of the first result, where this is the cause. ac: the lead is a part of its own; on DC it is the post's."""
    if test.owners:
        owner: Owner = "evse" if cause.owner == "cable" and not ac else cause.owner
        return test.owners[owner]
    if test.causes:
        return test.causes.get(cause.code, OTHER)
    if cause.test != test.key:
        return OTHER
    return DIRECT if test.kind in ("look", "measure", "ask") else TRIED


def base(test: Test) -> float:
    """Of the first result, where it is a cause that is not listed."""
    return _OPEN if test.owners else OTHER


def weight(test: Test, result: Literal["so", "not_so"], cause: Cause, ac: bool) -> float:
    """Logarithm of odds that the result gives the cause."""
    so, otherwise = chance(test, cause, ac), base(test)
    return math.log(so / otherwise if result == "so" else (1.0 - so) / (1.0 - otherwise))


def words(test: Test, result: Literal["so", "not_so"], own: Cause | None) -> str:
    """The result in words: the test's own, or those of a cause that names it."""
    said: Mapping[str, str] = {"so": test.so, "not_so": test.not_so}
    if said[result] or own is None:
        return said[result]
    return own.if_so if result == "so" else own.if_not
