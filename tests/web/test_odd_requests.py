"""Odd requests made from the description of the routes itself: whatever comes, nothing answers that something broke."""

from __future__ import annotations

from typing import Any

import pytest
from sqlalchemy import select
from starlette.testclient import TestClient

from gladwire.benchmarks.odd import ask_oddly, operations
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.scenarios import bus
from gladwire.store.database import Sessions
from gladwire.store.models import BusDescription, Capture, Case, ChargingSession, Equipment
from tests.web.test_pages import drop
from tests.web.test_power_pages import record_file


@pytest.fixture
def numbers(client: TestClient, sessions: Sessions) -> list[str]:
    """Numbers of what is there: a capture of every kind, its session, a case, a description, a piece of equipment."""
    drop(client)
    drop(client, record_file(), "stall 4.csv")
    drop(client, pcapng.write(play(Plan(loop_s=1.0)).frames, 1_794_300_000.0), "frames.pcapng")
    client.post("/captures", files={"files": (bus.DBC_NAME, bus.dbc())})
    client.post("/cases", data={"title": "odd", "complaint": "everything"})
    equipment = {"kind": "stall", "name": "A/B", "site": "Quay/1", "by_name": "Runa"}
    client.post("/equipment", data=equipment)
    with sessions() as db:
        kinds = (Capture, ChargingSession, Case, BusDescription, Equipment)
        found = [str(n) for kind in kinds for n in db.scalars(select(kind.id))]
    return found


def test_nothing_breaks(client: TestClient, numbers: list[str]) -> None:
    def ask(method: str, path: str, kept: dict[str, Any]) -> None:
        assert client.request(method, path, **kept).status_code < 500, (method, path, kept)

    for operation in operations():
        ask_oddly(operation, numbers, 5, ask)
