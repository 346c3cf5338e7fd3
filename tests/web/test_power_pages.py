"""Power through the application: dropped, typed, known, laid over, expected, and the equipment behind it."""

from __future__ import annotations

import json
import re

import numpy as np
import pytest
from starlette.testclient import TestClient

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.simulate.charge import Spell
from gladwire.formats import power_csv
from tests.core.power.build import POST, played, seen
from tests.web.test_messages import dropped

JPEG = b"\xff\xd8\xff\xe0" + b"\x00" * 40


def record_file(seed: int = 1, **changes: object) -> bytes:
    record = seen(played(POST, **changes), 5, noise=0.001, seed=seed)
    return power_csv.write(PowerRecord(record.time_s, record.values, {"amps_a": "post", "volts_v": "post"}))


def test_a_dropped_record_shows_lanes_ledger_and_verdict(client: TestClient) -> None:
    shared = record_file(2, spells=(Spell(5.0, 11.0, 55.0),))
    page = client.get(dropped(client, ("stall.csv", shared))).text
    assert "Shared cabinet" in page
    assert 'data-power="power-0"' in page
    assert "Short of expected" in page
    assert "read at the post" in page
    assert "Power shared with a neighbour" in page
    values = json.loads(re.search(r'id="power-0-values">(.*?)</script>', page, re.DOTALL).group(1))
    assert len(values["t"]) == len(values["kw"]) == len(values["x"])


def test_what_is_known_changes_the_verdict_and_stays_on_record(client: TestClient) -> None:
    address = dropped(client, ("flat.csv", record_file(3, kw=60.0)))
    assert "Derated" not in client.get(address).text
    form = {
        "by_name": "Runa",
        "why": "label",
        "post_kw": "200",
        "post_a": "300",
        "vehicle_kw": "130",
        "pack_class_v": "400",
    }
    answer = client.post(f"{address}/known", data=form)
    assert answer.status_code == 303
    page = client.get(address).text
    assert "Derated" in page
    assert "post gives 200 kW" in page
    refused = client.post(f"{address}/known", data={**form, "post_kw": "lots"})
    assert refused.status_code == 422
    assert "is no number" in refused.text
    assert client.post(f"{address}/known", data={**form, "pack_class_v": "9"}).status_code == 422
    assert client.post("/sessions/999/known", data=form).status_code == 404


def test_a_neighbour_seen_to_plug_in_counts_as_evidence(client: TestClient) -> None:
    address = dropped(client, ("stall.csv", record_file(4, spells=(Spell(5.0, 11.0, 55.0),))))
    stamp = {"kind": "neighbour_plugs_in", "at_s": "290", "by_name": "Runa", "text": "stall 4"}
    client.post(f"{address}/stamps", data=stamp)
    assert "A neighbour plugs in and power falls" in client.get(address).text


def readings(rows: list[list[float | None]], **more: str) -> dict[str, str]:
    columns = [{"quantity": "power_kw", "place": "post"}, {"quantity": "soc_percent", "place": "vehicle"}]
    return {
        "record": json.dumps({"columns": columns, "rows": rows}),
        "title": "Van at stall 2",
        "by_name": "Runa",
        **more,
    }


def test_typed_readings_become_a_session_with_their_pictures(client: TestClient) -> None:
    rows: list[list[float | None]] = [[30.0 * i, 80.0 if i else 0.0, 20.0 + i if i % 2 else None] for i in range(20)]
    moments = json.dumps([{"at_s": 30, "film_s": 42.5, "name": "film.webm"}])
    answer = client.post(
        "/readings", data=readings(rows, moments=moments), files=[("pictures", ("frame.jpg", JPEG, "image/jpeg"))]
    )
    assert answer.status_code == 303, answer.text
    page = client.get(answer.headers["location"]).text
    assert "Pictures the readings were typed from" in page
    number = re.search(r"/pictures/(\d+)", page).group(1)
    picture = client.get(f"/pictures/{number}")
    assert (picture.content, picture.headers["content-type"]) == (JPEG, "image/jpeg")
    assert "typed by Runa" in client.get(re.search(r"/captures/\d+/original", page).group(0)).text
    more = client.post("/readings", data=readings(rows, session=answer.headers["location"].rpartition("/")[2]))
    assert more.headers["location"] == answer.headers["location"]


def test_a_typed_record_is_opened_again_and_kept_beside_the_first(client: TestClient) -> None:
    rows: list[list[float | None]] = [[30.0 * i, 80.5 if i else 0.0, 20.0 + i if i % 2 else None] for i in range(20)]
    first = client.post("/readings", data=readings(rows)).headers["location"]
    again = re.search(r"/readings\?capture=(\d+)", client.get(first).text)
    assert again is not None
    page = client.get(again.group(0)).text
    grid = json.loads(re.search(r'id="opened"[^>]*>(.*?)</script>', page, re.DOTALL).group(1))
    assert grid["columns"] == [
        {"quantity": "power_kw", "place": "post"},
        {"quantity": "soc_percent", "place": "vehicle"},
    ]
    assert [[float(c) if c else None for c in row] for row in grid["rows"]] == rows
    assert "Van at stall 2, corrected" in page
    stranger = dropped(client, ("stall.csv", record_file(4)))
    number = re.search(r"/captures/(\d+)/", client.get(stranger).text).group(1)
    assert client.get(f"/readings?capture={number}").status_code == 409
    assert client.get("/readings?capture=999").status_code == 404


def vehicle(client: TestClient, name: str) -> str:
    form = {"kind": "vehicle", "name": name, "by_name": "Runa", "pack_kwh": "60"}
    return client.post("/equipment", data=form).headers["location"].rpartition("/")[2]


def test_a_comparison_of_different_vehicles_says_that_it_is_one(client: TestClient) -> None:
    first, second = (dropped(client, (f"{n}.csv", record_file(n))) for n in (7, 8))
    page = f"/curves?s={first.rpartition('/')[2]}&s={second.rpartition('/')[2]}"
    assert "Which vehicle it was is not recorded of every session." in client.get(page).text
    tern, gull = vehicle(client, "Tern"), vehicle(client, "Gull")
    client.post(f"{first}/known", data={"by_name": "Runa", "vehicle": tern})
    assert "Of 1 it is." in client.get(page).text
    client.post(f"{second}/known", data={"by_name": "Runa", "vehicle": gull})
    assert "Different vehicles are compared: Tern, Gull." in client.get(page).text
    client.post(f"{second}/known", data={"by_name": "Runa", "vehicle": tern})
    assert "vehicles are compared" not in client.get(page).text


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ([[0.0, 5.0, None]], "1 rows of readings"),
        ([[0.0, 5.0, None], [0.0, 6.0, None]], "not after the row before"),
        ([[0.0, 5.0], [1.0, 6.0]], "too few cells"),
        ([[None, 5.0, None], [1.0, 6.0, None]], "has no time"),
    ],
)
def test_bad_readings_are_refused_and_nothing_is_stored(
    client: TestClient, rows: list[list[float | None]], said: str
) -> None:
    answer = client.post("/readings", data=readings(rows))
    assert answer.status_code == 422
    assert said in answer.text
    assert "Van at stall 2" not in client.get("/").text


def test_readings_that_did_not_arrive_whole_are_refused(client: TestClient) -> None:
    rows: list[list[float | None]] = [[0.0, 5.0, None], [1.0, 6.0, None]]
    assert client.post("/readings", data={**readings(rows), "record": "{"}).status_code == 422
    assert client.post("/readings", data={**readings(rows), "record": '{"columns":[],"rows":[]}'}).status_code == 422
    bad = client.post(
        "/readings",
        data=readings(rows, moments='[{"at_s":0,"name":"x"}]'),
        files=[("pictures", ("a.jpg", b"<script>", "image/jpeg"))],
    )
    assert bad.status_code == 422
    assert "no JPEG" in bad.text
    assert client.post("/readings", data=readings(rows, case="77")).status_code == 404
    assert client.get("/pictures/1").status_code == 404


def test_curves_lay_sessions_over_each_other(client: TestClient) -> None:
    first = dropped(client, ("june.csv", record_file(5))).rpartition("/")[2]
    slow = dropped(client, ("july.csv", record_file(6, kw=55.0))).rpartition("/")[2]
    page = client.get(f"/curves?s={first}&s={slow}&consumption=20&per_kwh=0.5&align=ramp").text
    assert "Power over charge" in page
    assert "<b>Slower</b>" in page
    assert "Distance added over minutes" in page
    assert "a minute at 20 kWh/100 km" in page
    assert "12 to 80 to" not in page
    assert "min" in client.get(f"/curves?s={first}&of=min&from=5&to=12").text
    assert "kWh" in client.get(f"/curves?s={first}&of=kwh&from=5&to=12").text
    assert "is no number" in client.get(f"/curves?s={first}&from=abc&to=80").text
    assert "its end above its start" in client.get(f"/curves?s={first}&from=80&to=20").text
    assert client.get("/curves?s=999").status_code == 404
    assert client.get("/curves").status_code == 200


def test_parts_of_one_session_are_spliced_and_the_joint_is_said(client: TestClient) -> None:
    def part(begun: str, **changes: object) -> bytes:
        head, _, body = record_file(**changes).decode().partition("\n")
        rows = [line.split(",", 1) for line in body.splitlines()]
        start = np.datetime64(begun)
        stamped = [f"{str(start + np.timedelta64(int(float(t)), 's')).replace('T', ' ')},{rest}" for t, rest in rows]
        return "\n".join([head.replace("Time [s]", "Timestamp"), *stamped]).encode()

    one = part("2026-10-21T11:00:00", seed=7, stop_min=6.0, after_s=30.0)
    two = part("2026-10-21T11:12:00", seed=8, start_soc=35.0)
    address = dropped(client, ("one.csv", one), ("two.csv", two))
    page = client.get(address).text
    assert "all parts, spliced" in page
    assert "Joined at" in page
    curves = client.get(f"/curves?s={address.rpartition('/')[2]}").text
    # Percent charged unseen between the parts end no window; one across them leaves the pause out.
    assert "Joined at" in curves
    assert "50 to 60 %" in curves
    assert "20 to 30 %" not in curves


def test_equipment_is_kept_shown_and_used(client: TestClient) -> None:
    vehicle = {
        "kind": "vehicle",
        "name": "Tern Van",
        "by_name": "Runa",
        "pack_class_v": "400",
        "pack_kwh": "60",
        "vehicle_kw": "120",
        "curve": "10 120\n80 50",
    }
    kept = client.post("/equipment", data=vehicle)
    assert kept.status_code == 303
    number = kept.headers["location"].rpartition("/")[2]
    assert "Tern Van" in client.get(kept.headers["location"]).text
    client.post(
        "/equipment",
        data={"kind": "cabinet", "name": "C1", "site": "Pier", "by_name": "R", "cabinet_kw": "150", "share": "equal"},
    )
    stalls = []
    for name in ("S1", "S2"):
        form = {
            "kind": "stall",
            "name": name,
            "site": "Pier",
            "by_name": "R",
            "post_kw": "150",
            "post_a": "400",
            "cabinet": "C1",
            "label": name,
            "app_name": f"P-{name}",
        }
        stalls.append(client.post("/equipment", data=form).headers["location"].rpartition("/")[2])
    page = client.get(f"/expect?vehicle={number}&stall={stalls[0]}&neighbours=1").text
    assert "Which bay here" in page
    assert "a stall no neighbour shares" in page
    assert "Shared cabinet" in client.get(f"/expect/answer?vehicle={number}&stall={stalls[0]}&neighbours=1&soc=20").text
    site = client.get("/sites/Pier").text
    assert "painted S1, app P-S1" in site
    assert "The fewest plug-ins" in site
    asked = f"vehicle={number}&stall={stalls[0]}&at=0&vehicle={number}&stall={stalls[1]}&at=5"
    played = client.get(f"/sites/Pier/play?{asked}").text
    assert "What each gets" in played
    assert played.count("<td>Tern Van</td>") == 2
    alone, *_ = re.findall(r'<td class="n">0</td>\s*<td class="n">([\d.]+)</td>\s*<td class="n">([\d.]+)</td>', played)
    assert float(alone[0]) > float(alone[1]) + 1
    assert "above the start" in client.get(f"/sites/Pier/play?{asked}&start=90&target=20").text
    assert client.get("/sites/Nowhere/play").status_code == 404
    changed = client.post("/equipment", data={**vehicle, "id": number, "pack_kwh": "55"})
    assert changed.headers["location"].endswith(number)
    assert 'value="55"' in client.get(f"/equipment/{number}").text


def test_bad_equipment_and_expectations_are_told_in_words(client: TestClient) -> None:
    form = {"kind": "vehicle", "name": "X", "by_name": "R"}
    assert "Usable energy" in client.post("/equipment", data={**form, "pack_kwh": "-4"}).text
    assert "Line 1 of the curve" in client.post("/equipment", data={**form, "curve": "many"}).text
    assert client.post("/equipment", data={**form, "kind": "ship"}).status_code == 422
    assert client.post("/equipment", data={**form, "name": ""}).status_code == 422
    assert client.get("/equipment/999").status_code == 404
    assert client.get("/equipment/new?kind=ship").status_code == 404
    assert client.get("/sites/Nowhere").status_code == 404
    assert "Nothing can be expected without" in client.get("/expect").text
    assert "is no number" in client.get("/expect?post_kw=abc").text
    assert "Pack (°C)" in client.get("/expect?pack_c=900").text


def test_pages_without_anything_still_say_what_to_do(client: TestClient) -> None:
    assert "Nothing has a name yet" in client.get("/equipment").text
    assert "Choose sessions at the side" in client.get("/curves").text
    assert "Nothing chosen" in client.get("/readings").text


def test_what_was_plugged_in_beside_is_told_with_its_moment(client: TestClient) -> None:
    def stamped(content: bytes, begun: str) -> bytes:
        start = np.datetime64(begun)
        head, *rows = content.decode().splitlines()
        parts = [row.split(",", 1) for row in rows]
        moved = [f"{str(start + np.timedelta64(int(float(t)), 's')).replace('T', ' ')},{rest}" for t, rest in parts]
        return "\n".join([head.replace("Time [s]", "Timestamp"), *moved]).encode()

    stalls = []
    for name in ("S1", "S2"):
        form = {"kind": "stall", "name": name, "site": "Mole", "by_name": "R", "post_kw": "200"}
        stalls.append(client.post("/equipment", data=form).headers["location"].rpartition("/")[2])
    host = stamped(record_file(21, spells=(Spell(5.0, 11.0, 55.0),)), "2026-10-14T09:00:00")
    guest = stamped(record_file(22, kw=60.0), "2026-10-14T09:04:20")
    addresses = [dropped(client, (name, content)) for name, content in (("host.csv", host), ("guest.csv", guest))]
    for address, stall in zip(addresses, stalls, strict=True):
        assert client.post(f"{address}/known", data={"by_name": "R", "stall": stall}).status_code == 303
    page = client.get(addresses[0]).text
    assert "At the same site meanwhile" in page
    assert re.search(r"<b>S2</b> is plugged in .*260\.000 s.*power falls 4\d\N{NO-BREAK SPACE}s later", page, re.DOTALL)
    site = client.get("/sites/Mole").text
    assert "1 of 1 plug-ins were answered" in site
