"""The application as a whole: a database or a worker that is killed comes back by itself, and pages say so meanwhile."""

from __future__ import annotations

import shutil
import time
from collections.abc import Iterator

import httpx2
import pytest

from gladwire.benchmarks.application import Application
from gladwire.store.backup import back_up
from tests.conftest import PORT_OFFSET, VAR

_PORT = 8396 + PORT_OFFSET


@pytest.fixture(scope="module")
def application() -> Iterator[Application]:
    home = VAR / "test-alive"
    shutil.rmtree(home, ignore_errors=True)
    running = Application(home, _PORT)
    running.wait_until_it_answers()
    yield running
    running.stop()


@pytest.fixture
def client(application: Application) -> Iterator[httpx2.Client]:
    headers = {"origin": application.address, "accept": "text/html"}
    with httpx2.Client(base_url=application.address, headers=headers, timeout=30.0) as made:
        yield made


def drop(client: httpx2.Client, number: int) -> httpx2.Response:
    content = f"t,CP\n{''.join(f'{n / 1e4:.4f},{9 + number / 100:.2f}' + chr(10) for n in range(2000))}"
    return client.post("/captures", files={"files": (f"{number}.csv", content.encode())})


def answered(client: httpx2.Client, path: str, within_s: float = 60.0) -> list[int]:
    """Statuses until it answered as it should."""
    statuses: list[int] = []
    end = time.monotonic() + within_s
    while time.monotonic() < end and statuses[-1:] != [200]:
        statuses.append(client.get(path).status_code)
        time.sleep(0.1)
    return statuses


def test_a_database_that_is_killed_is_brought_back(application: Application, client: httpx2.Client) -> None:
    place = drop(client, 1).headers["location"]
    assert application.kill("database")
    time.sleep(0.5)
    refused = client.get("/")
    assert (refused.status_code, "being brought back" in refused.text) == (503, True)
    assert drop(client, 2).status_code == 503
    assert set(answered(client, "/")) <= {200, 503}
    assert client.get(place).status_code == 200
    assert drop(client, 3).status_code == 303
    assert application.wait_until_done(60.0) == 0


def test_a_worker_that_is_killed_comes_back(application: Application, client: httpx2.Client) -> None:
    while application.kill("worker"):
        pass
    place = drop(client, 4).headers["location"]
    assert application.wait_until_done(60.0) == 0
    assert "9.04" in client.get(place).text


def test_a_backup_is_taken_beside_the_running_application(
    application: Application, client: httpx2.Client, tmp_path_factory: pytest.TempPathFactory
) -> None:
    drop(client, 5)
    path, kept = back_up(application.home, tmp_path_factory.mktemp("backup"))
    assert path.is_file()
    assert kept.captures >= 1
    assert client.get("/").status_code == 200


def test_a_second_instance_on_the_same_folder_says_who_is_there(application: Application) -> None:
    second = Application(application.home, _PORT + 1)
    second.start()
    assert second.process is not None
    assert second.process.wait(30) == 3
    assert f"running already: process {application.process.pid if application.process else 0} at" in (
        application.log.read_text()
    )
