"""Routes on a real database: what goes in, what comes out, and what is refused."""

from __future__ import annotations

import csv
import gzip
import io
import json
import re
import time
from html import unescape

import numpy as np
import pytest
from sqlalchemy import select
from starlette.testclient import TestClient

from gladwire.core.measured import MEASURES
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.script import Scope
from gladwire.formats.registry import READS
from gladwire.store.captures import queue_outdated
from gladwire.store.database import Sessions
from gladwire.store.models import StoredJudgement, StoredMeasurement
from gladwire.web.guard import MOST_UPLOAD_BYTES
from tests.build import pilot, session

WAVE = session(asking_ms=600).record(50e3, Scope(noise_v=0.05, bits=10), seed=2)


def table(volts: np.ndarray = WAVE.samples, rate_hz: float = 50e3) -> bytes:
    rows = "".join(f"{i / rate_hz:.6f},{v:.3f}\n" for i, v in enumerate(volts))
    return ("Time (s),CP (V)\n" + rows).encode()


LONGER = table() + f"{len(WAVE.samples) / 50e3:.6f},12.0\n".encode()


def drop(client: TestClient, content: bytes = table(), name: str = "stall 3.csv", **form: str) -> str:
    answer = client.post("/captures", files={"files": (name, content)}, data=form)
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def text(client: TestClient, path: str) -> str:
    answer = client.get(path)
    assert answer.status_code == 200, answer.text
    return unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", answer.text)))


def test_from_a_dropped_file_to_the_verdict_in_one_request(client: TestClient) -> None:
    page = text(client, drop(client))
    assert re.search(r"The post offered 16 A \(2[67]\.\d", page)
    assert "Pilot proven" in page
    assert "Nothing wrong in what was captured" in page


def test_a_fault_leads_the_page_and_can_be_followed_to_moment_rule_and_source(client: TestClient) -> None:
    volts = session(PilotCircuit(diode_shorted=True)).record(50e3, Scope(noise_v=0.05, bits=10)).samples
    html = client.get(drop(client, table(volts))).text
    verdict = re.search(r'class="verdict">(.*?)</p>', html, re.DOTALL)
    assert verdict is not None
    assert "The low side of B2 is pulled up" in verdict.group(1)
    assert "#rule-low_side_pulled_up" in html
    assert 'id="rule-low_side_pulled_up"' in client.get("/limits").text
    for source in set(re.findall(r"/limits#(source-[a-z0-9-]+)", html)):
        assert f'id="{source}"' in client.get("/limits").text
    assert re.search(r'data-from="0\.7\d*"', html)


def test_captures_and_results_come_out_again(client: TestClient) -> None:
    content = gzip.compress(table())
    drop(client, content, "stall 3.csv.gz")
    capture = capture_number(client)
    answer = client.get(f"/captures/{capture}/original")
    assert answer.content == content
    assert "stall%203.csv.gz" in answer.headers["content-disposition"]
    rows = list(csv.DictReader(io.StringIO(client.get(f"/captures/{capture}/segments.csv").text)))
    assert [r["state"] for r in rows] == list("ABBCBBA")
    assert float(rows[2]["duty_percent"]) == pytest.approx(26.7, abs=float(rows[2]["duty_doubt_percent"]))
    session = re.findall(r"/sessions/(\d+)", client.get("/").text)[0]
    findings = list(csv.DictReader(io.StringIO(client.get(f"/sessions/{session}/findings.csv").text)))
    assert {"request", "offer"} <= {r["code"] for r in findings}
    result = client.get(f"/captures/{capture}/results.json").json()
    assert [s["state"] for s in result["pilot"]] == list("ABBCBBA")
    assert result["capture"]["size"] == len(content)
    whole = client.get(f"/sessions/{session}/results.json").json()
    assert (whole["outcome"], whole["pilot"]) == ("unknown", result["pilot"])
    assert whole["made_of"]["captures"][0]["capture"] == capture


def capture_number(client: TestClient) -> int:
    html = client.get("/").text
    number = re.findall(r"/sessions/(\d+)", html)[0]
    found = re.search(r"/captures/(\d+)/original", client.get(f"/sessions/{number}").text)
    assert found is not None
    return int(found.group(1))


def test_zoom_keeps_extremes_and_ends_in_single_cycles(client: TestClient) -> None:
    volts = pilot().pwm(6, 50, 20_000).record(50e3, Scope(noise_v=0.02, bits=12)).samples.copy()
    volts[300_000:300_050] = 12.4
    drop(client, table(volts))
    address = f"/captures/{capture_number(client)}/envelope"
    whole = client.get(address, params={"from": 0, "to": 20, "columns": 800}).json()
    assert len(whole["at"]) == 800
    assert not whole["exact"]
    assert max(whole["high"]) == pytest.approx(12.4, abs=0.1)
    close = client.get(address, params={"from": 2.0, "to": 2.004, "columns": 800}).json()
    assert close["exact"]
    assert 4 <= len(close["cycles"]) <= 6
    assert close["cycles"][0]["duty_percent"] == pytest.approx(50, abs=2.1)
    outside = client.get(address, params={"from": 100, "to": 200}).json()
    assert outside["at"] == []


@pytest.mark.parametrize("query", ["from=a&to=1", "from=0", "from=nan&to=1", "from=0&to=inf", "from=0&to=1&columns=0"])
def test_a_senseless_range_is_refused(client: TestClient, query: str) -> None:
    drop(client)
    assert client.get(f"/captures/{capture_number(client)}/envelope?{query}").status_code == 422


def test_what_a_person_settles_changes_the_verdict_and_stays_on_record(client: TestClient) -> None:
    location = drop(client, table(WAVE.samples * np.float32(0.4)))
    before = text(client, location)
    capture = capture_number(client)
    form = {"scale": "2,5", "by_name": "Ada Lund", "why": "divider of 3:1 in the lead"}
    assert client.post(f"/captures/{capture}/settle", data=form).status_code == 303
    after = text(client, location)
    assert "Read as Ada Lund settled it" in after
    assert "probe factor × 2.5" in after
    assert "divider of 3:1" in after
    assert "Pilot proven" in after
    assert "Pilot proven" not in before
    assert client.post(f"/captures/{capture}/settle", data={**form, "scale": "", "why": "was wrong"}).status_code == 303
    again = text(client, location)
    assert "divider of 3:1" in again
    assert "was wrong" in again


@pytest.mark.parametrize(
    "form",
    [
        {"scale": "0"},
        {"scale": "-3"},
        {"scale": "ten"},
        {"scale": "nan"},
        {"by_name": ""},
        {"why": "  "},
        {"inverted": "x"},
    ],
)
def test_a_senseless_settlement_is_refused(client: TestClient, form: dict[str, str]) -> None:
    location = drop(client)
    capture = capture_number(client)
    answer = client.post(f"/captures/{capture}/settle", data={"by_name": "A", "why": "b", **form})
    assert answer.status_code == 422
    assert "Settled by people" not in text(client, location)


def test_roles_of_channels_can_be_settled(client: TestClient) -> None:
    rows = "".join(f"{i / 50e3:.6f},{v:.3f},1.5\n" for i, v in enumerate(WAVE.samples))
    location = drop(client, ("t,A,B\n" + rows).encode())
    capture = capture_number(client)
    form = {"names": ["A", "B"], "roles": ["", "pp"], "by_name": "Ada", "why": "the plug's own pin"}
    assert client.post(f"/captures/{capture}/settle", data=form).status_code == 303
    page = text(client, location)
    assert "“B” is proximity" in page
    assert "Proximity proven" in page
    wrong = {**form, "roles": ["cp", "toaster"]}
    assert client.post(f"/captures/{capture}/settle", data=wrong).status_code == 422
    turned = {**form, "roles": ["other", "cp"]}
    assert client.post(f"/captures/{capture}/settle", data=turned).status_code == 303
    assert "The pilot stays at 1.50 V" in text(client, location)


def test_a_guess_stands_beside_the_verdict(client: TestClient) -> None:
    page = text(client, drop(client, table(WAVE.samples * np.float32(-0.1))))
    assert "This rests on a guess: probe factor × 10; polarity turned round." in page
    assert "This rests on a guess" not in text(client, drop(client))


def test_a_missing_interval_can_be_given_afterwards(client: TestClient) -> None:
    location = drop(client, "\n".join(f"{v:.3f}" for v in WAVE.samples).encode())
    assert "no sample interval" in text(client, location)
    html = client.get(location).text
    found = re.search(r"/captures/(\d+)/settle", html)
    assert found is not None
    client.post(f"/captures/{found.group(1)}/settle", data={"interval": "20 µs", "by_name": "A", "why": "50 kS/s"})
    assert re.search(r"The post offered 16 A \(2[67]\.\d", text(client, location))


BROKEN = {
    "text": (b"dear diary\nnothing happened\ntoday\n", "rows of numbers were expected"),
    "picture": (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 40, "expected"),
    "damaged gzip": (b"\x1f\x8b\x08\x00junkjunkjunk", "damaged"),
    "bomb": (gzip.compress(bytes(80_000_000)), "expected"),
    "backwards": (table().replace(b"0.010000,", b"-9.010000,"), "backwards"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_what_cannot_be_read_is_kept_and_said_so(client: TestClient, name: str) -> None:
    content, says = BROKEN[name]
    page = text(client, drop(client, content, f"{name}.csv"))
    assert "could not be read as a capture" in page
    assert says in page
    assert client.get(f"/captures/{capture_number(client)}/original").content == content


def test_an_empty_file_is_refused_and_not_stored(client: TestClient) -> None:
    answer = client.post("/captures", files={"files": ("empty.csv", b"")})
    assert answer.status_code == 422
    assert "is empty. Nothing was stored" in answer.text
    assert "/sessions/" not in client.get("/").text


def test_too_large_an_upload_is_refused_before_it_is_read(client: TestClient) -> None:
    answer = client.post("/captures", content=b"x", headers={"content-length": str(MOST_UPLOAD_BYTES + 1)})
    assert answer.status_code == 413
    assert "Nothing was stored" in answer.text


def test_the_same_file_dropped_twice_is_stored_once(client: TestClient) -> None:
    assert drop(client) == drop(client, name="copy.csv")


def test_files_dropped_together_are_one_plug_in_on_one_clock(client: TestClient) -> None:
    files = [("files", ("one.csv", table())), ("files", ("two.csv", LONGER))]
    location = client.post("/captures", files=files).headers["location"]
    page = client.get(location).text
    assert "2 recordings on one clock" in page
    assert "shared events" in page


def test_a_recording_is_added_to_a_session_and_taken_out_again(client: TestClient) -> None:
    location = drop(client)
    number = location.rsplit("/", 1)[1]
    again = client.post("/captures", files=[("files", ("same.csv", table()))], data={"session": number})
    assert again.status_code == 409
    assert "Nothing was stored" in again.text
    more = client.post("/captures", files=[("files", ("more.csv", LONGER))], data={"session": number})
    assert more.headers["location"] == location
    capture = re.findall(r"/captures/(\d+)/apart", client.get(location).text)[0]
    apart = client.post(f"/captures/{capture}/apart").headers["location"]
    assert apart != location
    assert "recordings on one clock" not in client.get(location).text
    assert client.post(f"/captures/{capture}/apart").status_code == 409
    assert client.post("/captures", files=[("files", ("a.csv", table()))], data={"session": 999}).status_code == 404


def test_a_case_is_made_after_the_fact_changed_and_closed(client: TestClient) -> None:
    location = drop(client)
    number = location.rsplit("/", 1)[1]
    form = {"title": "Van <does> not start", "complaint": "since Monday", "session": number}
    case = client.post("/cases", data=form).headers["location"]
    assert "Van <does> not start" in text(client, case)
    assert "stall 3" in text(client, case)
    assert "Van <does> not start" in text(client, "/")
    assert client.post("/cases", data=form).status_code == 409
    client.post(case, data={"title": "Van starts", "vehicle": "Plover", "waits_for": "a second try"})
    assert "To come a second try" in text(client, case)
    client.post(f"{case}/state", data={"state": "closed", "ending": "handed_over", "why": "to the maker"})
    assert "Van starts" not in text(client, "/")
    assert "Van starts" not in text(client, "/cases")
    assert "Van starts" in text(client, "/cases?show=closed")
    second = drop(client, LONGER, "second.csv")
    client.post(f"{case}/state", data={"state": "open"})
    client.post(f"{second}/place", data={"title": "the second", "case": case.rsplit("/", 1)[1]})
    assert "session 2 of 2" in text(client, second)


def test_a_capture_dropped_on_a_case_belongs_to_it(client: TestClient) -> None:
    case = client.post("/cases", data={"title": "x"}).headers["location"]
    location = drop(client, case=case.rsplit("/", 1)[1])
    assert "session 1 of 1" in text(client, location)
    answer = client.post("/captures", files={"files": ("a.csv", table())}, data={"case": "999999"})
    assert answer.status_code == 404


@pytest.mark.parametrize("form", [{"title": ""}, {"title": " "}, {"title": "x" * 201}, {}])
def test_a_case_without_a_title_is_refused(client: TestClient, form: dict[str, str]) -> None:
    assert client.post("/cases", data=form).status_code == 422
    assert "Open 0" in text(client, "/cases")


@pytest.mark.parametrize("path", ["/nowhere", "/sessions/999999", "/cases/999999", "/captures/999999/original"])
def test_what_is_not_here_says_so_in_every_form(client: TestClient, path: str) -> None:
    assert "<h1" in client.get(path).text
    assert client.get(path).status_code == 404
    assert client.get(path, headers={"accept": "application/json"}).json()["error"]
    assert "<html" not in client.get(path, headers={"hx-request": "true"}).text


def test_writes_from_another_site_are_refused(client: TestClient) -> None:
    answer = client.post("/cases", data={"title": "x"}, headers={"origin": "http://elsewhere.example"})
    assert answer.status_code == 403
    assert client.post("/cases", data={"title": "x"}, headers={"origin": "http://testserver"}).status_code == 303


def test_every_answer_carries_its_policy(client: TestClient) -> None:
    headers = client.get("/").headers
    assert "default-src 'self'" in headers["content-security-policy"]
    assert headers["x-content-type-options"] == "nosniff"


def test_a_hostile_name_stays_text(client: TestClient) -> None:
    html = client.get(drop(client, name="</script><script>alert(1)</script>.csv")).text
    assert "<script>alert" not in html


def test_the_lane_data_is_sound_json(client: TestClient) -> None:
    html = client.get(drop(client)).text
    found = re.search(r'id="lane-data">(.*?)</script>', html, re.DOTALL)
    assert found is not None
    data = json.loads(found.group(1))
    assert [s["label"] for s in data["lanes"][0]["segments"]] == ["A1", "B1", "B2", "C2", "B2", "B1", "A1"]


def test_results_of_another_version_are_told_and_made_anew(client: TestClient, sessions: Sessions) -> None:
    """Nothing fails over them: lists and page answer, the page says what it waits for, and a new start makes them anew."""
    address = drop(client)
    assert 'id="lane-data"' in client.get(address).text
    with sessions.begin() as db:
        for stored in (*db.scalars(select(StoredMeasurement)), *db.scalars(select(StoredJudgement))):
            # Another number too: what was parsed once is kept in memory by it, as it would not be after a start.
            stored.id, stored.format = stored.id + 100_000, 99
        for measurement in db.scalars(select(StoredMeasurement)):
            measurement.measures = 0
    for page in ("/", "/cases", address):
        assert client.get(page).status_code == 200
    assert "made by another version" in client.get(address).text
    with sessions.begin() as db:
        queue_outdated(db, READS, MEASURES)
    end = time.monotonic() + 30
    while "made by another version" in (page := client.get(address).text) or "follows by itself" in page:
        assert time.monotonic() < end
        time.sleep(0.1)
    assert 'id="lane-data"' in page
