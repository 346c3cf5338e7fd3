"""Who stands out, against Fisher's exact test as it is published and worked by hand."""

from __future__ import annotations

from math import comb

import pytest

from gladwire.core.case.standing_out import Pair, standing_out


def around(post: int, failed: int, of: int, others: int) -> list[Pair]:
    """A post at which so many of so many vehicles fail, while none of these does at so many other posts."""
    here = [Pair(v, post, 1, int(v < failed)) for v in range(of)]
    return here + [Pair(v, 100 + p, 1, 0) for v in range(of) for p in range(others)]


def test_the_chance_is_fisher_s_times_what_was_looked_at() -> None:
    (found,) = standing_out(around(7, 4, 4, 3))
    # All four failing pairs of sixteen lie among the four here: one way of C(16, 4), worked by hand. Looked at are four posts
    # and four vehicles.
    assert found.chance == pytest.approx(8 / comb(16, 4))
    assert (found.thing, found.side, found.failed, found.tried) == (7, "stall", 4, 4)
    assert found.words == "4 of 4 vehicles failed, against 0 of 12 pairs elsewhere. By chance once in 228."


def test_the_tea_tasting_of_1935_is_told_as_published() -> None:
    """Fisher, The Design of Experiments (1935): four of four right of eight cups, once in 70; two posts were looked at."""
    (found,) = standing_out([Pair(v, 1, 1, 1) for v in range(4)] + [Pair(v + 10, 2, 1, 0) for v in range(4)])
    assert found.chance == pytest.approx(2 / 70)


def test_three_of_three_against_three_is_still_chance() -> None:
    assert standing_out([Pair(v, 1, 1, 1) for v in range(3)] + [Pair(v + 10, 2, 1, 0) for v in range(3)]) == ()


def test_one_vehicle_brought_back_often_blames_no_post() -> None:
    often = [Pair(0, 1, 50, 50), Pair(1, 1, 1, 1)]
    assert standing_out(often + [Pair(v, p, 3, 0) for v in range(2, 9) for p in range(1, 5)]) == ()


def test_half_of_the_tries_is_no_failing_pair_and_more_is() -> None:
    assert not Pair(1, 1, 2, 1).is_failing
    assert Pair(1, 1, 3, 2).is_failing


def test_a_vehicle_that_disappoints_everywhere_stands_out_and_no_post_does() -> None:
    told = [Pair(1, p, 1, 1) for p in range(6)] + [Pair(v, p, 1, 0) for v in range(2, 7) for p in range(6)]
    assert [(s.thing, s.side) for s in standing_out(told)] == [(1, "vehicle")]


@pytest.mark.parametrize("told", [[], [Pair(1, 1, 0, 0)], [Pair(1, p, 1, 1) for p in range(9)]])
def test_nothing_to_compare_with_says_nothing(told: list[Pair]) -> None:
    assert standing_out(told) == ()
