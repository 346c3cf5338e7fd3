"""A case as the judge sees it: its checklist's answers, attempts and repairs, what it was before."""

from __future__ import annotations

import re
import time

import pytest
from starlette.testclient import TestClient

from gladwire.scenarios import ac, dc
from tests.web.test_beside_captures import dropped
from tests.web.test_judge_pages import ME, case_of, judged, share_of
from tests.web.test_pages import text


def enter(client: TestClient, case: str, **entry: str) -> None:
    answer = client.post(f"{case}/checklist/entries", data={**ME, **entry})
    assert answer.status_code == 303, answer.text


def new_case(client: TestClient, **more: str) -> str:
    made = client.post("/cases", data={"title": "Van does not charge", **more})
    return str(made.headers["location"])


def until(client: TestClient, address: str, words: str) -> str:
    """The page once it says so: judging goes on beside the pages, and a busy machine takes longer than these wait."""
    for _ in range(60):
        page = client.get(address).text
        if words in page:
            return page
        time.sleep(0.5)
    raise AssertionError(f"“{words}” was not told in thirty seconds")


def now(client: TestClient, case: str) -> str:
    found = re.search(r'<li id="([a-z_0-9]+)" class="panel pad is-now">', client.get(f"{case}/checklist").text)
    return found[1] if found else ""


def test_a_case_without_a_capture_is_judged_by_its_answers(client: TestClient) -> None:
    case = new_case(client)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    assert now(client, case) == "codes"
    enter(client, case, step="codes", answer="not_so")
    first = now(client, case)
    enter(client, case, step="cp_core", open="true")
    enter(client, case, step="pe_core", value="0.2")
    page = text(client, case)
    assert "Where it stands" in page
    assert "Pilot open: CP pin recessed or core broken" in page
    assert first == "elsewhere"
    assert now(client, case) == ""
    assert "Mend it" in text(client, f"{case}/checklist")
    enter(client, case, step="post_alone", value="-12")
    assert "Mend it" not in text(client, f"{case}/checklist")


def test_a_lead_without_earth_is_told_first_on_every_page_of_its_case(client: TestClient) -> None:
    address = dropped(client, ("home.csv", ac.not_home()))
    judged(client, address)
    case = case_of(client, address)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    enter(client, case, step="pe_core", open="true")
    for path in (case, f"{case}/checklist", f"{case}/swaps"):
        assert "First make it safe." in text(client, path), path
    client.post(f"{address}/answers", data={**ME, "test": "others_here", "result": "open"})
    until(client, address, "The lead has no protective earth")
    page = text(client, address)
    assert "Danger. The lead has no protective earth" in page
    assert "First make it safe." in page


def test_what_is_at_hand_orders_what_comes(client: TestClient) -> None:
    case = new_case(client)
    client.post(f"{case}/checklist", data={"plan": "slow_only"})
    here = {**ME, "tools": ["meter"], "away_min": "25", "other_post_min": "10"}
    assert client.post(f"{case}/situation", data=here).status_code == 303
    page = text(client, f"{case}/checklist")
    assert "Not at hand: another lead." in page
    assert "Not at hand: scope with a differential probe." in page
    for wrong in ({"tools": "crowbar"}, {"away_min": "-1"}, {"other_post_min": "soon"}):
        assert client.post(f"{case}/situation", data={**ME, **wrong}).status_code == 422


def test_after_a_repair_everything_is_asked_anew(client: TestClient) -> None:
    address = dropped(client, ("home.csv", ac.not_home()))
    judged(client, address)
    case = case_of(client, address)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    enter(client, case, step="elsewhere", answer="not_so")
    assert "Entered and captured" in text(client, f"{case}/checklist")
    client.post(f"{case}/notes", data={**ME, "kind": "repair", "text": "Lip filed off"})
    page = text(client, f"{case}/checklist")
    assert "everything is asked anew" in page
    assert "Entered and captured" not in page
    # The session before the repair keeps the answer of its own time.
    client.post(f"{address}/answers", data={**ME, "test": "others_here", "result": "open"})
    until(client, address, "It charges elsewhere.")


def test_attempts_of_a_case_are_evidence_for_its_sessions(client: TestClient) -> None:
    address = dropped(client, ("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    before = judged(client, address)
    case = case_of(client, address)
    for vehicle in ("van 3", "van 4"):
        client.post(f"{case}/attempts", data={**ME, "vehicle": vehicle, "post": "post 3", "came": "failed"})
    client.post(f"{address}/parts", data={**ME, "vehicle": "van 7", "post": "post 3"})
    client.post(f"{address}/answers", data={**ME, "test": "elsewhere", "result": "open"})
    after = until(client, address, "2 failed of 2 attempts with another vehicle at this post, in this case.")
    leads = re.search(r'<b>([^<]+)</b><b\s+class="text-nowrap">', before)
    assert leads
    assert share_of(after, leads[1]) >= share_of(before, leads[1])


def test_what_a_closed_case_was_counts_for_the_next_of_the_same_vehicle(client: TestClient) -> None:
    pair = (("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    first = dropped(client, *pair)
    page = judged(client, first)
    case = case_of(client, first)
    client.post(case, data={"title": "Van", "vehicle": "van 7"})
    closing = {"state": "closed", "ending": "handed_over", "why": "to the site", **ME}
    refused = client.post(f"{case}/state", data={**closing, "cause": "gremlins"})
    assert refused.status_code == 422
    client.post(f"{case}/state", data={**closing, "cause": "supply_missing"})
    assert "It was : No supply behind a contactor that closes." in text(client, case)
    second = dropped(client, *pair)
    judged(client, second)
    other = case_of(client, second)
    client.post(other, data={"title": "Van again", "vehicle": "van 7"})
    client.post(f"{second}/answers", data={**ME, "test": "elsewhere", "result": "open"})
    told = until(client, second, "It was this in 1 of 1 closed case of this vehicle or this post.")
    title = "No supply behind a contactor that closes"
    assert share_of(told, title) > share_of(page, title)


@pytest.mark.parametrize("result", ["maybe", "line_open"])
def test_a_result_its_test_does_not_have_is_refused(client: TestClient, result: str) -> None:
    address = dropped(client, ("home.csv", ac.not_home()))
    assert client.post(f"{address}/answers", data={**ME, "test": "elsewhere", "result": result}).status_code == 422


def test_attempts_count_before_anything_was_captured(client: TestClient) -> None:
    case = new_case(client, vehicle="van 7", post="post 2")
    client.post(f"{case}/checklist", data={"plan": "dc_nothing"})
    for vehicle in ("van 3", "van 4"):
        client.post(f"{case}/attempts", data={**ME, "vehicle": vehicle, "post": "post 2", "came": "failed"})
    page = text(client, f"{case}/checklist")
    assert "2 failed of 2 attempts with another vehicle at this post, in this case." in page
    assert re.search(r"Who owns it post", text(client, case))


def test_the_case_and_its_session_tell_the_same_shares(client: TestClient) -> None:
    address = dropped(client, ("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    judged(client, address)
    case = case_of(client, address)
    client.post(f"{case}/checklist", data={"plan": "slow_only"})
    client.post(f"{case}/attempts", data={**ME, "vehicle": "van 3", "post": "post 2", "came": "failed"})
    page = until(client, address, "1 failed of 1 attempt")
    for title in ("No supply behind a contactor that closes", "Contactor does not close"):
        assert f"{title} {share_of(page, title)} %" in text(client, case)


def test_a_danger_stays_told_after_a_repair_until_something_captured_says_it_is_gone(client: TestClient) -> None:
    address = dropped(client, ("frames.pcapng", dc.frames("wet_inlet")))
    judged(client, address)
    case = case_of(client, address)
    client.post(f"{case}/checklist", data={"plan": "dc_nothing"})
    for path in (case, f"{case}/checklist", f"{case}/swaps"):
        assert "First make it safe." in text(client, path), path
    client.post(f"{case}/notes", data={**ME, "kind": "repair", "text": "Inlet changed"})
    for path in (case, f"{case}/checklist", f"{case}/swaps"):
        page = text(client, path)
        assert "Not safe before the repair." in page, path
        assert "First make it safe." not in page, path


def test_an_attempt_struck_out_counts_no_more(client: TestClient) -> None:
    address = dropped(client, ("van.csv", ac.bakery_logger()), ("van_cp.csv", ac.bakery_pilot()))
    judged(client, address)
    case = case_of(client, address)
    client.post(f"{case}/attempts", data={**ME, "vehicle": "van 3", "post": "post 2", "came": "failed"})
    until(client, address, "1 failed of 1 attempt")
    struck = re.findall(r"/attempts/(\d+)/strike", client.get(f"{case}/swaps").text)[-1]
    client.post(f"/attempts/{struck}/strike", data=ME)
    for _ in range(60):
        if "1 failed of 1 attempt" not in client.get(address).text:
            return
        time.sleep(0.5)
    raise AssertionError("it still counts")
