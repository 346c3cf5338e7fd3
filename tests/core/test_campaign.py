"""The table of a campaign: what stands in rows, what an update changed, what is left to try."""

from __future__ import annotations

import pytest

from gladwire.core.case.campaign import Table, Trial, came_of_cell, table_of
from gladwire.core.case.swaps import Attempt, Came, Part


def tried(*rows: tuple[str, str, str, Came]) -> Table:
    """(vehicle, post, software, came)"""
    found = []
    for vehicle, post, software, came in rows:
        parts: dict[Part, str] = {"vehicle": vehicle, "post": post, "software": software}
        found.append((Attempt(parts, came), Trial(came)))
    return table_of(found)


def test_an_update_says_what_it_mended_broke_and_left_and_makes_the_list_to_try_again() -> None:
    table = tried(
        ("van", "A", "1.4", "failed"), ("van", "B", "1.4", "charged"), ("van", "C", "1.4", "failed"),
        ("van", "D", "1.4", "charged"), ("van", "E", "1.4", "failed"), ("van", "F", "1.4", "failed"),
        ("van", "A", "1.5", "charged"), ("van", "B", "1.5", "charged"), ("van", "C", "1.5", "failed"),
        ("van", "D", "1.5", "failed"), ("van", "F", "1.5", "open"), ("van", "G", "1.5", "charged"),
    )  # fmt: skip
    assert (table.row_part, table.columns) == ("post", ("1.4", "1.5"))
    assert table.change is not None
    assert table.change._asdict() == {
        "before": "1.4", "after": "1.5", "mended": ("A",), "broken": ("D",), "failing": ("C",), "charging": ("B",),
        "open": ("E", "F"),
    }  # fmt: skip
    assert table.reference == ("B",)


def test_a_post_that_refused_once_did_not_charge_every_time() -> None:
    table = tried(("van", "A", "1.4", "failed"), ("van", "A", "1.4", "charged"), ("van", "A", "1.5", "charged"))
    assert table.reference == ()
    assert table.change is not None
    assert table.change.charging == ("A",)


def test_rows_are_what_more_were_tried_of() -> None:
    few_posts = tried(("a", "P", "", "failed"), ("b", "P", "", "failed"), ("c", "Q", "", "charged"))
    assert (few_posts.row_part, few_posts.rows, few_posts.columns) == ("vehicle", ("a", "b", "c"), ("P", "Q"))
    assert tried(("a", "P", "", "failed"), ("b", "P", "", "charged"), ("b", "Q", "", "open")).row_part == "post"


def test_a_version_nobody_noted_is_no_update() -> None:
    assert tried(("van", "A", "", "failed"), ("van", "A", "1.5", "charged")).change is None


def test_another_vehicle_with_another_version_is_no_update() -> None:
    table = tried(("van", "A", "1.4", "failed"), ("bus", "A", "1.5", "charged"))
    assert table.change is None


@pytest.mark.parametrize(
    ("came", "is_"),
    [((), None), (("open",), "open"), (("failed", "charged"), "charged"), (("charged", "failed", "open"), "failed")],
)
def test_a_refusal_and_a_start_after_it_is_a_start(came: tuple[Came, ...], is_: Came | None) -> None:
    assert came_of_cell([Trial(c) for c in came]) == is_


def test_nothing_tried_is_an_empty_table_and_unknown_parts_have_a_place() -> None:
    assert table_of([]).rows == ()
    table = tried(("", "", "", "failed"))
    assert (table.rows, table.columns) == (("not noted",), ("not noted",))
    assert len(table.cells) == 1
