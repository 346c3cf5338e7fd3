"""A copy of the previous release's demo data, brought up to this version: nothing is lost, every page answers at once, and
what an older version measured is made anew.

The copy was made by release 0.8.0 itself and cut down by `scripts/release/cut_home.py`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import func, select
from starlette.testclient import TestClient

from gladwire.core.measured import MEASURES
from gladwire.core.session.judgement import JUDGES
from gladwire.formats.registry import READS
from gladwire.store.backup import Kept, restore
from gladwire.store.captures import queue_outdated
from gladwire.store.database import Sessions, engine_for, sessions_of
from gladwire.store.judgements import ask_outdated
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.models import Capture, Case, ChargingSession
from gladwire.store.samples import SampleCache
from gladwire.web.app import create_app
from gladwire.work.worker import work_once
from tests.web.conftest import HEADERS

COPY = Path(__file__).parents[1] / "fixtures" / "release" / "demo-0.8.0.zip"


@pytest.fixture(scope="module")
def home(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("upgrade") / "home"


@pytest.fixture(scope="module")
def kept(home: Path) -> Kept:
    return restore(COPY, home)


@pytest.fixture(scope="module")
def upgraded(home: Path, kept: Kept) -> Iterator[Sessions]:
    with PrivateMariaDB(home) as server:
        engine = engine_for(server.url)
        yield sessions_of(engine)
        engine.dispose()


@pytest.fixture(scope="module")
def client(home: Path, upgraded: Sessions) -> Iterator[TestClient]:
    url = upgraded.kw["bind"].url.render_as_string(hide_password=False)
    app = create_app(url, home / "samples", hosts=("testserver",))
    with TestClient(app, headers=HEADERS, follow_redirects=False) as client:
        yield client


def pages(client: TestClient, sessions: Sessions) -> Iterator[str]:
    yield from ("/", "/cases", "/equipment", "/curves", "/buses", "/expect", "/bench", "/limits")
    with sessions() as db:
        yield from (f"/cases/{number}" for number in db.scalars(select(Case.id)))
        yield from (f"/sessions/{number}" for number in db.scalars(select(ChargingSession.id)))
        yield from (f"/captures/{number}/results.json" for number in db.scalars(select(Capture.id)))


def broken(client: TestClient, sessions: Sessions) -> list[tuple[str, int]]:
    answers = [(page, client.get(page).status_code) for page in pages(client, sessions)]
    assert len(answers) > 140
    return [(page, status) for page, status in answers if status >= 500 or status in (404, 422)]


def test_all_of_it_is_there(upgraded: Sessions, kept: Kept) -> None:
    assert kept == Kept(51, 42, kept.taken, ())
    with upgraded() as db:
        assert db.scalar(select(func.count()).select_from(ChargingSession)) == 46
        assert db.scalar(select(Case.title).where(Case.id == 33)) == "Never more than 90 kW at stall 1"


def test_every_page_answers_before_anything_is_made_anew(client: TestClient, upgraded: Sessions) -> None:
    assert broken(client, upgraded) == []


def test_it_is_measured_and_judged_anew(home: Path, client: TestClient, upgraded: Sessions) -> None:
    cache = SampleCache(home / "samples")
    with upgraded.begin() as db:
        queue_outdated(db, READS, MEASURES)
        ask_outdated(db, JUDGES)
    while work_once(upgraded, cache, "upgrade"):
        pass
    with upgraded() as db:
        assert set(db.scalars(select(Capture.state))) == {"analysed"}
        assert not db.scalars(select(ChargingSession.id).where(ChargingSession.asked > ChargingSession.judged)).all()
    assert broken(client, upgraded) == []
    assert re.search(r"Post&#39;s power held it back", client.get("/cases/33").text)
