"""Which sessions of a case show what a repair did."""

from __future__ import annotations

from gladwire.core.case.proof import Tried, before_and_after


def tried(*told: str) -> list[Tried]:
    """Sessions by “mode outcome”, in order."""
    return [Tried(mode, "", outcome, (), False) for mode, outcome in (one.split() for one in told)]


def test_the_last_that_fell_short_stands_beside_the_newest_of_its_mode() -> None:
    found = before_and_after(
        tried("mode2 failed_to_start", "mode2 dropped_out", "dc charged", "mode2 charged", "dc derated")
    )
    assert found == {"mode2": (1, 3)}


def test_a_mode_that_still_falls_short_stands_beside_what_it_did_before() -> None:
    assert before_and_after(tried("dc derated", "dc derated")) == {"dc": (0, 1)}


def test_nothing_stands_beside_one_session_or_beside_what_never_fell_short() -> None:
    assert before_and_after(tried("dc failed_to_start", "mode2 charged", "mode2 unknown")) == {}
