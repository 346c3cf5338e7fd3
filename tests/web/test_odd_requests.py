"""Odd requests made from the description of the routes itself: whatever comes, nothing answers that something broke."""

from __future__ import annotations

from typing import Any

import pytest
import schemathesis
from fastapi import FastAPI
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select
from starlette.testclient import TestClient

from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.scenarios import bus
from gladwire.store.database import Sessions
from gladwire.store.models import BusDescription, Capture, Case, ChargingSession, Equipment
from gladwire.web.app import AREAS
from tests.web.test_pages import drop
from tests.web.test_power_pages import record_file

_described = FastAPI()
for _area in AREAS:
    _described.include_router(_area.router)
OPERATIONS = [found.ok() for found in schemathesis.openapi.from_dict(_described.openapi()).get_all_operations()]
ODD = ["0", "-1", "²", "٣", "99999999999999999999", "1e3", "%2F", "a/b", "../..", "\x00", "'", "x" * 300, "∞", "new"]


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
    # What takes things away comes last.
    for operation in sorted(OPERATIONS, key=lambda o: "remove" in o.path):
        _tried(operation, client, numbers)


def _tried(operation: Any, client: TestClient, numbers: list[str]) -> None:
    @settings(max_examples=10, deadline=None, derandomize=True, database=None, suppress_health_check=list(HealthCheck))
    @given(
        case=operation.as_strategy(), known=st.sampled_from(numbers), odd=st.sampled_from(ODD), turn=st.integers(0, 3)
    )
    def tried(case: schemathesis.Case, known: str, odd: str, turn: int) -> None:
        made = case.as_transport_kwargs(base_url="http://testserver")
        path = operation.path
        for name, value in (case.path_parameters or {}).items():
            chosen = known if turn < 2 else odd if turn == 2 else str(value)
            path = path.replace("{" + name + "}", chosen.replace("\x00", "%00"))
        kept = {key: made[key] for key in ("params", "data", "json", "files") if made.get(key) is not None}
        if isinstance(kept.get("data"), bytes):
            kept["content"] = kept.pop("data")
        answer = client.request(operation.method, path, **kept)
        assert answer.status_code < 500, (operation.method, path, kept)

    tried()
