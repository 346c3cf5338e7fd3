"""Tests: what to do, how long it takes, what its results say, and the caution that belongs to it; one catalogue for causes
and checklists alike.

Minutes and chances are common practice without a source. To add one: copy a line in the file of its kind, give it a key;
what each result means stands with the test, or with the cause that names it.
"""

from __future__ import annotations

from gladwire.core.diagnosis.tests import access, bus, conversation, lead_and_vehicle, post, power, practice, whose
from gladwire.core.diagnosis.tests.test import TOOLS, Act, Find, Kind, Test

__all__ = ["BY_KEY", "GROUPS", "TESTS", "TOOLS", "Act", "Find", "Kind", "Test"]

GROUPS: tuple[tuple[str, tuple[Test, ...]], ...] = (
    ("Whose it is", whose.TESTS),
    ("Asked, looked at, measured, captured in order", practice.TESTS),
    ("Access, and captures themselves", access.TESTS),
    ("The post", post.TESTS),
    ("Lead, inlet, lock, on-board charger", lead_and_vehicle.TESTS),
    ("The conversation", conversation.TESTS),
    ("A bus or a controller", bus.TESTS),
    ("What holds the power back", power.TESTS),
)
TESTS: tuple[Test, ...] = tuple(test for _, tests in GROUPS for test in tests)
BY_KEY = {test.key: test for test in TESTS}
