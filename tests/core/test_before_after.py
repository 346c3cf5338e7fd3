"""Which sessions of a case show what a repair did, and what stands in the way of a proof."""

from __future__ import annotations

import pytest

from gladwire.core.case.proof import Tried, before_and_after, like_with_like, proofs


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


def test_what_failed_since_in_a_mode_nobody_said_leaves_a_mode_unproven() -> None:
    assert [p.state for p in proofs(["dc"], tried("dc charged"))] == ["proven"]
    (doubted,) = proofs(["dc"], [*tried("dc charged"), Tried("", "In the rain", "failed_to_start", (), False)])
    assert (doubted.state, "In the rain" in doubted.text) == ("unproven", True)
    before = [Tried("", "First", "failed_to_start", (), False), *tried("dc charged")]
    assert [p.state for p in proofs(["dc"], before)] == ["proven"]


def test_a_mode_that_was_not_reported_and_fails_is_told_with_the_others() -> None:
    found = proofs(["dc"], tried("dc charged", "mode2 failed_to_start"))
    assert [p.state for p in found] == ["proven", "failing"]
    assert [p.state for p in proofs(["dc"], tried("dc charged", "mode2 failed_to_start", "mode2 charged"))] == [
        "proven"
    ]


VAN = {"vehicle": "van 7", "post": "post 2"}


def of(outcome: str, repairs: int = 0, **parts: str) -> Tried:
    return Tried("dc", outcome, outcome, (), False, parts={**VAN, **parts}, repairs=repairs)


@pytest.mark.parametrize(
    ("after", "state"),
    [
        (of("charged"), "proven"),
        (of("charged", post="post 3"), "unproven"),  # whose it is, not that it is mended
        (of("charged", repairs=1, post="post 3"), "unproven"),
        (of("charged", repairs=1, vehicle="van 3"), "unproven"),
        (of("charged", lead="new lead"), "unproven"),
        (of("charged", repairs=1, lead="new lead"), "proven"),  # the new lead is the repair
        (of("charged", software="1.5"), "proven"),
        (Tried("dc", "", "charged", (), False), "proven"),  # nobody said what took part
    ],
)
def test_what_charged_with_another_part_proves_nothing_of_the_one_that_failed(after: Tried, state: str) -> None:
    (found,) = proofs(["dc"], [of("failed_to_start", lead="old lead", software="1.4"), after])
    assert (found.state, "another" in found.text) == (state, state == "unproven")


def test_what_was_captured_with_others_proves_and_takes_back_nothing() -> None:
    failed, other = of("failed_to_start"), of("charged")._replace(others=True)
    assert [p.state for p in proofs(["dc"], [failed, other])] == ["failing"]
    assert [p.state for p in proofs(["dc"], [other])] == ["unproven"]
    assert [p.state for p in proofs(["dc"], [of("charged"), failed._replace(others=True)])] == ["proven"]
    assert before_and_after([failed, other]) == {}
    assert not like_with_like(failed, other)
    assert like_with_like(other, other)
