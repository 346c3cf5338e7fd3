"""What tests showed, entered on the Session page; the swap table of a case; the pages of causes and tests."""

from __future__ import annotations

import re
import time
from pathlib import Path

import pytest
from starlette.testclient import TestClient

from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.scenarios import ac, dc
from gladwire.web.pages import causes
from tests.web.test_beside_captures import dropped

ME = {"by_name": "Runa Holt"}


def share_of(page: str, title: str) -> int:
    found = re.search(rf'<b>{re.escape(title)}</b><b\s+class="text-nowrap">(\d+) %', page)
    return int(found[1]) if found else 0


def judged(client: TestClient, address: str) -> str:
    """The page once its verdict is there: a busy machine takes longer than a page waits."""
    for _ in range(40):
        page = client.get(address).text
        if 'id="causes"' in page:
            return page
        time.sleep(0.5)
    raise AssertionError("no verdict in twenty seconds")


def proposed(page: str) -> str:
    found = re.search(r'name="test" value="([a-z_0-9]+)"', page)
    assert found
    return found[1]


def test_what_a_test_showed_moves_the_shares_and_is_not_asked_again(client: TestClient) -> None:
    address = dropped(client, ("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    before = client.get(address).text
    test = proposed(before)
    answer = client.post(f"{address}/answers", data={**ME, "test": test, "result": "so", "text": "breaker F3 was out"})
    assert answer.status_code == 303
    after = client.get(address).text
    assert proposed(after) != test
    assert "breaker F3 was out" in after
    assert "Runa Holt" in after
    leads = re.search(r'<b>([^<]+)</b><b\s+class="text-nowrap">', before)
    assert leads
    assert share_of(after, leads[1]) > share_of(before, leads[1])


def test_an_answer_struck_out_counts_no_more_and_stays_to_be_read(client: TestClient) -> None:
    address = dropped(client, ("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    before = client.get(address).text
    client.post(f"{address}/answers", data={**ME, "test": "elsewhere", "result": "so"})
    between = client.get(address).text
    strike = re.search(r'action="(/observations/\d+/strike)"', between)
    assert strike
    client.post(strike[1], data=ME)
    after = client.get(address).text
    assert proposed(after) == proposed(before)
    assert "struck out by Runa Holt" in after


@pytest.mark.parametrize(
    "wrong",
    [
        {"test": "no_such", "result": "so"},
        {"test": "elsewhere", "result": "perhaps"},
        {"test": "elsewhere", "by_name": ""},
    ],
)
def test_a_wrong_answer_is_refused_in_a_sentence(client: TestClient, wrong: dict[str, str]) -> None:
    address = dropped(client, ("van_cp.csv", ac.bakery_pilot()))
    answer = client.post(f"{address}/answers", data={**ME, "result": "so", **wrong})
    assert answer.status_code == 422
    assert client.post("/sessions/99999/answers", data={**ME, "test": "elsewhere", "result": "so"}).status_code == 404


def test_a_danger_is_made_safe_first(client: TestClient) -> None:
    address = dropped(client, ("stop.pcapng", dc.frames("stop_ignored")))
    page = judged(client, address)
    assert "First make it safe." in page
    next_panel = page[page.index('id="next"') : page.index('id="causes"')]
    assert "lug this vehicle into" not in next_panel
    assert "lug another vehicle" not in next_panel


def test_what_could_not_be_seen_is_told_beside_the_cause(client: TestClient) -> None:
    page = client.get(dropped(client, ("socket.csv", ac.to_nobody()))).text
    assert "It rests on:" in page
    assert "plays of this cause" in page


def case_of(client: TestClient, address: str) -> str:
    number = address.rpartition("/")[2]
    made = client.post("/cases", data={"title": "Van", "vehicle": "van 7", "post": "post 2", "session": number})
    assert made.status_code == 303
    return str(made.headers["location"])


def test_the_swap_table_follows_the_car_that_fails_everywhere(client: TestClient) -> None:
    case = case_of(client, dropped(client, ("home.csv", ac.not_home())))
    tries = (("van 7", "post 3", "failed"), ("van 3", "post 2", "charged"), ("van 3", "post 3", "charged"))
    for vehicle, post, came in tries:
        noted = {**ME, "vehicle": vehicle, "post": post, "came": came, "text": "E-04"}
        assert client.post(f"{case}/attempts", data=noted).status_code == 303
    page = client.get(f"{case}/swaps").text
    assert "The fault follows <b>the vehicle van 7</b>" in page
    assert page.count("“E-04”") == 6  # in the table, and in the list of attempts
    assert ">failed</a>" in page  # the session stands in it by itself


def test_one_attempt_decides_nothing_and_says_what_to_try(client: TestClient) -> None:
    case = case_of(client, dropped(client, ("home.csv", ac.not_home())))
    page = client.get(f"{case}/swaps").text
    assert "<b>Not decided:</b>" in " ".join(page.split())
    assert "Another vehicle here, or this vehicle at another post" in " ".join(page.split())
    client.post(f"{case}/attempts", data={**ME, "vehicle": "van 3", "post": "post 3", "came": "charged"})
    page = client.get(f"{case}/swaps").text
    assert 'class="wanted"' in page


def test_a_later_session_says_what_took_part(client: TestClient) -> None:
    case = case_of(client, dropped(client, ("home.csv", ac.not_home())))
    number = case.rpartition("/")[2]
    second = client.post("/captures", files=[("files", ("holds.csv", ac.van_holds()))], data={"case": number})
    address = second.headers["location"]
    assert "Which was it?" in client.get(f"{case}/swaps").text
    told = client.post(f"{address}/parts", data={**ME, "vehicle": "van 7", "post": "post 3", "back": "swaps"})
    assert told.headers["location"] == f"{case}/swaps"
    page = client.get(f"{case}/swaps").text
    assert "Which was it?" not in page
    assert "<th>post 3" in page


def test_an_attempt_of_nothing_or_too_much_is_refused(client: TestClient) -> None:
    case = case_of(client, dropped(client, ("home.csv", ac.not_home())))
    nothing = client.post(f"{case}/attempts", data={**ME, "came": "failed"})
    assert nothing.status_code == 422
    assert "vehicle or the post" in nothing.text
    much = client.post(f"{case}/attempts", data={**ME, "came": "failed", "vehicle": "x" * 121})
    assert much.status_code == 422
    assert "Attempts without a capture" not in client.get(f"{case}/swaps").text
    quoted = {part: '"' * 120 for part in ("vehicle", "post", "lead", "adapter", "controller")}
    long = client.post(f"{case}/attempts", data={**ME, "came": "failed", **quoted, "text": '"' * 300})
    assert long.status_code == 303
    assert "&#34;" * 120 in client.get(f"{case}/swaps").text


def test_a_session_in_no_case_says_what_took_part_too(client: TestClient) -> None:
    loose = dropped(client, ("holds.csv", ac.van_holds()))
    assert client.post(f"{loose}/parts", data={**ME, "vehicle": "a"}).status_code == 303


def test_every_cause_has_a_page_and_the_catalogue_lists_all(client: TestClient) -> None:
    listed = client.get("/causes").text + client.get("/tests").text
    for cause in CAUSES:
        assert f'href="/causes/{cause.code}"' in listed
    for code in ("loose_contact", "pilot_well", "certificate_out_of_date"):
        page = client.get(f"/causes/{code}")
        assert page.status_code == 200
    assert client.get("/causes/no_such").status_code == 404


def test_a_cause_s_page_opens_to_its_counts_and_its_sessions(client: TestClient) -> None:
    address = dropped(client, ("socket.csv", ac.to_nobody()))
    page = client.get("/causes/oscillating_with_nothing_connected").text
    assert f'href="{address}"' in page
    assert "plays of this cause" in page
    unplayed = client.get("/causes/certificate_out_of_date").text
    assert "<b>Unproven:</b>" in unplayed
    assert "Unproven" not in page


def test_an_answer_of_the_checklist_counts_for_the_sessions_of_the_case(client: TestClient) -> None:
    address = dropped(client, ("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    case = case_of(client, address)
    before = client.get(address).text
    client.post(f"{case}/checklist", data={"plan": "dc_nothing"})
    entered = client.post(f"{case}/checklist/entries", data={**ME, "step": "elsewhere", "answer": "not_so"})
    assert entered.status_code == 303
    client.post(f"{address}/answers", data={**ME, "test": "others_here", "result": "open"})
    after = client.get(address).text
    leads = re.search(r'<b>([^<]+)</b><b\s+class="text-nowrap">', before)
    assert leads
    assert "It charges elsewhere." in client.get(f"{case}/checklist").text
    assert "It charges elsewhere." in after
    assert share_of(after, leads[1]) != share_of(before, leads[1])


def test_a_reading_at_hand_is_entered_before_its_turn(client: TestClient) -> None:
    case = case_of(client, dropped(client, ("home.csv", ac.not_home())))
    client.post(f"{case}/checklist", data={"plan": "bus"})
    page = client.get(f"{case}/checklist").text
    assert page.count("Enter it now") >= 3
    client.post(f"{case}/checklist/entries", data={**ME, "step": "bus_wiring", "value": "120"})
    assert "one end&#39;s termination is missing" in client.get(f"{case}/checklist").text


@pytest.mark.parametrize("plan", ["stop_ignored", "wet_inlet"])
def test_nothing_is_tried_again_while_something_can_hurt(client: TestClient, plan: str) -> None:
    """Neither swap table nor checklist contradicts what the Session page says."""
    address = dropped(client, ("frames.pcapng", dc.frames(plan)))
    judged(client, address)
    case = case_of(client, address)
    noted = {**ME, "vehicle": "van 3", "post": "post 3", "came": "charged"}
    client.post(f"{case}/attempts", data=noted)
    page = client.get(f"{case}/swaps").text
    assert "First make it safe." in page
    assert "Try next" not in page
    assert "First make it safe." in client.get(f"{case}/checklist").text


def test_a_case_without_danger_is_not_held(client: TestClient) -> None:
    case = case_of(client, dropped(client, ("home.csv", ac.not_home())))
    assert "First make it safe." not in client.get(f"{case}/swaps").text
    assert "First make it safe." not in client.get(f"{case}/checklist").text


def test_every_cause_that_is_played_is_drawn_and_nothing_else(client: TestClient) -> None:
    """But the charger that is smaller than the offer, which is told as well: no fault leads there."""
    folder = Path(causes.__file__).parents[1] / "static" / "causes"
    drawn = {path.stem for path in folder.glob("*.svg")}
    played = {c.code for c in CAUSES if likelihood.plays_of(c.code)}
    assert played - drawn == {"charger_size"}
    assert drawn <= played
    assert 'class="looks"' in client.get("/causes/lock_blocked").text
    assert 'class="looks"' not in client.get("/causes/charger_size").text
