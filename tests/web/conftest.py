"""The application in this process on the test database, with a worker beside it."""

from __future__ import annotations

import shutil
import threading
import time
from collections.abc import Iterator

import pytest
from starlette.testclient import TestClient

from gladwire.store.database import Sessions
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.samples import SampleCache
from gladwire.web.app import create_app
from gladwire.web.pages import captures
from gladwire.work.worker import work_once
from tests.conftest import VAR

# As a browser says where a write comes from.
HEADERS = {"accept": "text/html", "origin": "http://testserver"}


@pytest.fixture(scope="session")
def application(mariadb: PrivateMariaDB) -> Iterator[TestClient]:
    cache = VAR / "test" / "samples"
    shutil.rmtree(cache, ignore_errors=True)
    with TestClient(
        create_app(mariadb.url, cache, hosts=("testserver",)), headers=HEADERS, follow_redirects=False
    ) as client:
        yield client


@pytest.fixture
def client(application: TestClient, sessions: Sessions, monkeypatch: pytest.MonkeyPatch) -> Iterator[TestClient]:
    """Empty tables, and a worker that analyses what is dropped; a busy machine is slow, not wrong."""
    monkeypatch.setattr(captures, "_PATIENCE_S", max(captures._PATIENCE_S, 60.0))
    ended = threading.Event()
    cache = SampleCache(VAR / "test" / "samples")

    def work() -> None:
        while not ended.is_set():
            if not work_once(sessions, cache, "test"):
                time.sleep(0.02)

    worker = threading.Thread(target=work)
    worker.start()
    application.cookies.clear()
    yield application
    ended.set()
    worker.join()
