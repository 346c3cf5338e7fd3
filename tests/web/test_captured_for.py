"""Captures dropped on the step they belong to, what they were taken with, who is known again by them; a place on a day."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from starlette.testclient import TestClient

from gladwire.scenarios import ac, bus
from tests.web.test_beside_captures import dropped
from tests.web.test_case_pages import new_case
from tests.web.test_judge_pages import ME, judged
from tests.web.test_pages import text
from tests.web.test_told_on_site import piece

LATER = {"sent_key": "a1b2c3d4e5f6", "ago_s": "7200"}


def drop_on(client: TestClient, case: str, content: bytes, name: str = "a.csv", **form: str) -> str:
    data = {"case": case.rsplit("/", 1)[1], **form}
    answer = client.post("/captures", data=data, files={"files": (name, content)})
    assert answer.status_code == 303, answer.text
    return str(answer.headers["location"])


def test_a_capture_stands_at_the_step_it_was_dropped_on(client: TestClient) -> None:
    case = new_case(client, plan="nowhere").removesuffix("/checklist")
    address = drop_on(client, case, ac.van_holds(), step="plug_in")
    judged(client, address)
    page = text(client, f"{case}/checklist")
    assert "Captured for it: a" in page
    assert "for “A captured plug-in”" in text(client, case)


def test_what_was_captured_with_others_does_not_speak_for_the_case(client: TestClient) -> None:
    case = new_case(client, plan="nowhere", modes="mode3_socket").removesuffix("/checklist")
    failing = drop_on(client, case, ac.not_home())
    judged(client, failing)
    told = text(client, f"{case}/checklist")
    other = drop_on(client, case, ac.van_holds(), "known.csv", step="known_vehicle")
    judged(client, other)
    client.post(f"{other}/mode", data={"mode": "mode3_socket", "step": "known_vehicle"})
    now = text(client, f"{case}/checklist")
    assert told.split("Where it stands")[1].split("min left")[0] == now.split("Where it stands")[1].split("min left")[0]
    assert "charged and ended in order" not in text(client, case)
    # Somebody says that it was the case's own after all.
    client.post(f"{other}/mode", data={"mode": "mode3_socket", "step": ""})
    assert now.split("Where it stands")[1] != text(client, f"{case}/checklist").split("Where it stands")[1]


@pytest.mark.parametrize("form", [{"step": "no_such"}, {"step": "x" * 50}])
def test_a_step_nobody_knows_stores_nothing(client: TestClient, form: dict[str, str]) -> None:
    case = new_case(client, plan="nowhere").removesuffix("/checklist")
    data = {"case": case.rsplit("/", 1)[1], **form}
    assert client.post("/captures", data=data, files={"files": ("a.csv", ac.van_holds())}).status_code == 422
    assert "No capture yet." in text(client, case)


def test_a_capture_that_was_kept_on_a_device_counts_once_and_at_its_moment(client: TestClient) -> None:
    case = new_case(client, plan="nowhere").removesuffix("/checklist")
    address = drop_on(client, case, ac.van_holds(), step="plug_in", **LATER)
    assert drop_on(client, case, ac.van_holds(), step="plug_in", **LATER) == case
    assert text(client, case).count("for “A captured plug-in”") == 1
    judged(client, address)


def test_photographs_that_were_kept_on_a_device_count_once(client: TestClient) -> None:
    png = b"\x89PNG\r\n\x1a\n" + b"0" * 40
    case = new_case(client, plan="nowhere").removesuffix("/checklist")
    for _ in range(2):
        answer = client.post(
            f"{case}/photographs", data={**ME, **LATER, "text": "the seal"}, files={"pictures": ("p.png", png)}
        )
        assert answer.status_code == 303
    assert client.get(case).text.count('alt="the seal"') == 1


def test_what_files_were_taken_with_is_offered_again(client: TestClient) -> None:
    meter = piece(client, "instrument", "Blue logger", calibrated_until="2020-01-01").rsplit("/", 1)[1]
    first = dropped(client, ("one.csv", ac.bakery_logger()))
    judged(client, first)
    number = client.get(first).text.split('action="/captures/')[1].split("/")[0]
    assert client.post(f"/captures/{number}/instrument", data={**ME, "instrument": "99999"}).status_code == 422
    client.post(f"/captures/{number}/instrument", data={**ME, "instrument": meter})
    told = text(client, first)
    assert "Taken with Blue logger" in told
    assert "Calibration ran out on 01 Jan 2020" in told
    again = dropped(client, ("two.csv", ac.bakery_logger().replace(b"0.0000", b"0.0001", 1) + b"\n"))
    judged(client, again)
    told = text(client, again)
    assert "Files like this one were once told as those of Blue logger" in told
    assert "Taken with Blue logger" not in told


def test_a_controller_is_known_again_by_the_description_of_its_bus(client: TestClient) -> None:
    first = dropped(client, ("a.log", bus.retrofit("healthy")), ("own.dbc", bus.dbc()))
    judged(client, first)
    client.post(f"{first}/parts", data={**ME, "controller": "Controller 3"})
    again = dropped(client, ("b.log", bus.retrofit("healthy") + b"\n"))
    judged(client, again)
    assert "its bus description OWNDBC was once told as that of Controller 3" in text(client, again)


def days(n: int) -> str:
    return f"{datetime.now(UTC).date() + timedelta(days=n):%Y-%m-%d}"


def test_places_of_one_day_come_in_order_with_one_kit(client: TestClient) -> None:
    for site, latitude in (("East pier", "10"), ("Far mole", "10.5"), ("Near quay", "10.1")):
        piece(client, "site", site, site=site, latitude=latitude, longitude="20")
        new_case(client, post=f"{site}, bay 1", plan="nowhere")
    new_case(client, post="Nobody knows where, bay 1", plan="dc_slow")
    for site in ("East pier", "Far mole", "Near quay", "Nobody knows where"):
        answer = client.post("/visits/plan", data={**ME, "place": site, "day": days(2)})
        assert answer.headers["location"] == f"/visits/day/{days(2)}"
    page = text(client, f"/visits/day/{days(2)}")
    order = [page.index(f"{n}. {site}") for n, site in enumerate(("East pier", "Near quay", "Far mole"), 1)]
    assert order == sorted(order)
    assert "56 km between them in a straight line" in page  # half a degree of latitude
    assert "Where Nobody knows where lies is not noted" in page
    assert page.count("category-rated meter") == 1
    client.post("/visits/plan", data={**ME, "place": "Far mole", "day": ""})
    assert "Far mole" not in text(client, f"/visits/day/{days(2)}")
    assert "Without a day" in text(client, "/visits")


def test_a_day_is_not_planned_for_a_place_where_nothing_waits(client: TestClient) -> None:
    assert client.post("/visits/plan", data={**ME, "place": "Moon", "day": days(1)}).status_code == 404
    assert client.get(f"/visits/day/{days(1)}").status_code == 404
    assert client.get("/visits/day/yesterday").status_code in (404, 422)


@pytest.mark.parametrize("content", [b"", b"GIF89a", b"\x89PNG\r\n\x1a\nno more of it"])
def test_what_is_no_picture_of_a_label_is_refused_in_words(client: TestClient, content: bytes) -> None:
    answer = client.post("/labels/picture?kind=stall", files={"label_picture": ("label.png", content)})
    assert answer.status_code == 422
    assert "type what is printed on it" in answer.text.lower()
