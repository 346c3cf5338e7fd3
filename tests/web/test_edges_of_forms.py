"""Values at and beyond the edges of forms and addresses: each is taken or refused in words, and nothing breaks."""

from __future__ import annotations

import json
from typing import Any

import pytest
from starlette.testclient import TestClient

from gladwire.web.forms import reading_in, seconds_in, seconds_typed

JPEG = b"\xff\xd8\xff\xe0" + bytes(60)


def readings(rows: list[list[float | None]]) -> str:
    columns = [{"quantity": "power_kw", "place": "post"}, {"quantity": "soc_percent", "place": "vehicle"}]
    return json.dumps({"columns": columns, "rows": rows})


def keep(client: TestClient, moments: str = "[]", **more: Any) -> Any:
    record = readings([[0.0, 50.0, 20.0], [60.0, 48.0, 22.0]])
    form = {"record": record, "title": "two", "by_name": "Runa", "moments": moments}
    return client.post("/readings", data=form, **more)


@pytest.mark.parametrize("moment", ["NaN", "Infinity", "-1e999", '"x"', "null", "[]"])
def test_a_picture_of_no_moment_is_refused(client: TestClient, moment: str) -> None:
    moments = f'[{{"at_s": {moment}, "film_s": null, "name": "a.jpg"}}]'
    answer = keep(client, moments, files={"pictures": ("a.jpg", JPEG)})
    assert answer.status_code == 422
    assert "Nothing was stored" in answer.text


def test_a_picture_of_no_moment_of_its_film_is_refused(client: TestClient) -> None:
    moments = '[{"at_s": 1, "film_s": NaN, "name": "a.jpg"}]'
    assert keep(client, moments, files={"pictures": ("a.jpg", JPEG)}).status_code == 422
    moments = '[{"at_s": 1, "film_s": 2.5, "name": "a.jpg"}]'
    assert keep(client, moments, files={"pictures": ("a.jpg", JPEG)}).status_code == 303


def test_curves_of_two_typed_readings_are_laid_over_each_other(client: TestClient) -> None:
    first = keep(client).headers["location"].rsplit("/")[-1]
    second = keep(client).headers["location"].rsplit("/")[-1]
    for more in ("", "&of=kwh", "&align=ramp", "&align=soc&at=21", "&from=20&to=22", "&from=20&to=20.0000001"):
        answer = client.get(f"/curves?s={first}&s={second}{more}")
        assert answer.status_code == 200, more
        assert "nan" not in answer.text.lower().replace("covenant", "").replace("finance", ""), more


@pytest.mark.parametrize("price", ["1e9", "-1", "1e308", "nan", "inf", "0", "1e-300"])
def test_any_price_is_taken_or_refused_in_words(client: TestClient, price: str) -> None:
    number = keep(client).headers["location"].rsplit("/")[-1]
    answer = client.get(f"/curves?s={number}&per_kwh={price}&per_min={price}&per_start={price}&consumption={price}")
    assert answer.status_code == 200
    assert "inf" not in [word.strip(".,;") for word in answer.text.split()]


@pytest.mark.parametrize(
    ("start", "target"),
    [("10", "10.000000001"), ("10", "10"), ("80", "10"), ("-1e308", "1e308"), ("nan", "80"), ("0", "100")],
)
def test_any_expectation_is_answered_or_refused_in_words(client: TestClient, start: str, target: str) -> None:
    asked = {"start": start, "target": target, "post_kw": "150", "pack_kwh": "60", "vehicle_kw": "100"}
    for page in ("/expect", "/expect/answer"):
        answer = client.get(page, params=asked)
        assert answer.status_code == 200
        assert "nan" not in [word.strip(".,;%") for word in answer.text.lower().split()]


def test_two_pieces_of_one_name_at_one_site_are_refused(client: TestClient) -> None:
    stall = {"kind": "stall", "name": "x" * 120, "site": "Quay", "by_name": "Runa", "post_kw": "150"}
    place = client.post("/equipment", data=stall).headers["location"]
    for again in (stall, {**stall, "name": f" {'x' * 120} "}):
        answer = client.post("/equipment", data=again)
        assert answer.status_code == 422
        assert "name of its own" in answer.text
    assert client.post("/equipment", data={**stall, "site": "Mole"}).status_code == 303
    # Itself is no other piece.
    assert client.post("/equipment", data={**stall, "id": place.rpartition("/")[2]}).status_code == 303
    other = client.post("/equipment", data={**stall, "name": "y"}).headers["location"].rpartition("/")[2]
    assert client.post("/equipment", data={**stall, "id": other}).status_code == 422


@pytest.mark.parametrize("length", [120, 121])
def test_a_name_is_kept_whole_or_refused(client: TestClient, length: int) -> None:
    stall = {"kind": "stall", "name": "z" * length, "site": "", "by_name": "Runa"}
    answer = client.post("/equipment", data=stall)
    assert answer.status_code == (303 if length == 120 else 422)
    assert length == 120 or "at most 120 letters" in answer.text


@pytest.mark.parametrize("number", ["²", "٣", "1e3", "-1", "99999999999999999999", "%00", "a%2Fb"])
@pytest.mark.parametrize("place", ["equipment", "sessions", "cases", "captures", "pictures", "bench"])
def test_an_address_of_no_number_is_not_here(client: TestClient, place: str, number: str) -> None:
    assert client.get(f"/{place}/{number}").status_code in (404, 405, 422)


def test_a_table_whose_times_name_no_unit_is_asked_about_and_settled_in_one_action(client: TestClient) -> None:
    rows = "".join(f"{n / 2},{50 - n / 4}\n" for n in range(40))
    place = client.post("/captures", files={"files": ("record.csv", f"Time,Power [kW]\n{rows}".encode())}).headers[
        "location"
    ]
    page = client.get(place).text
    assert "the times name no unit" in page
    assert "Give the interval" in page
    number = page.split("/captures/")[1].split("/")[0]
    settled = {"by_name": "Runa", "why": "one a half minute"}
    for wrong in ("30", "30 parsecs", "-30 s", "nan s", "0 s"):
        answer = client.post(f"/captures/{number}/settle", data={**settled, "interval": wrong})
        assert answer.status_code == 422, wrong
        assert "µs, ms, s, min or h" in answer.text or "no number" in answer.text or "out of range" in answer.text
    assert client.post(f"/captures/{number}/settle", data={**settled, "interval": "0,5 min"}).status_code == 303
    page = client.get(place).text
    assert "the times name no unit" not in page
    assert 'value="30 s"' in page
    assert "kWh" in page


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("20 µs", 2e-5),
        ("20us", 2e-5),
        ("0,5 min", 30.0),
        ("30 s", 30.0),
        ("2 h", 7200.0),
        ("1.5 ms", 1.5e-3),
        ("", None),
        (" ", None),
    ],
)
def test_a_length_of_time_is_read_with_its_unit(text: str, seconds: float | None) -> None:
    assert seconds_in(text) == (seconds if seconds is None else pytest.approx(seconds))
    assert seconds is None or seconds_in(seconds_typed(seconds)) == pytest.approx(seconds)


@pytest.mark.parametrize(
    ("typed", "unit", "value"),
    [("218R", "Ω", 218.0), ("0.3 ohm", "Ω", 0.3), ("0,3 Ω", "Ω", 0.3), ("2k7", "Ω", 2700.0), ("1.5 kΩ", "Ω", 1500.0),
     ("4R7", "Ω", 4.7), ("11,9 V", "V", 11.9), ("-12", "V", -12.0), ("250 mV", "V", 0.25), ("", "V", None),
     ("1.2 MΩ", "Ω", 1.2e6)],
)  # fmt: skip
def test_a_reading_is_understood_with_its_unit(typed: str, unit: str, value: float | None) -> None:
    assert reading_in(typed, unit) == (None if value is None else pytest.approx(value))


@pytest.mark.parametrize(("typed", "unit"), [("230 V", "Ω"), ("3 A", "V"), ("abc", "Ω"), ("0.3 m", "Ω"), ("2k7", "V")])
def test_a_reading_in_another_unit_is_refused(typed: str, unit: str) -> None:
    with pytest.raises(ValueError, match="“"):
        reading_in(typed, unit)
