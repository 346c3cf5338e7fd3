"""The stamp pad on the server's side: sent once however often, by whatever clock
and laid on a session's clock by one event."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import select
from starlette.testclient import TestClient

from gladwire.scenarios import ac
from gladwire.store.database import Sessions
from gladwire.store.models import Case, ChargingSession, Observation
from gladwire.web.stamps_waiting import laid_for
from tests.web.test_case_pages import ME, judged
from tests.web.test_pages import text

KEY = "0f0e0d0c-0000-4000-8000-00000000000"


def new_case(client: TestClient) -> str:
    return client.post("/cases", data={"title": "Van stops"}).headers["location"]


def stamp(client: TestClient, case: str, n: int, ago_s: float, ahead_s: float = 0.0, **more: str) -> Any:
    at = datetime.now(UTC) + timedelta(seconds=ahead_s - ago_s)
    body = {"key": f"{KEY}{n}", "kind": "contactor_clunk", "text": "", "by_name": "Ines", **more}
    return client.post(f"{case}/pad", json={**body, "at": at.isoformat(), "ahead_s": ahead_s})


def test_a_stamp_sent_twice_is_stored_once_and_by_the_server_s_clock(client: TestClient, sessions: Sessions) -> None:
    case = new_case(client)
    assert abs(datetime.fromisoformat(client.get("/pad-clock").json()["now"]) - datetime.now(UTC)) < timedelta(
        minutes=1
    )
    for _ in range(3):  # a phone whose clock was never set
        assert stamp(client, case, 1, 600.0, -400 * 86_400.0).json() == {"key": f"{KEY}1"}
    with sessions() as db:
        kept = db.scalars(select(Observation)).one()
        late = datetime.now(UTC).replace(tzinfo=None) - kept.made_at
        assert timedelta(seconds=599) < late < timedelta(seconds=660)
    assert "Clunk of a contactor stored" in text(client, f"{case}/pad")
    assert "Stamped : Clunk of a contactor" in text(client, case)


@pytest.mark.parametrize(
    ("more", "ago_s"),
    [
        ({"kind": "thunder"}, 1.0), ({"key": "x"}, 1.0), ({"key": "a b c d e f g"}, 1.0), ({}, -3600.0), ({}, 40 * 86_400.0),
        ({"text": "x" * 301}, 1.0),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused(client: TestClient, sessions: Sessions, more: dict[str, str], ago_s: float) -> None:
    case = new_case(client)
    assert stamp(client, case, 1, ago_s, **more).status_code == 422
    assert client.post("/cases/999/pad", json={}).status_code in (404, 422)
    with sessions() as db:
        assert db.scalars(select(Observation)).all() == []


def test_stamps_of_a_plug_in_are_laid_on_its_clock_by_one_of_them(client: TestClient, sessions: Sessions) -> None:
    case = new_case(client)
    for n, ago_s, kind in ((1, 120.0, "lock_click"), (2, 112.5, "contactor_clunk"), (3, 5 * 3600.0, "note")):
        assert stamp(client, case, n, ago_s, kind=kind, text="x" if kind == "note" else "").status_code == 200
    number = case.rsplit("/", 1)[1]
    address = client.post(
        "/captures", files=[("files", ("van.csv", ac.bakery_pilot()))], data={"case": number}
    ).headers["location"]
    judged(client, address)
    page = text(client, address)
    assert "Stamped on the pad, on no session yet" in page
    assert re.search(r"7\.[3-6] s after the first", page)
    assert "Nothing tells where they lie" in page
    with sessions() as db:
        click = db.scalars(select(Observation.id).where(Observation.kind == "lock_click")).one()
    laid = client.post(f"{address}/pad", data={**ME, "stamp": str(click), "at_s": "1,5"})
    assert laid.status_code == 303
    with sessions() as db:
        at = {o.kind: (o.at_s, o.session_id) for o in db.scalars(select(Observation))}
        mine = int(address.rsplit("/", 1)[1])
        assert at["lock_click"] == (1.5, mine)
        assert at["contactor_clunk"] == (pytest.approx(9.0, abs=0.1), mine)
        assert at["note"] == (None, None)  # of another plug-in, hours before
    judged(client, address)
    assert "Clunk of a contactor" in text(client, address)
    assert client.post(f"{address}/pad", data={**ME, "stamp": str(click), "at_s": "1"}).status_code == 409


def test_the_script_that_keeps_the_pad_lies_at_the_root(client: TestClient) -> None:
    answer = client.get("/pad-worker.js")
    assert (answer.status_code, answer.headers["content-type"].split(";")[0]) == (200, "text/javascript")


def test_what_was_stamped_while_it_was_recorded_is_offered_where_the_clocks_put_it() -> None:
    began = datetime(2026, 12, 1, 8, 0, 0)

    def made(after_s: float) -> Observation:
        return Observation(
            kind="note", made_at=began + timedelta(seconds=after_s), sent_key=f"k{after_s}", struck_by=""
        )

    case = Case(observations=[made(-9 * 3600.0), made(2.0), made(12.5), made(9 * 3600.0)])
    session = ChargingSession(case=case, created_at=began + timedelta(hours=10))
    told = laid_for(session, began, 30.0)
    assert told is not None
    assert ([o.made_at for o in told.stamps], told.guess_s) == (
        [began + timedelta(seconds=s) for s in (2.0, 12.5)],
        2.0,
    )
    for recorded, lasts_s in ((None, 30.0), (began - timedelta(hours=4), 30.0), (began - timedelta(seconds=63.1), 1.0)):
        late = laid_for(session, recorded, lasts_s)
        assert late is not None
        assert (late.guess_s, late.stamps) == (None, [case.observations[3]]), recorded
    edge = laid_for(session, began - timedelta(seconds=61.0), 3.0)
    assert edge is not None
    assert edge.guess_s == 63.0
    assert laid_for(ChargingSession(case=Case(observations=[])), began, 1.0) is None
