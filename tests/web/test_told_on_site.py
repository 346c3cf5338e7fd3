"""What is told before and on site: intake, odd readings asked about, instruments, photographs, codes at the end."""

from __future__ import annotations

import base64
from datetime import UTC, datetime

import pytest
from starlette.testclient import TestClient

from gladwire.scenarios import ac, dc
from tests.web.test_case_pages import enter, new_case, until
from tests.web.test_judge_pages import ME, judged
from tests.web.test_pages import text

PNG = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
)
COMPLAINT = {"complaint": "Card declined at the quay. App said no", "post": "Quay 7", "vehicle": "Harbour van"}


def test_plan_and_kit_follow_what_is_typed_and_nothing_is_stored(client: TestClient) -> None:
    before = text(client, "/cases")
    beside = client.post("/cases/new/plan", data=COMPLAINT).text
    assert "Not authorised" in beside
    assert "Take along" in beside
    assert "a card or account that is known to work" in beside.lower()
    assert text(client, "/cases") == before


def test_a_complaint_that_can_hurt_is_told_first(client: TestClient) -> None:
    beside = client.post("/cases/new/plan", data={"complaint": "Sparks when it is plugged in"}).text
    assert 'id="warned" hx-swap-oob="true"' in beside
    assert "nobody plugs in" in beside


def test_what_was_asked_on_the_telephone_is_in_the_case(client: TestClient) -> None:
    told = {**COMPLAINT, "plan": "refused", "others_here": "so", "codes": "not_so", "said": "Contract unknown", **ME}
    made = client.post("/cases", data=told)
    case = made.headers["location"].removesuffix("/checklist")
    assert "Card declined at the quay" in text(client, case)
    assert "Contract unknown" in text(client, case)
    page = text(client, f"{case}/checklist")
    assert "Not authorised" in page
    assert page.index("Entered and captured") < page.index("Do others charge here?")
    again = client.post("/cases/new/plan", data=COMPLAINT).text
    assert "Open already" in again


def test_a_plan_that_was_chosen_by_hand_stays_one_that_was_not_follows_the_words(client: TestClient) -> None:
    data = {"complaint": "The plug is stuck", "plan": "dc_slow", "plain": "stuck"}
    assert "as you chose" in client.post("/cases/new/plan", data=data).text
    followed = client.post("/cases/new/plan", data={**data, "plan": "refused", "plain": "refused"}).text
    assert 'value="stuck" checked' in followed


@pytest.mark.parametrize("data", [{}, {"complaint": "x", "plan": "no_such"}, {"complaint": "x", "modes": "hover"}])
def test_a_case_that_says_nothing_or_nonsense_is_not_opened(client: TestClient, data: dict[str, str]) -> None:
    assert client.post("/cases", data={**data, **ME}).status_code == 422


def test_mains_entered_as_ohms_is_asked_about_before_it_counts(client: TestClient) -> None:
    case = new_case(client)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    answer = client.post(f"{case}/checklist/entries", data={**ME, "step": "cp_core", "value": "240", "text": "at dusk"})
    page = client.get(answer.headers["location"]).text
    assert "240 is what mains has in volts" in page
    assert 'value="at dusk"' in page
    assert "Entered 240" not in page
    enter(client, case, step="cp_core", value="240", sure="true")
    assert "Entered 240 Ω" in text(client, f"{case}/checklist")
    assert "mains" in client.get("/readings/asked", params={"step": "cp_core", "value": "240"}).text
    assert not client.get("/readings/asked", params={"step": "cp_core", "value": "0.2"}).text.strip()
    assert "another" not in client.get("/readings/asked", params={"step": "nothing", "value": "1"}).text


def test_a_reading_says_what_it_was_taken_with(client: TestClient) -> None:
    data = {
        "kind": "instrument",
        "name": "Old meter",
        "calibrated_until": "2020-01-01",
        "category": "CAT II 300 V",
        **ME,
    }
    meter = client.post("/equipment", data=data).headers["location"].rsplit("/", 1)[1]
    case = new_case(client)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    assert "below cat iii 300 v" in client.get(f"{case}/checklist").text.lower()
    enter(client, case, step="cp_core", value="0.2", instrument=meter)
    assert f'with <a href="/equipment/{meter}">Old meter</a>' in " ".join(client.get(f"{case}/checklist").text.split())
    wrong = client.post(
        f"{case}/checklist/entries", data={**ME, "step": "pe_core", "value": "0.2", "instrument": "999"}
    )
    assert wrong.status_code == 422
    assert "PE core of the lead </h2>" not in client.get(f"{case}/checklist").text


def test_photographs_are_kept_whole_shown_and_struck_out(client: TestClient) -> None:
    case = new_case(client)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    two = [("pictures", ("a.png", PNG, "image/png")), ("pictures", ("b.png", PNG, "image/png"))]
    kept = client.post(f"{case}/photographs", data={**ME, "text": "burnt CP", "step": "look"}, files=two)
    assert kept.headers["location"].endswith("/checklist#look")
    page = client.get(f"{case}/checklist").text
    address = page.split('<img src="')[1].split('"')[0]
    shown = client.get(address)
    assert (shown.content, shown.headers["content-type"]) == (PNG, "image/png")
    assert page.count("<img src=") == 2
    wrong = client.post(f"{case}/photographs", data=ME, files=[two[0], ("pictures", ("c.txt", b"<svg>", "image/png"))])
    assert wrong.status_code == 422
    assert client.get(f"{case}/checklist").text.count("<img src=") == 2
    assert client.get("/photographs/99999").status_code == 404


def test_stored_codes_are_asked_about_before_a_case_closes_as_mended(client: TestClient) -> None:
    case = new_case(client, modes="mode2")
    client.post(f"{case}/notes", data={**ME, "kind": "code", "text": "P0AA1"})
    assert 'name="codes_after"' in client.get(case).text
    enter(client, case, step="codes_after", answer="yes")
    assert 'name="codes_after"' not in client.get(case).text
    client.post(
        f"{case}/notes", data={**ME, "kind": "repair", "text": "new lead", "part": "lead 5x2.5", "who": "Ida Holm"}
    )
    page = text(client, case)
    assert "Repair (lead 5x2.5) : new lead; done by Ida Holm" in page
    assert 'name="codes_after"' in client.get(case).text


def piece(client: TestClient, kind: str, name: str, **more: str) -> str:
    return client.post("/equipment", data={"kind": kind, "name": name, **more, **ME}).headers["location"]


def test_what_was_learnt_of_a_model_is_offered_where_it_is_met_again(client: TestClient) -> None:
    one = piece(client, "stall", "Quay 1", model="Tern 22")
    piece(client, "stall", "Quay 2", model="TERN 22")
    client.post(f"{one}/learnt", data={"kind": "quirk", "text": "Push the plug fully home", **ME})
    client.post(f"{one}/learnt", data={"kind": "lamp", "shows": "blue, blinking", "stage": "authorise", **ME})
    other = new_case(client, post="Quay 2")
    assert "Push the plug fully home" in text(client, other)
    assert "lamp “blue, blinking” stands for “start was accepted”" in text(client, other)
    assert 'data-text="blue, blinking: start was accepted"' in client.get(f"{other}/pad").text
    assert "Push the plug fully home" in client.post("/cases/new/plan", data={"complaint": "x", "post": "Quay 2"}).text
    assert "Push the plug fully home" not in text(client, new_case(client, post="Quay 3"))
    number = client.get(one).text.split('action="/learnt/')[1].split("/")[0]
    client.post(f"/learnt/{number}/strike", data={**ME, "piece": one.rsplit("/", 1)[1]})
    assert "Push the plug fully home" not in text(client, other)


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "quirk"},
        {"kind": "lamp", "shows": "blue"},
        {"kind": "sound", "stage": "lock"},
        {"kind": "smell", "text": "x"},
    ],
)
def test_half_of_what_was_learnt_is_not_kept(client: TestClient, data: dict[str, str]) -> None:
    one = piece(client, "stall", "Quay 1", model="Tern 22")
    assert client.post(f"{one}/learnt", data={**data, **ME}).status_code == 422
    assert (
        client.post(
            f"{piece(client, 'stall', 'No model')}/learnt", data={"kind": "quirk", "text": "x", **ME}
        ).status_code
        == 409
    )


def test_a_stamp_by_its_legend_lies_on_the_lane_with_what_it_stands_for(client: TestClient) -> None:
    case = new_case(client)
    stamp = {
        "key": "abcdefgh-1",
        "kind": "lamp_legend",
        "at": f"{datetime.now(UTC).isoformat()}",
        "text": "blue: start was accepted",
    }
    assert client.post(f"{case}/pad", json=stamp).status_code == 200
    assert "Lamp or sound, by its legend, “blue: start was accepted”" in " ".join(text(client, f"{case}/pad").split())


def test_what_waits_is_grouped_by_place_with_one_kit_and_bays_named(client: TestClient) -> None:
    piece(client, "stall", "bay 1", site="East pier", cabinet="K1", proven="yes")
    piece(client, "stall", "bay 2", site="East pier", cabinet="K1", proven="yes")
    one = new_case(client, post="East pier, bay 1", plan="nowhere").removesuffix("/checklist")
    other = new_case(client, post="bay 1", plan="dc_slow").removesuffix("/checklist")
    new_case(client, post="a post nobody knows")
    assert "East pier 2 cases" in text(client, "/visits")
    page = text(client, "/visits/East%20pier")
    for words in ("Keep bay 2 free while bay 1 is tried: K1 feeds both", "category-rated meter", "another vehicle"):
        assert words in page
    for address in (one, other):
        client.post(f"{address}/state", data={"state": "closed", "ending": "nothing_wrong", "why": "a timer", **ME})
    assert "East pier" not in text(client, "/visits")
    assert client.get("/visits/East%20pier").status_code == 404


LATER = {"sent_key": "0123456789ab", "ago_s": "7200"}


def test_what_a_device_sends_later_counts_once_at_the_moment_it_was_typed(client: TestClient) -> None:
    case = new_case(client)
    client.post(f"{case}/checklist", data={"plan": "nowhere"})
    for _ in range(2):
        enter(client, case, step="codes", answer="other", text="P0AA1", **LATER)
    page = client.get(case).text
    assert page.count("P0AA1") == 1
    told = datetime.fromisoformat(page.split("P0AA1")[1].split('datetime="')[1].split('"')[0])
    assert abs((datetime.now(UTC) - told).total_seconds() - 7200) < 120
    tried = {"came": "failed", "text": "at dusk", "vehicle": "Van", "post": "Bay 1"}
    for kind, data in (("notes", {"kind": "note", "text": "it rained"}), ("attempts", tried)):
        for _ in range(2):
            sent = client.post(f"{case}/{kind}", data={**ME, **LATER, **data, "sent_key": f"key-of-{kind}"})
            assert sent.status_code == 303
    assert client.get(case).text.count("it rained") == 1
    assert client.get(f"{case}/swaps").text.count('action="/attempts/') == 1


def test_an_odd_reading_that_is_sent_later_is_refused_in_words_and_not_lost(client: TestClient) -> None:
    case = new_case(client)
    data = {**ME, **LATER, "step": "cp_core", "value": "240"}
    answer = client.post(f"{case}/checklist/entries", data=data, headers={"accept": "application/json"})
    assert (answer.status_code, "mains" in answer.json()["error"]) == (409, True)
    enter(client, case, **{**data, "value": "0.2"})  # its key was not taken by what was refused


@pytest.mark.parametrize("typed", [{"sent_key": "x"}, {"sent_key": "' OR 1=1 --"}, {"ago_s": "-5"}, {"ago_s": "1e400"}])
def test_nonsense_of_a_device_is_taken_for_typed_now(client: TestClient, typed: dict[str, str]) -> None:
    case = new_case(client)
    assert client.post(f"{case}/notes", data={**ME, "kind": "note", "text": "now", **typed}).status_code == 303
    assert "now" in text(client, case)


def test_what_display_or_app_said_warns_on_the_case_as_it_did_on_the_telephone(client: TestClient) -> None:
    case = client.post("/cases", data={"complaint": "stops", "said": "isolation fault", **ME}).headers["location"]
    assert "What was told speaks of insulation or earth" in text(client, case)
    client.post(f"{case}/notes", data={**ME, "kind": "repair", "text": "burnt contact renewed"})
    assert "What was told speaks of" not in text(client, case)


@pytest.mark.parametrize(
    ("complaint", "title"),
    [
        ("Stops at 3.5 kW. Then again", "Stops at 3.5 kW"),
        ("\n. \nNo start", "No start"),
        ("...", "..."),
        ("x" * 300, None),
    ],
)
def test_a_case_has_a_title_whatever_its_complaint_begins_with(
    client: TestClient, complaint: str, title: str | None
) -> None:
    made = client.post("/cases", data={"complaint": complaint, **ME})
    page = text(client, made.headers["location"])
    assert (title or "x" * 60) in page.split("opened")[0]


def test_what_can_hurt_in_a_complaint_stands_on_its_case_until_somebody_has_looked(client: TestClient) -> None:
    case = new_case(client, complaint="The inlet is melted", plan="nowhere").removesuffix("/checklist")
    for page in (case, f"{case}/checklist"):
        assert "What was told speaks of burning or heat damage" in text(client, page)
    enter(client, case, step="look", answer="not_so")
    for page in (case, f"{case}/checklist"):
        assert "What was told speaks of" not in text(client, page)


def test_mains_at_a_pilot_is_a_danger_once_somebody_is_sure_of_it(client: TestClient) -> None:
    case = new_case(client, plan="nowhere").removesuffix("/checklist")
    enter(client, case, step="post_alone", value="49")  # asked about, and not kept
    assert "First make it safe" not in text(client, case)
    enter(client, case, step="post_alone", value="230", sure="true")
    for page in (case, f"{case}/checklist"):
        assert "A pilot contact carries more volts than a pilot has" in text(client, page)
    assert "Draw the plug, release the post" not in text(client, case)


@pytest.mark.parametrize("shown", ["OL", "O.L", "0L", "∞", "open"])
def test_what_a_meter_shows_over_range_is_open(client: TestClient, shown: str) -> None:
    case = new_case(client, plan="nowhere").removesuffix("/checklist")
    enter(client, case, step="pe_core", value=shown)
    assert "Entered open" in text(client, f"{case}/checklist")
    assert not client.get("/readings/asked", params={"step": "pe_core", "value": shown}).text.strip()


def plugged_in(client: TestClient, case: str, name: str, content: bytes, post: str) -> None:
    sent = client.post("/captures", files=[("files", (name, content))], data={"case": case.rsplit("/", 1)[1]})
    address = sent.headers["location"]
    judged(client, address)
    client.post(f"{address}/parts", data={**ME, "vehicle": "Van", "post": post})
    client.post(f"{address}/mode", data={"mode": "mode3_socket"})
    judged(client, address)


def test_a_case_stands_at_what_failed_until_the_same_parts_are_tried_again(client: TestClient) -> None:
    case = new_case(client, modes="mode3_socket")

    plugged_in(client, case, "a.csv", ac.locks_then_corroded(), "Bay 1")
    plugged_in(client, case, "b.csv", ac.both_mended(), "Bay 2")
    page = until(client, case, "charged with another post")
    assert "“a” had" in page
    assert "Not like with like: another post and stall took part" in client.get(f"{case}/before-after").text
    assert "nobody at fault" not in page.split("Proof, mode by mode")[0]
    assert "Close it." not in page
    plugged_in(client, case, "c.csv", ac.pushed_home(), "Bay 1")
    assert "Every reported mode is proven. Close it." in until(client, case, "Every reported mode is proven")


def test_a_danger_at_one_post_is_not_gone_because_another_post_is_well(client: TestClient) -> None:
    case = new_case(client)
    plugged_in(client, case, "wet.pcapng", dc.frames("wet_inlet"), "Bay 1")
    assert "First make it safe" in until(client, case, "First make it safe")
    plugged_in(client, case, "well.csv", ac.both_mended(), "Bay 2")
    assert "First make it safe" in client.get(case).text
    plugged_in(client, case, "again.csv", ac.pushed_home(), "Bay 1")
    assert "First make it safe" not in client.get(case).text
