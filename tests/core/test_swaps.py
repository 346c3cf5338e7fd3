"""The swap table: what the fault follows by facts of the trade, and which cell tells most."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.case.swaps import PARTS, Attempt, Came, follows, next_cell


def tried(vehicle: str, post: str, came: Came, lead: str = "") -> Attempt:
    return Attempt({"vehicle": vehicle, "post": post, **({"lead": lead} if lead else {})}, came)  # type: ignore[dict-item]


def lead_of(*attempts: Attempt) -> tuple[str, dict[str, str], float]:
    first = follows(attempts)[0]
    return first.kind, dict(first.parts), first.share


def test_one_car_failing_at_many_posts_is_the_car() -> None:
    kind, parts, share = lead_of(
        *(tried("van", post, "failed") for post in ("1", "2", "3")),
        *(tried("car", post, "charged") for post in ("1", "2")),
    )
    assert (kind, parts) == ("part", {"vehicle": "van"})
    assert share > 0.8


def test_many_cars_failing_at_one_post_are_the_post() -> None:
    kind, parts, share = lead_of(
        *(tried(car, "1", "failed") for car in ("a", "b", "c")), *(tried(car, "2", "charged") for car in ("a", "b"))
    )
    assert (kind, parts) == ("part", {"post": "1"})
    assert share > 0.8


def test_twelve_of_thirteen_posts_working_and_one_not_is_that_post() -> None:
    attempts = [tried("van", str(n), "charged") for n in range(12)]
    kind, parts, share = lead_of(*attempts, tried("van", "12", "failed"), tried("van", "12", "failed"))
    assert parts.get("post") == "12"
    assert kind in ("part", "pair")
    assert share > 0.5


def test_a_lead_that_fails_wherever_it_is_used() -> None:
    kind, parts, _ = lead_of(
        tried("a", "1", "failed", "blue"), tried("a", "1", "charged", "red"), tried("b", "2", "failed", "blue"),
        tried("b", "2", "charged", "red"),
    )  # fmt: skip
    assert (kind, parts) == ("part", {"lead": "blue"})


def test_a_pair_that_does_not_go_together() -> None:
    attempts = [tried(v, p, "failed" if (v, p) == ("a", "1") else "charged") for v in "abc" for p in "123"]
    attempts += [tried("a", "1", "failed")]
    kind, parts, _ = lead_of(*attempts)
    assert (kind, parts) == ("pair", {"vehicle": "a", "post": "1"})


def test_everything_failing_everywhere_is_what_they_share() -> None:
    assert lead_of(*(tried(v, p, "failed") for v in "abc" for p in "123"))[0] == "all"


def test_one_failure_alone_decides_nothing_and_says_what_to_try() -> None:
    once = [tried("van", "1", "failed")]
    assert follows(once)[0].share < 0.6
    more = [*once, tried("car", "2", "charged")]
    cell = next_cell(more)
    assert cell is not None
    assert dict(cell.parts) in ({"vehicle": "van", "post": "2"}, {"vehicle": "car", "post": "1"})
    assert cell.bits > 0.3


def test_a_post_does_not_own_the_only_failure_because_nobody_noted_the_vehicle() -> None:
    alone = follows([Attempt({"post": "4"}, "failed")])
    assert alone[0].share < 0.5
    assert {next(iter(f.parts)) for f in alone[:2]} == {"post", "vehicle"}
    assert "not noted" in " ".join(f.words for f in alone[:2])
    # Another post that charges the same way speaks against the vehicle, whichever it was.
    then = follows(
        [Attempt({"post": "4"}, "failed"), Attempt({"post": "5"}, "charged"), Attempt({"post": "4"}, "failed")]
    )
    assert (then[0].parts, then[0].share > 0.7) == ({"post": "4"}, True)


def test_nothing_failed_follows_nothing() -> None:
    assert follows([]) == ()
    assert follows([tried("van", "1", "charged")]) == ()
    assert next_cell([tried("van", "1", "charged")]) is None


def test_an_undecided_attempt_changes_nothing() -> None:
    known = [tried("van", "1", "failed"), tried("car", "1", "charged")]
    assert follows([*known, tried("bus", "9", "open")]) == follows(known)


ATTEMPTS = st.lists(
    st.builds(tried, st.sampled_from("abc"), st.sampled_from("12"), st.sampled_from(["charged", "failed", "open"])),
    max_size=9,
)


@settings(deadline=None, max_examples=50)
@given(attempts=ATTEMPTS, order=st.randoms())
def test_shares_sum_to_one_in_any_order(attempts: list[Attempt], order: object) -> None:
    shuffled = list(attempts)
    order.shuffle(shuffled)  # type: ignore[attr-defined]
    found, again = follows(attempts), follows(shuffled)
    assert not found or sum(f.share for f in found) == pytest.approx(1.0)
    assert {f.words: pytest.approx(f.share) for f in found} == {f.words: f.share for f in again}


@settings(deadline=None, max_examples=50)
@given(attempts=ATTEMPTS)
def test_the_next_cell_was_not_tried_and_is_made_of_what_is_at_hand(attempts: list[Attempt]) -> None:
    cell = next_cell(attempts)
    if cell is not None:
        told = [dict(a.parts) for a in attempts if a.came != "open"]
        assert dict(cell.parts) not in told
        assert all(cell.parts[p] in {a.parts.get(p) for a in attempts} for p in PARTS if p in cell.parts)


@settings(deadline=None, max_examples=50)
@given(attempts=ATTEMPTS)
def test_one_more_failure_of_a_pair_never_lowers_what_is_in_it_against_what_is_not(attempts: list[Attempt]) -> None:
    base = [*attempts, tried("a", "1", "failed"), tried("b", "2", "failed")]
    before = {f.words: f.share for f in follows(base)}
    after = {f.words: f.share for f in follows([*base, tried("a", "1", "failed")])}
    for inside in ("the vehicle a", "the post 1"):
        for outside in ("the vehicle b", "the post 2"):
            assert after[inside] / after[outside] >= before[inside] / before[outside] - 1e-9
