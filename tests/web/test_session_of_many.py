"""A session's clock through its pages: placing, stamping, correcting, comparing, looking at contacts, the checklist."""

from __future__ import annotations

import json
import re
from html import unescape

import numpy as np
import pytest
from sqlalchemy import select
from starlette.testclient import TestClient

from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats import vcd
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.store.database import Sessions
from gladwire.store.models import ChargingSession, Observation, Placement
from tests.web.test_pages import WAVE, drop, table, text

LOG = "time_s,U L1 (V),I L1 (A)\n" + "".join(f"{i / 10:.1f},230,0\n" for i in range(60))


def post(client: TestClient, path: str, **form: object) -> str:
    answer = client.post(path, data=form)
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def two(client: TestClient) -> tuple[str, int]:
    """A session of a pilot and a logger nothing ties to it; its address and the logger's capture."""
    files = [("files", ("scope.csv", table())), ("files", ("log.csv", LOG.encode()))]
    location = client.post("/captures", files=files).headers["location"]
    found = re.findall(r"/captures/(\d+)/place", client.get(location).text)
    return location, int(found[0])


def lanes(client: TestClient, location: str) -> list[dict[str, object]]:
    found = re.search(r'id="lane-data">(.*?)</script>', client.get(location).text, re.DOTALL)
    assert found is not None
    content: list[dict[str, object]] = json.loads(found.group(1))["lanes"]
    return content


def test_a_capture_is_placed_by_hand_and_given_back(client: TestClient, sessions: Sessions) -> None:
    location, logger = two(client)
    assert "is not judged with the others" in text(client, location)
    assert post(client, f"/captures/{logger}/place", offset_s="-1,25", by_name="Runa", why="the clunk") == location
    page = text(client, location)
    assert "Placed by hand by Runa: “the clunk”" in page
    assert next(lane for lane in lanes(client, location) if lane["role"] == "mains_v")["offset"] == -1.25
    post(client, f"/captures/{logger}/place", offset_s="", by_name="Runa")
    assert "is not judged with the others" in text(client, location)
    with sessions() as db:
        assert [p.offset_s for p in db.scalars(select(Placement).order_by(Placement.id))] == [-1.25, None]
    assert client.post(f"/captures/{logger}/place", data={"offset_s": "soon", "by_name": "R"}).status_code == 422


def test_what_was_heard_counts_until_it_is_struck_out(client: TestClient, sessions: Sessions) -> None:
    location = drop(client)
    number = location.rsplit("/", 1)[1]
    post(client, f"/sessions/{number}/stamps", kind="breaker_trips", at_s="1,0", text="<b>loud</b>", by_name="Ola")
    page = client.get(location).text
    assert "A protective device trips at 1.0 s" in unescape(page).replace("\N{NO-BREAK SPACE}", " ")
    assert "<b>loud</b>" not in page
    assert "Dropped out" in text(client, location)
    with sessions() as db:
        noted = db.scalars(select(Observation)).one().id
    post(client, f"/observations/{noted}/strike", by_name="Ola")
    after = text(client, location)
    assert "struck out by Ola" in after
    assert "A protective device trips" not in after
    for form in ({"kind": "ghost", "at_s": "1", "by_name": "O"}, {"kind": "note", "at_s": "x", "by_name": "O"}):
        assert client.post(f"/sessions/{number}/stamps", data=form).status_code == 422
    empty = client.post(f"/sessions/{number}/stamps", data={"kind": "note", "at_s": "1", "by_name": "O"})
    assert "The note is empty" in empty.text
    assert client.post("/observations/999/strike", data={"by_name": "O"}).status_code == 404


def test_a_correction_leads_the_verdict_and_the_machines_reading_stays(client: TestClient) -> None:
    location = drop(client)
    html = client.get(location).text
    at = re.search(r'name="at_s" value="([\d.]+)"', html)
    capture = re.search(r"/captures/(\d+)/amend", html)
    assert at is not None
    assert capture is not None
    path = f"/captures/{capture[1]}/amend"
    form = {
        "at_s": at[1],
        "high_v": "7,5",
        "state": "",
        "low_v": "",
        "duty_percent": "",
        "by_name": "Runa",
        "why": "by cursor",
    }
    assert client.post(path, data={**form, "high_v": ""}).status_code == 422
    post(client, path, **form)
    page = text(client, location)
    assert "The verdict follows a reading corrected by hand" in page
    assert "the machine read" in page
    assert "“by cursor”" in page
    assert "7.50 V lies between the states" in page
    outside = client.post(path, data={**form, "at_s": "99"})
    assert (outside.status_code, "outside the record" in outside.text) == (422, True)
    # Settling something else keeps the correction.
    post(client, f"/captures/{capture[1]}/settle", inverted="no", by_name="Runa", why="looked")
    assert "corrected by hand" in text(client, location)


def test_roles_confirmed_once_hold_for_the_instruments_next_file(client: TestClient) -> None:
    columns = [WAVE.samples, np.where(np.arange(len(WAVE.samples)) < 15_000, 0.0, 5.0)]
    head = "Time (s),Kanal 1 (V),Kanal 2 (V)\n"
    rows = [f"{i / 50e3:.6f},{a:.3f},{b:.3f}\n" for i, (a, b) in enumerate(zip(*columns, strict=True))]
    location = drop(client, (head + "".join(rows)).encode(), "one.csv")
    assert "lock_position" not in [lane["role"] for lane in lanes(client, location)]
    capture = re.search(r"/captures/(\d+)/settle", client.get(location).text)
    assert capture is not None
    form = {
        "names": ["Kanal 1", "Kanal 2"], "roles": ["cp", "lock_position"], "remember": "true",
        "by_name": "Runa Holt", "why": "clips",
    }  # fmt: skip
    post(client, f"/captures/{capture[1]}/settle", **form)
    second = drop(client, (head + "".join(rows[:-5])).encode(), "two.csv")
    assert [lane["role"] for lane in lanes(client, second)] == ["cp", "lock_position"]
    assert "as Runa Holt confirmed them for this instrument" in text(client, second)
    other = drop(client, (head.replace("Kanal", "Channel") + "".join(rows)).encode(), "three.csv")
    assert "lock_position" not in [lane["role"] for lane in lanes(client, other)]


def test_compare_names_what_differs_and_keeps_a_known_good(client: TestClient) -> None:
    good = drop(client)
    other = drop(client, table(np.where(WAVE.samples > 7, WAVE.samples + 0.8, WAVE.samples)), "other.csv")
    a, b = (re.search(r"/compare\?a=(\d+)", client.get(p).text)[1] for p in (good, other))  # type: ignore[index]
    post(client, f"/captures/{a}/known-good", model="Tern 22", by_name="Runa")
    page = text(client, f"/compare?a={b}&b={a}")
    assert "Tern 22, kept by Runa" in page
    assert re.search(r"\d things? differs? between", page)
    assert "high side" in page
    assert text(client, f"/compare?a={b}&b={a}&at=offer").count("the offer") >= 1
    assert "Which vehicle it was is not recorded of every session" in text(client, f"/compare?a={b}&b={a}")
    log = drop(client, LOG.encode(), "log.csv")
    assert "/compare" not in client.get(log).text
    none = re.search(r"/captures/(\d+)/settle", client.get(log).text)
    assert none is not None
    assert client.get(f"/compare?a={b}&b={none[1]}").status_code == 409
    assert client.get("/compare?a=999").status_code == 404
    assert client.get(f"/compare?a={a}&b={b}&at=lunch").status_code == 422


def test_a_tapped_contact_records_what_was_seen(client: TestClient) -> None:
    location = drop(client)
    number = location.rsplit("/", 1)[1]
    page = client.get(f"/connectors?kind=type2&part=inlet&session={number}&pin=CP").text
    assert page.count('class="face"') == 2
    form = {"kind": "type2", "part": "inlet", "pin": "CP", "condition": "corroded", "text": "green", "by_name": "Runa"}
    back = post(client, "/inspections", session=number, **form)
    assert "corroded" in text(client, back)
    assert "CP of the Type 2 inlet or socket: corroded (“green”), noted by Runa" in text(client, location)
    for wrong in ({"pin": "X9"}, {"condition": "haunted"}, {"kind": "type9"}):
        assert client.post("/inspections", data={**form, "session": number, **wrong}).status_code == 422
    assert client.post("/inspections", data=form).status_code == 422
    assert client.post("/inspections", data={**form, "case": "99"}).status_code == 404


@pytest.mark.parametrize("kind", ["type1", "type2", "ccs1", "ccs2", "j3400", "mcs", "nonsense"])
def test_every_face_is_drawn_from_both_sides(client: TestClient, kind: str) -> None:
    for part in ("plug", "inlet"):
        html = client.get(f"/connectors?kind={kind}&part={part}").text
        assert html.count('<svg class="face"') == 2
        assert "never probed" in html


def case_of(client: TestClient, **more: object) -> str:
    return post(client, "/cases", title="Van does not start", **more)


def test_the_checklist_takes_readings_and_changes_what_follows(client: TestClient) -> None:
    case = case_of(client)
    post(client, f"{case}/checklist", plan="nowhere")
    assert "Stored fault codes" in text(client, case)
    enter = f"{case}/checklist/entries"
    post(client, enter, step="codes", answer="other", text="P0D41", by_name="Runa")
    assert "Stored code : P0D41" in text(client, case)
    post(client, enter, step="cp_core", open="true", by_name="Runa")
    page = text(client, f"{case}/checklist")
    assert "CP is open" in page
    assert "A lead whose CP is not sound cannot pass" in page
    post(client, enter, step="elsewhere", answer=["so", "skip"], by_name="Runa")
    assert "Left out" in text(client, f"{case}/checklist")
    for wrong in (
        {"step": "nothing"},
        {"step": "coded"},
        {"step": "look", "answer": "maybe"},
        {"step": "coded", "value": "x"},
    ):
        assert client.post(enter, data={**wrong, "by_name": "R"}).status_code == 422
    assert client.post(f"{case}/checklist", data={"plan": "hope"}).status_code == 422
    struck = re.findall(r"/observations/(\d+)/strike", client.get(f"{case}/checklist").text)
    assert post(client, f"/observations/{struck[-1]}/strike", by_name="R", back="checklist") == f"{case}/checklist"
    page = text(client, f"{case}/checklist")
    assert "A lead whose CP is not sound" not in page
    assert '<span class="struck">' in client.get(f"{case}/checklist").text
    assert "struck out by R" in page


def test_a_case_closes_only_on_proof_of_every_mode_or_with_a_reason(client: TestClient, sessions: Sessions) -> None:
    location = drop(client)
    number = location.rsplit("/", 1)[1]
    case = case_of(client, session=number, modes=["mode3_socket", "mode2"])
    post(client, f"/sessions/{number}/mode", mode="mode3_socket")
    page = text(client, case)
    assert "Post with socket and own lead (Mode 3) unproven. “stall 3” does not show Energise, Draw and Hold" in page
    assert "Portable lead on a household or industrial socket (Mode 2) unproven. Reported, and not tried" in page
    refused = client.post(f"{case}/state", data={"state": "closed"})
    assert (refused.status_code, "Not proven yet" in refused.text) == (409, True)
    post(client, f"{case}/notes", kind="repair", text="Contact changed", by_name="Runa")
    assert "A repair came after" in text(client, case)
    post(client, f"{case}/state", state="closed", ending="handed_over", why="vehicle sold", by_name="Runa")
    closed = text(client, case)
    assert "Closed, handed over : vehicle sold" in closed
    assert client.post("/cases", data={"title": "x", "modes": "flying"}).status_code == 422
    assert client.post(f"/sessions/{number}/mode", data={"mode": "flying"}).status_code == 422
    with sessions() as db:
        assert db.get_one(ChargingSession, int(number)).mode == "mode3_socket"


def test_two_level_lines_come_out_as_a_dump_and_go_in_again(client: TestClient) -> None:
    high = np.zeros(4000, np.float32)
    high[1000:3000] = 5
    wave = Waveform("K1", high, 1000.0, 0.0, "V")
    location = drop(client, vcd.write(Recording((wave,), "test")), "lines.vcd")
    assert "No pilot was captured" in text(client, location)
    capture = re.search(r"/captures/(\d+)/lines.vcd", client.get(location).text)
    assert capture is not None
    answer = client.get(f"/captures/{capture[1]}/lines.vcd")
    again = read_capture(Source(answer.content)).channels[0]
    assert np.flatnonzero(np.diff(again.samples)) / again.rate_hz == pytest.approx([1.0, 3.0], abs=2e-3)
    pilot_only = drop(client)
    number = re.search(r"/captures/(\d+)/settle", client.get(pilot_only).text)
    assert number is not None
    assert client.get(f"/captures/{number[1]}/lines.vcd").status_code == 404


def test_the_session_comes_out_as_one_object(client: TestClient) -> None:
    location, _ = two(client)
    content = client.get(f"{location}/results.json").json()
    assert [c["how"] for c in content["captures"]] == ["first", "none"]
    assert {s["stage"] for s in content["stages"]} >= {"seat", "draw"}
    assert content["pilot"]
