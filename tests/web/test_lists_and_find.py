"""Lists, the search, and how cases wait and end, through the pages."""

from __future__ import annotations

import pytest
from starlette.testclient import TestClient

from gladwire.scenarios import ac
from gladwire.store.database import Sessions
from gladwire.store.models import Case
from tests.web.test_case_pages import ME, dropped, judged
from tests.web.test_pages import text


def case(client: TestClient, **form: str) -> str:
    return client.post("/cases", data={"title": "Van stops", **form}).headers["location"]


def test_a_session_is_found_by_file_finding_and_cause_and_the_reference_beside_it(client: TestClient) -> None:
    address = dropped(client, ("van_at_dusk.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    judged(client, address)
    for words in ("dusk", "contactor supply", "VAN_CP.csv", "cp supply"):
        page = client.get("/find", params={"q": words}).text
        assert f'href="{address}"' in page, words
    assert "In the reference" in text(client, "/find?q=contactor+supply")
    assert "/causes/supply_missing" in client.get("/find", params={"q": "supply contactor closes"}).text
    assert "Nothing has all of these words" in text(client, "/find?q=gremlin+dusk")
    assert "/sessions/" not in client.get("/find?q=dusk&kind=case").text.split("<main")[1]


@pytest.mark.parametrize(
    "words", ["", "   ", "<script>alert(1)</script>", "'; DROP TABLE cases; --", "ü" * 200, "+-*~"]
)
def test_anything_can_be_typed_into_the_box(client: TestClient, words: str) -> None:
    answer = client.get("/find", params={"q": words})
    assert answer.status_code == 200
    assert "<script>alert" not in answer.text


def test_a_page_of_nothing_and_beyond_the_last(client: TestClient) -> None:
    for address in ("/cases", "/cases?show=closed&page=9", "/sessions?show=loose", "/sessions?page=3"):
        assert "None" in text(client, address)
    assert client.get("/cases?show=lost").status_code == client.get("/sessions?show=lost").status_code == 404
    assert "No case is open" in text(client, "/")


def test_today_says_whom_each_case_waits_for(client: TestClient) -> None:
    case(client, title="mine")
    case(client, title="needs a latch", waits_on="part", waits_for="latch from the maker")
    case(client, title="next week", waits_on="day", back_on="2031-01-02")
    page = text(client, "/")
    assert "Waits for you 1" in page
    assert "Waits for a part: latch from the maker" in page
    assert "Waits for a day ( 02 Jan 2031 )" in page
    assert "needs a latch" in text(client, "/cases?show=part")
    assert "mine" not in text(client, "/cases?show=part")
    assert client.post("/cases", data={"title": "x", "waits_on": "day"}).status_code == 422
    assert client.post("/cases", data={"title": "x", "waits_on": "fate"}).status_code == 422
    assert client.post("/cases", data={"title": "x", "waits_on": "day", "back_on": "soon"}).status_code == 422


def test_waiting_counts_from_when_it_began_to_wait_for_another(client: TestClient, sessions: Sessions) -> None:
    address = case(client, waits_on="part")
    number = int(address.rsplit("/", 1)[1])

    def since() -> object:
        with sessions() as db:
            return db.get_one(Case, number).waits_since

    first = since()
    client.post(address, data={"title": "Van stops", "waits_on": "part", "complaint": "more"})
    assert since() == first
    client.post(address, data={"title": "Van stops", "waits_on": "owner"})
    assert since() != first


@pytest.mark.parametrize(
    ("form", "says"),
    [
        ({"ending": "mended"}, "Not proven yet: no mode was reported"),
        ({"ending": "mended", "why": "looks fine"}, "Not proven yet"),
        ({"ending": "nothing_wrong"}, "needs a reason"),
        ({"ending": "handed_over", "why": "  "}, "needs a reason"),
        ({"ending": "watched", "why": "once a month"}, "The day on which it comes back is missing"),
    ],
)
def test_a_case_ends_only_as_what_it_is(client: TestClient, form: dict[str, str], says: str) -> None:
    address = case(client)
    refused = client.post(f"{address}/state", data={"state": "closed", **form, **ME})
    assert (refused.status_code, says in refused.text) == (409, True)
    assert "open" in text(client, address)
    assert client.post(f"{address}/state", data={"state": "closed", "ending": "gone"}).status_code == 422


def test_a_watched_case_says_when_it_comes_back_and_opens_again(client: TestClient) -> None:
    address = case(client)
    form = {"state": "closed", "ending": "watched", "why": "once a month", "back_on": "2031-05-06", **ME}
    assert client.post(f"{address}/state", data=form).status_code == 303
    page = text(client, address)
    assert "watched, comes back by itself on 06 May 2031" in page
    assert "Closed, watched : once a month" in page
    assert "Comes back by itself on 06 May 2031" in text(client, "/cases?show=closed")
    client.post(f"{address}/state", data={"state": "open"})
    assert "06 May 2031" not in text(client, address)


def test_what_can_hurt_is_neither_watched_nor_nothing_wrong(client: TestClient) -> None:
    address = case(client)
    assert client.post(f"{address}/checklist", data={"plan": "nowhere", **ME}).status_code == 303
    entry = {"step": "pe_core", "open": "yes", "value": "", **ME}
    assert client.post(f"{address}/checklist/entries", data=entry).status_code == 303
    assert "Not safe 1" in text(client, "/")
    for ending in ("nothing_wrong", "watched", "mended"):
        form = {"state": "closed", "ending": ending, "why": "x", "back_on": "2031-05-06", **ME}
        refused = client.post(f"{address}/state", data=form)
        assert (refused.status_code, "Not proven safe: " in refused.text) == (409, True)
    form = {"state": "closed", "ending": "handed_over", "why": "to the lead's owner, cut off and marked", **ME}
    assert client.post(f"{address}/state", data=form).status_code == 303


def test_a_session_is_renamed_and_moved_and_both_cases_keep_that(client: TestClient) -> None:
    address = dropped(client, ("home.csv", ac.not_home()))
    number = address.rsplit("/", 1)[1]
    first = client.post("/cases", data={"title": "First", "session": number}).headers["location"]
    second = case(client, title="Second")
    moved = {"title": "at the quay", "case": second.rsplit("/", 1)[1], **ME}
    assert client.post(f"{address}/place", data=moved).status_code == 303
    assert f"Session {number}, “at the quay”, was moved away." in text(client, first)
    assert f"Session {number}, “at the quay”, was moved here." in text(client, second)
    client.post(f"{first}/state", data={"state": "closed", "ending": "handed_over", "why": "x", **ME})
    back = client.post(f"{address}/place", data={"title": "y", "case": first.rsplit("/", 1)[1], **ME})
    assert (back.status_code, "is closed" in back.text) == (409, True)
    client.post(f"{address}/place", data={"title": "at the quay", "case": "", **ME})
    assert "at the quay" in text(client, "/sessions?show=loose")
    assert "In no case" in text(client, address)
    assert client.post(f"{address}/place", data={"title": "x", "case": "99999", **ME}).status_code == 404
    assert client.post(f"{address}/place", data={"title": "x", "case": "none", **ME}).status_code == 422
