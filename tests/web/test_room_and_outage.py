"""A disk that fills and a database that goes away: said before, at an upload and after, and what is known of a write."""

from __future__ import annotations

from collections import namedtuple
from typing import Any

import pytest
from sqlalchemy.exc import OperationalError
from starlette.testclient import TestClient

from gladwire.export import harmless
from gladwire.store.captures import add_capture
from gladwire.web.services import Services
from tests.web.test_pages import capture_number, drop

Usage = namedtuple("Usage", "total used free")


def free(monkeypatch: pytest.MonkeyPatch, size: int) -> None:
    monkeypatch.setattr("gladwire.web.services.shutil.disk_usage", lambda _: Usage(10**12, 10**12 - size, size))


def test_little_room_is_said_on_today_before_anything_fails(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    free(monkeypatch, 2 * 10**9)
    assert "left on the disk" not in client.get("/").text
    free(monkeypatch, 2 * 10**9 - 1)
    assert "left on the disk" in client.get("/").text


def test_an_upload_without_room_is_refused_whole(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    free(monkeypatch, 300 * 10**6)
    answer = client.post("/captures", files={"files": ("x.csv", b"t,CP\n0,1\n")})
    assert answer.status_code == 507
    assert "Nothing was stored" in answer.text
    free(monkeypatch, 10**12)
    assert drop(client)


def failing(number: int) -> OperationalError:
    return OperationalError("INSERT", {}, Exception(number, "words of the database"))


@pytest.mark.parametrize(
    ("number", "status", "says"),
    [
        (1114, 507, "no room left"),
        (2013, 503, "being brought back"),
        (2003, 503, "being brought back"),
        (1064, 500, "could not"),
        (1213, 503, "Somebody wrote the same"),
    ],
)
def test_what_is_known_is_said_when_the_database_fails(
    client: TestClient, monkeypatch: pytest.MonkeyPatch, number: int, status: int, says: str
) -> None:
    def fails(*_: Any) -> None:
        raise failing(number)

    monkeypatch.setattr("gladwire.web.pages.captures.add_capture", fails)
    answer = client.post("/captures", files={"files": ("x.csv", b"t,CP\n0,1\n")})
    assert answer.status_code == status
    assert says in answer.text
    whole = number in (1114, 1213)  # known to have stored nothing
    assert ("look before you do it again" in answer.text) != whole
    monkeypatch.setattr("gladwire.web.pages.captures.add_capture", add_capture)
    monkeypatch.setattr("gladwire.web.pages.today.first_waiting", fails)
    answer = client.get("/")
    assert answer.status_code == status
    assert "content-security-policy" in answer.headers
    assert whole or "Nothing was changed" in answer.text


def test_slow_downloads_hold_no_connection(client: TestClient, application: TestClient) -> None:
    drop(client)
    here: Services = application.app.state.services  # type: ignore[attr-defined]
    pool = here.sessions.kw["bind"].pool
    with client.stream("GET", f"/captures/{capture_number(client)}/original") as answer:
        next(answer.iter_bytes())
        assert pool.checkedout() == 0


@pytest.mark.parametrize(
    ("cell", "out"),
    [
        ("=1+1", "'=1+1"), ("@SUM(A1)", "'@SUM(A1)"), ("+cmd|' /C calc'!A0", "'+cmd|' /C calc'!A0"), ("-x", "'-x"),
        ("-12.00 V", "-12.00 V"), ("+3", "+3"), ("plain", "plain"), ("", ""), (-12.0, -12.0), (None, None), ("\t=1", "'\t=1"),
    ],
)  # fmt: skip
def test_formulas_go_out_as_text(cell: Any, out: Any) -> None:
    assert harmless(cell) == out


def test_a_site_with_a_slash_in_its_name_is_reached(client: TestClient) -> None:
    stall = {"kind": "stall", "name": "Stall 1", "site": "Quay/West", "by_name": "Runa", "post_kw": "150"}
    assert client.post("/equipment", data=stall).status_code == 303
    assert client.get("/sites/Quay/West").status_code == 200
    assert client.get("/sites/Quay/West/play").status_code == 200


@pytest.mark.parametrize(
    ("asked", "status"),
    [("from=-1e308&to=1e308", 200), ("from=1e308&to=-1e308", 422), ("from=0&to=1e-300", 200), ("from=nan&to=1", 422)],
)
def test_any_range_of_a_lane_is_drawn_or_refused(client: TestClient, asked: str, status: int) -> None:
    drop(client)
    assert client.get(f"/captures/{capture_number(client)}/envelope?{asked}").status_code == status


@pytest.mark.parametrize(
    ("curve", "says"),
    [
        ("\n".join(f"{n % 100} {n % 150}" for n in range(501)), "at most 500 points"),
        ("10 50\n20 1e9", "ine 2 of the curve"),
        ("10 50\n120 40", "ine 2 of the curve"),
        ("10 50\n20 -1", "ine 2 of the curve"),
    ],
)
def test_a_curve_that_cannot_be_is_refused_in_words(client: TestClient, curve: str, says: str) -> None:
    answer = client.post("/equipment", data={"kind": "vehicle", "name": "Van", "by_name": "Runa", "curve": curve})
    assert answer.status_code == 422
    assert says in answer.text
