"""Channels nothing tells are asked about on the page, and one answer settles them, for a capture or for its instrument."""

from __future__ import annotations

import re

import numpy as np
from fastapi.testclient import TestClient

from tests.web.test_pages import capture_number, drop, text

RATE = 2000.0
T = np.arange(round(4 * RATE)) / RATE
PULSES = sum(np.where((t0 < T) & (t0 + 0.3 > T), 0.4 + 0.8 * np.exp(-(T - t0) / 0.02), 0.0) for t0 in (1.0, 2.0))


def table(names: tuple[str, str], *columns: np.ndarray) -> bytes:
    rows = "".join(f"{row[0]:.5f},{row[1]:.4f},{row[2]:.4f}\n" for row in np.column_stack([T, *columns]))
    return f"time,{','.join(names)}\n{rows}".encode()


LOCK = table(("CH1", "CH2"), PULSES, np.full_like(T, 0.01))
ANSWER = {"names": ["CH1", "CH2"], "roles": ["lock_current", "lock_position"], "by_name": "Ada"}


def test_what_is_asked_is_answered_in_one_go(client: TestClient) -> None:
    location = drop(client, LOCK)
    page = text(client, location)
    assert "Nothing tells what 2 channels show: nothing is judged by them until that is settled." in page
    assert "What do these channels show?" in page
    assert "“CH1” 2 pulses, with nothing between" in page
    assert re.search(r'value="lock_current" selected', client.get(location).text)
    assert client.post(f"/captures/{capture_number(client)}/channels", data=ANSWER).status_code == 303
    page = text(client, location)
    assert "What do these channels show?" not in page
    assert "The lock is driven twice" in page
    assert "“CH1” is lock actuator current, “CH2” is lock position" in page


def test_an_answer_for_the_instrument_holds_for_its_next_file(client: TestClient) -> None:
    drop(client, LOCK)
    client.post(f"/captures/{capture_number(client)}/channels", data={**ANSWER, "remember": "true"})
    again = table(("CH1", "CH2"), PULSES * 1.1, np.full_like(T, 0.02))
    page = text(client, drop(client, again, "next.csv"))
    assert "Channels are taken as Ada confirmed them for this instrument." in page
    assert "The lock is driven twice" in page


def test_part_of_an_answer_leaves_the_rest_open_and_keeps_what_is_remembered(client: TestClient) -> None:
    drop(client, LOCK)
    first = {**ANSWER, "roles": ["lock_current", ""], "remember": "true"}
    client.post(f"/captures/{capture_number(client)}/channels", data=first)
    location = drop(client, table(("CH1", "CH2"), PULSES, np.full_like(T, 0.02)), "next.csv")
    assert "Nothing tells what “CH2” is" in text(client, location)
    second = {"names": ["CH2"], "roles": ["lock_position"], "by_name": "Bo"}
    assert client.post(f"/captures/{capture_number(client)}/channels", data=second).status_code == 303
    assert "The lock is driven twice" in text(client, location)


def test_a_clamp_s_factor_is_part_of_the_answer(client: TestClient) -> None:
    clamp = np.where((T > 1) & (T < 3), 0.226 * np.sin(2 * np.pi * 50 * T), 0.0)
    location = drop(client, table(("CP", "I L1"), np.full_like(T, 6.0), clamp))
    assert "how many amperes one is, is not told" in text(client, location)
    answer = {"names": ["I L1"], "roles": ["mains_a"], "factors": ["100"], "by_name": "Ada"}
    assert client.post(f"/captures/{capture_number(client)}/channels", data=answer).status_code == 303
    page = text(client, location)
    assert "“I L1” × 100" in page
    assert "how many amperes" not in page
    assert "16.0 A" in page


def test_counts_without_a_unit_are_asked_for_their_factor_and_nought_and_kept_for_the_instrument(
    client: TestClient,
) -> None:
    t = np.arange(8000) / 20e3
    volts = np.where((t < 0.2) | (t * 1000 % 1 < 0.25), np.where(t < 0.1, 12.0, 9.0), -12.0)
    made = "".join(f"{a:.5f},{b:.0f},0\n" for a, b in zip(t, volts / 0.125 + 128, strict=True))
    made = f"time,CP,B\n{made}".encode()
    location = drop(client, made)
    assert "how many volts that is, is not told, nor where its nought lies" in text(client, location)
    answer = {
        "names": ["CP", "B"],
        "roles": ["cp", "other"],
        "factors": ["0,125", ""],
        "noughts": ["128", ""],
        "by_name": "Ada",
    }
    told = client.post(f"/captures/{capture_number(client)}/channels", data={**answer, "remember": "true"})
    assert told.status_code == 303
    page = text(client, location)
    assert "“CP” less 128, × 0.125" in page
    assert "is not told" not in page
    assert "Pilot proven" in text(client, drop(client, made + b"0.40000,200,0\n", "next.csv"))


def test_senseless_answers_are_refused(client: TestClient) -> None:
    location = drop(client, LOCK)
    capture = capture_number(client)
    for form in (
        {**ANSWER, "roles": ["", ""]},
        {**ANSWER, "roles": ["toaster", ""]},
        {**ANSWER, "names": ["CH1", "gone"]},
        {**ANSWER, "factors": ["-1", ""]},
        {**ANSWER, "by_name": " "},
    ):
        assert client.post(f"/captures/{capture}/channels", data=form).status_code in (409, 422), form
    assert "What do these channels show?" in text(client, location)


def test_a_column_of_a_power_record_is_settled_on_the_page(client: TestClient) -> None:
    rows = "".join(f"{10 * i};{min(i, 8) * 6.0:.1f};{i}\n" for i in range(90))
    location = drop(client, f"t [s];kW;Power limit display\n{rows}".encode())
    page = text(client, location)
    assert "“Power limit display”" in page
    capture = capture_number(client)
    form = {
        "columns": ["t [s]", "kW", "Power limit display"],
        "quantities": ["as told", "as told", ""],
        "by_name": "Ada",
    }
    form["why"] = "a count"
    assert client.post(f"/captures/{capture}/settle", data=form).status_code == 303
    assert "column “Power limit display” is none of these" in text(client, location)
    wrong = {**form, "quantities": ["as told", "toast", ""]}
    assert client.post(f"/captures/{capture}/settle", data=wrong).status_code == 422
