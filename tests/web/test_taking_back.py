"""What can be taken back: corrections, analyses, captures, sessions, descriptions; and who may ask at all."""

from __future__ import annotations

import re
import threading

import pytest
from sqlalchemy import func, select
from starlette.testclient import TestClient

from gladwire.scenarios import bus
from gladwire.store.database import Sessions
from gladwire.store.measurements import newest_settlement, settled_of
from gladwire.store.models import Base, Capture, Trail
from tests.web.test_pages import capture_number, drop

BY = {"by_name": "Runa"}


def segments(client: TestClient, capture: int) -> list[dict[str, str]]:
    rows = client.get(f"/captures/{capture}/segments.csv").text.splitlines()
    keys = rows[0].split(",")
    return [dict(zip(keys, row.split(","), strict=True)) for row in rows[1:]]


def amend(client: TestClient, capture: int, at_s: float, **values: str) -> int:
    form = {"at_s": str(at_s), "why": "read by hand", **BY, **values}
    return client.post(f"/captures/{capture}/amend", data=form).status_code


def test_a_low_side_of_a_steady_segment_is_refused_in_words(client: TestClient) -> None:
    address = drop(client)
    capture = capture_number(client)
    steady = next(s for s in segments(client, capture) if (s["state"], s["oscillating"]) == ("B", "False"))
    at = float(steady["start_s"]) + 0.05
    form = {"at_s": str(at), "low_v": "-11", "why": "x", **BY}
    answer = client.post(f"/captures/{capture}/amend", data=form)
    assert answer.status_code == 422
    assert "no low side to correct" in answer.text
    assert client.get(address).status_code == 200


def test_a_correction_is_taken_back_and_stays_on_record(client: TestClient) -> None:
    address = drop(client)
    capture = capture_number(client)
    before = segments(client, capture)
    asking = next(s for s in before if s["state"] == "C")
    at = float(asking["start_s"]) + 0.05
    assert amend(client, capture, at, high_v="7.6") == 303
    page = client.get(address).text
    assert "Corrections in force" in page
    assert segments(client, capture) != before
    form = {"place": "0", "at_s": str(at), **BY}
    assert client.post(f"/captures/{capture}/amendments/take-back", data=form).status_code == 303
    assert segments(client, capture) == before
    page = client.get(address).text
    assert "Corrections in force" not in page
    assert "taken back" in page
    assert client.post(f"/captures/{capture}/amendments/take-back", data=form).status_code == 409


def test_a_corrected_segment_stays_chosen_and_takes_its_correction_back_there(client: TestClient) -> None:
    drop(client)
    capture = capture_number(client)
    before = segments(client, capture)
    number, waiting = next((i, s) for i, s in enumerate(before) if s["state"] == "B")
    form = {"at_s": str(float(waiting["start_s"]) + 0.05), "high_v": "8.6", "why": "read by hand", **BY}
    answer = client.post(f"/captures/{capture}/amend", data=form)
    page = client.get(answer.headers["location"]).text
    panel = page[page.index('id="readings"') :]
    assert f"segment {number + 1} of {len(before)}" in panel
    assert "Take the correction back" in panel
    assert f"At\n      segment {number + 1}, B" in page
    place, at = re.findall(r'name="(?:place|at_s)" value="([^"]+)"', panel)[:2]
    answer = client.post(f"/captures/{capture}/amendments/take-back", data={"place": place, "at_s": at, **BY})
    page = client.get(answer.headers["location"]).text
    panel = page[page.index('id="readings"') :]
    assert f"segment {number + 1} of {len(before)}" in panel
    assert "Take the correction back" not in panel
    assert segments(client, capture) == before


def test_corrections_of_two_people_at_once_are_all_in_force(client: TestClient, sessions: Sessions) -> None:
    drop(client)
    capture = capture_number(client)
    parts = segments(client, capture)
    wanted = [(float(s["start_s"]) + float(s["end_s"])) / 2 for s in parts]
    answers: list[int] = []
    threads = [
        threading.Thread(target=lambda at=at: answers.append(amend(client, capture, at, high_v="7.5"))) for at in wanted
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert answers == [303] * len(wanted)
    with sessions() as db:
        settled = settled_of(newest_settlement(db, db.get_one(Capture, capture)))
    assert sorted(a.at_s for a in settled.amendments) == pytest.approx(sorted(wanted))


def counts(sessions: Sessions) -> dict[str, int]:
    with sessions() as db:
        return {
            name: db.scalar(select(func.count()).select_from(table)) or 0
            for name, table in Base.metadata.tables.items()
        }


def test_a_removed_capture_takes_all_of_its_own_with_it(client: TestClient, sessions: Sessions) -> None:
    before = counts(sessions)
    drop(client)
    capture = capture_number(client)
    answer = client.post(f"/captures/{capture}/remove", data={**BY, "why": "a customer's wish"})
    assert answer.headers["location"] == "/"
    after = counts(sessions)
    assert after.pop("trail") == before.pop("trail") + 1
    assert after == before
    with sessions() as db:
        line = db.scalars(select(Trail)).one()
        assert (line.by_name, line.why) == ("Runa", "a customer's wish")
    assert client.get(f"/captures/{capture}/original").status_code == 404
    assert client.post(f"/captures/{capture}/remove", data={**BY, "why": "x"}).status_code == 404


def test_a_reason_and_a_name_are_needed(client: TestClient) -> None:
    drop(client)
    capture = capture_number(client)
    assert client.post(f"/captures/{capture}/remove", data={**BY, "why": " "}).status_code == 422
    assert client.get(f"/captures/{capture}/original").status_code == 200


def test_one_of_two_captures_leaves_the_session(client: TestClient) -> None:
    address = drop(client)
    number = address.rpartition("/")[2]
    files = {"files": ("second.csv", b"t,CP\n" + b"".join(b"%.4f,%d\n" % (n / 1e4, 9) for n in range(4000)))}
    assert client.post("/captures", files=files, data={"session": number}).status_code == 303
    second = max(int(n) for n in re.findall(r"/captures/(\d+)/", client.get(address).text))
    answer = client.post(f"/captures/{second}/remove", data={**BY, "why": "dropped by mistake"})
    assert answer.headers["location"] == address
    assert "second.csv" not in client.get(address).text


def test_a_session_is_removed_whole(client: TestClient) -> None:
    address = drop(client)
    number = address.rpartition("/")[2]
    assert client.post(f"/sessions/{number}/remove", data={**BY, "why": "a test"}).status_code == 303
    assert client.get(address).status_code == 404
    assert client.get("/").status_code == 200


def test_a_description_is_removed(client: TestClient) -> None:
    client.post("/captures", files={"files": (bus.DBC_NAME, bus.dbc())})
    page = client.get("/buses").text
    found = re.search(r"/buses/(\d+)/remove", page)
    assert found is not None
    assert client.post(found.group(0), data={**BY, "why": "another controller"}).status_code == 303
    assert bus.DBC_NAME not in client.get("/buses").text


def test_a_refused_capture_is_read_again_on_wish(client: TestClient) -> None:
    address = drop(client, b"dear diary\nnothing\nhappened\n", "diary.csv")
    assert "Read it again" in client.get(address).text
    capture = capture_number(client)
    assert client.post(f"/captures/{capture}/again").headers["location"] == address
    assert "could not be read" in client.get(address).text


# 88 bytes are enough to name a signal of two thousand million bits.
HUGE = b'VERSION ""\n\nBU_: A\n\nBO_ 256 M: 8 A\n SG_ S : 0|2000000000@1+ (1,0) [0|1] "" A\n'


def test_a_description_too_large_for_any_bus_is_refused_and_ends_nothing(client: TestClient) -> None:
    answer = client.post("/captures", files={"files": ("huge.dbc", HUGE)})
    assert answer.status_code == 422
    assert "Nothing was stored" in answer.text
    assert client.get("/buses").status_code == 200


@pytest.mark.parametrize("host", ["evil.example", "localhost.evil.example", "", "[::1", "127.0.0.1.nip.example"])
def test_another_name_pointed_here_is_refused(client: TestClient, host: str) -> None:
    answer = client.get("/", headers={"host": host})
    assert answer.status_code == 403
    assert "content-security-policy" in answer.headers


@pytest.mark.parametrize("host", ["localhost:8100", "127.0.0.1:8100", "[::1]:8100", "192.0.2.7", "testserver"])
def test_own_names_and_addresses_are_answered(client: TestClient, host: str) -> None:
    assert client.get("/", headers={"host": host}).status_code == 200


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"origin": "http://testserver"}, 303),
        ({"origin": "http://testserver.evil.example"}, 403),
        ({"origin": "null"}, 403),
        ({"origin": ""}, 403),
    ],
)
def test_a_write_says_where_it_comes_from(client: TestClient, headers: dict[str, str], status: int) -> None:
    assert client.post("/cases", data={"title": "x"}, headers=headers).status_code == status


def test_a_browser_without_origin_says_so_by_its_fetch_site(client: TestClient) -> None:
    origin = client.headers.pop("origin")
    try:
        for site, status in (("same-origin", 303), ("cross-site", 403), ("same-site", 403), ("none", 403)):
            answer = client.post("/cases", data={"title": "x"}, headers={"sec-fetch-site": site})
            assert answer.status_code == status
        assert client.post("/cases", data={"title": "x"}).status_code == 403
    finally:
        client.headers["origin"] = origin
