"""Things with identity, through the pages: named once and known again, earlier figures, what they are met with, and what was
said of a session before."""

from __future__ import annotations

import re
from datetime import timedelta

import pytest
from sqlalchemy import select
from starlette.testclient import TestClient

from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.measured import measure_capture
from gladwire.core.session.marks import Mark, marks_of
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import ac, dc
from gladwire.store.database import Sessions
from gladwire.store.judgements import what_changed
from gladwire.store.models import Equipment, StoredJudgement
from tests.web.test_case_pages import ME, case_of, dropped, judged
from tests.web.test_pages import text


def piece(client: TestClient, **form: str) -> str:
    answer = client.post("/equipment", data={**ME, **form})
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def test_what_is_named_for_the_first_time_gets_a_page_and_is_found_by_it_again(
    client: TestClient, sessions: Sessions
) -> None:
    first = dropped(client, ("bus.pcapng", dc.frames("wet_inlet")))
    judged(client, first)
    client.post(f"{first}/parts", data={**ME, "vehicle": "bus 5", "post": "bay 2"})
    assert "What took part: bus 5 , bay 2" in text(client, first)
    again = dropped(client, ("bus_again.pcapng", dc.frames("low_output")))
    judged(client, again)
    page = text(client, again)
    assert re.search(r"Vehicle: its address \w+ was once told as that of bus 5", page)
    assert re.search(r"Post and stall: its (address|EVSEID) \w+ was once told as that of bay 2", page)
    assert "What took part: bus 5" not in page  # offered, and nothing more until somebody keeps it
    client.post(f"{again}/parts", data={**ME, "vehicle": "bus 5", "post": "bay 3"})
    third = dropped(client, ("bus_third.pcapng", dc.frames("whole")))
    judged(client, third)
    assert "was once told as that of bay 3" in text(client, third)  # the last word holds
    with sessions() as db:
        assert sorted(e.name for e in db.scalars(select(Equipment))) == ["bay 2", "bay 3", "bus 5"]


def test_marks_are_those_of_the_frames_and_none_where_two_spoke() -> None:
    record = measure_capture(read_capture(Source(dc.frames("whole")))).measured.of(ConversationRecord)
    told = {(m.of, m.what): m.value for m in marks_of(record)}
    plan = dc.PLANS["whole"]
    assert told["vehicle", "EVCCID"] == plan.vehicle.evccid.upper()
    assert told["post", "EVSEID"] == "".join(c for c in plan.post.evse_id if c.isalnum()).upper()
    talk = record[0].connections[0]
    other = talk.model_copy(update={"ev_mac": "02:00:00:00:00:99"})
    both = record[0].model_copy(update={"connections": (talk, other)})
    assert not [m for m in marks_of([both]) if (m.of, m.what) == ("vehicle", "address")]
    assert marks_of([]) == ()
    assert len(Mark("post", "EVSEID", "X" * 400).key) == 120


def test_earlier_figures_stay_with_their_days(client: TestClient) -> None:
    address = piece(client, kind="stall", name="Stall 1", site="Quay", post_kw="150", label="A1")
    number = address.rsplit("/", 1)[1]
    same = {"kind": "stall", "id": number, "name": "Stall 1", "site": "Quay", "label": "A1"}
    piece(client, **same, post_kw="150")
    assert "What it was before" not in text(client, address)
    piece(client, **same, post_kw="180", software="2.1")
    page = text(client, address)
    assert "Post gives : 150 kW until" in page
    assert "Software version : not known until" in page
    assert "Label or print : A1" not in page


def test_two_of_one_name_are_told_apart_by_their_site(client: TestClient) -> None:
    for site in ("Quay", "Yard"):
        piece(client, kind="stall", name="post 1", site=site)
    address = dropped(client, ("home.csv", ac.not_home()))
    unclear = client.post(f"{address}/parts", data={**ME, "post": "post 1"})
    assert (unclear.status_code, "choose one with its site" in unclear.text) == (422, True)
    assert client.post(f"{address}/parts", data={**ME, "post": "Yard, post 1"}).status_code == 303
    assert "What took part: Yard, post 1" in text(client, address)


def test_a_lead_an_adapter_and_a_controller_have_pages_with_what_they_were_met_with(client: TestClient) -> None:
    case = client.post("/cases", data={"title": "x"}).headers["location"]
    tried = {
        **ME,
        "vehicle": "van",
        "lead": "grey",
        "adapter": "tug",
        "controller": "CC1",
        "stage": "lock",
        "start": "card",
    }
    for post, came in (("p 1", "failed"), ("p 1", "charged"), ("p 2", "failed")):
        assert client.post(f"{case}/attempts", data={**tried, "post": post, "came": came}).status_code == 303
    listed = client.get("/equipment").text
    for name, says in (("tug", "p 2 1 of 1 failed"), ("CC1", "p 1 1 of 2 failed"), ("grey", "van 2 of 3 failed")):
        found = re.search(rf'href="(/equipment/\d+)">{name}<', listed)
        assert found, name
        assert says in text(client, found[1])
    page = text(client, f"{case}/swaps")
    assert "failed at p 2, van, card, it locked" in page


@pytest.mark.parametrize(
    "form", [{"came": "won"}, {"came": "failed", "stage": "moon"}, {"came": "failed", "start": "wish"}]
)
def test_an_attempt_of_unknown_words_is_refused_whole(
    client: TestClient, sessions: Sessions, form: dict[str, str]
) -> None:
    case = client.post("/cases", data={"title": "x"}).headers["location"]
    assert client.post(f"{case}/attempts", data={**ME, "vehicle": "van", "post": "p", **form}).status_code == 422
    with sessions() as db:
        assert db.scalars(select(Equipment)).all() == []


def test_an_instrument_whose_calibration_ran_out_says_so(client: TestClient) -> None:
    due = piece(client, kind="instrument", name="Tester", category="CAT III 600 V", calibrated_until="2020-03-31")
    assert "Calibration ran out on 31 Mar 2020" in text(client, due)
    assert "Calibration ran out" in text(client, "/equipment")
    fine = piece(client, kind="instrument", name="Scope", calibrated_until="2099-03-31")
    assert "ran out" not in text(client, fine)
    wrong = client.post("/equipment", data={**ME, "kind": "instrument", "name": "x", "calibrated_until": "spring"})
    assert (wrong.status_code, "is no day" in wrong.text) == (422, True)


def test_a_post_that_disappoints_many_vehicles_rises_by_itself(client: TestClient) -> None:
    case = client.post("/cases", data={"title": "x"}).headers["location"]
    for n in range(5):
        for post, came in (("bad", "failed"), ("good 1", "charged"), ("good 2", "charged")):
            form = {**ME, "vehicle": f"van {n}", "post": post, "came": came}
            assert client.post(f"{case}/attempts", data=form).status_code == 303
    page = text(client, "/equipment")
    assert "Stands out bad 5 of 5 vehicles failed, against 0 of 10 pairs elsewhere. By chance once in" in page


def test_what_was_said_before_stays_with_why_it_changed(client: TestClient, sessions: Sessions) -> None:
    address = dropped(client, ("van_cp.csv", ac.bakery_pilot()))
    before = judged(client, address)
    number = int(address.rsplit("/", 1)[1])
    with sessions.begin() as db:
        told = db.scalars(select(StoredJudgement).where(StoredJudgement.session_id == number)).one()
        verdict, told.made_at = told.verdict, told.made_at - timedelta(minutes=5)
    assert "What was said of it before" not in before
    client.post("/captures", files=[("files", ("van.csv", ac.bakery_logger()))], data={"session": str(number)})
    judged(client, address)
    page = text(client, address)
    assert "What was said of it before 1" in page
    assert "another capture came to it." in page
    assert verdict[:40] in page.split("What was said of it before")[1]


def test_each_change_has_its_words() -> None:
    old = {"captures": [{"capture": 1, "settlement": None, "placement": None, "measures": 3}], "observations": [4]}
    changes = {
        "settled otherwise": {"captures": [{**old["captures"][0], "settlement": 9}], "observations": [4]},  # type: ignore[index,dict-item]
        "placed by hand": {"captures": [{**old["captures"][0], "placement": 9}], "observations": [4]},  # type: ignore[index,dict-item]
        "taken away": {"captures": [], "observations": [4]},
        "was noted": {**old, "observations": [4, 5]},
        "struck out": {**old, "observations": []},
        "case, vehicle or post": old,
    }
    for words, new in changes.items():
        assert words in what_changed(old, new, newer=False), words
    assert what_changed(old, old, newer=True) == "this application reads or judges anew"


def test_a_case_keeps_its_name_where_a_session_of_it_names_nothing(client: TestClient) -> None:
    address = dropped(client, ("home.csv", ac.not_home()))
    case = case_of(client, address)
    client.post(case, data={"title": "x", "vehicle": "any van", "post": "quay"})
    assert "any van" in text(client, f"{case}/swaps")


def test_one_post_called_two_ways_is_one_and_what_is_cleared_did_not_take_part(client: TestClient) -> None:
    piece(client, kind="stall", name="post 3", site="Quay")
    address = dropped(client, ("home.csv", ac.not_home()))
    case = case_of(client, address)
    client.post(case, data={"title": "x", "vehicle": "van", "post": "post 3"})
    client.post(f"{case}/attempts", data={**ME, "vehicle": "van", "post": "Quay, post 3", "came": "failed"})
    assert client.get(f"{case}/swaps").text.count("<tr><th>Quay, post 3") == 1
    assert "<tr><th>post 3" not in client.get(f"{case}/swaps").text
    client.post(f"{address}/parts", data={**ME, "vehicle": "van", "lead": "grey"})
    client.post(f"{address}/parts", data={**ME, "vehicle": "van"})
    assert "What took part: van" in text(client, address)
    assert "grey ," not in text(client, address)


def test_two_pages_of_one_post_become_one_and_nothing_is_lost(client: TestClient) -> None:
    right = client.post("/equipment", data={"kind": "stall", "name": "Bay 7", "site": "Quay", **ME}).headers["location"]
    case = str(client.post("/cases", data={"title": "Twice", "post": "Bay seven"}).headers["location"])
    tried = {"came": "failed", "post": "Bay seven", "vehicle": "Van", **ME}
    assert client.post(f"{case}/attempts", data=tried).status_code == 303
    twin = next(a for a in re.findall(r"/equipment/\d+", client.get("/equipment").text + client.get(f"{case}/swaps").text)
                if 'value="Bay seven"' in client.get(a).text)  # fmt: skip
    data = {"other": right.rsplit("/", 1)[1], **ME}
    assert client.post(f"{twin}/same", data=data).headers["location"] == right
    page = client.get(right).text
    assert "1 of 1 failed" in page
    assert "Bay seven" in page
    assert client.get(twin).status_code == 404
    assert "Quay, Bay 7" in client.get(f"{case}/swaps").text
    assert 'name="post" maxlength="120"\n      value="Quay, Bay 7"' in client.get(case).text
    for other in (right.rsplit("/", 1)[1], "99999"):
        assert client.post(f"{right}/same", data={"other": other, **ME}).status_code in (404, 422)


def test_a_label_is_read_into_figures_that_are_proposed_and_not_stored(client: TestClient) -> None:
    read = client.get("/labels/read", params={"kind": "stall", "label_text": "DC 150-1000 V 500 A <b>"}).text
    assert 'data-field="post_a" data-value="500"' in read
    assert "<b>\u201d" not in read
    assert "fill it in by hand" in client.get("/labels/read", params={"kind": "stall", "label_text": "hello"}).text
    assert client.get("/labels/read", params={"kind": "boat"}).status_code == 422
    assert 'hx-get="/labels/read?kind=lead"' in client.get("/equipment/new?kind=lead").text
