"""Lists, the search and the pages of one case with five thousand cases and twenty thousand captures stored, against the same
pages of an empty store, asked for over loopback from a running server."""

from __future__ import annotations

import argparse
import random
import shutil
import statistics
import tempfile
from collections.abc import Iterator, Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, insert, select, text, update
from sqlalchemy.orm import Session

from gladwire.benchmarks.application import Application
from gladwire.benchmarks.pages import _get, drop
from gladwire.scenarios import ac
from gladwire.store.database import engine_for
from gladwire.store.equipment import add_equipment
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.models import (
    Capture,
    Case,
    ChargingSession,
    Observation,
    StoredJudgement,
    StoredMeasurement,
    utc_now,
)
from gladwire.work.listing import list_outdated, listing_sessions

_PORT, _ASKS = 8393, 40
# One session in so many keeps its whole result; of the others lists show no more than their line.
_WHOLE_EACH = 50
_PLACES = ("ferry queue", "fish market", "bus yard", "hotel", "ice works", "boathouse", "bakery quay", "marina")
_MAKES = ("Petrel", "Gannet", "Skua", "Plover", "Tern", "Heron")
_WRONG = (
    "will not start",
    "stops after minutes",
    "is slow",
    "plug will not come out",
    "display says error",
    "dead after rain",
)
_PLAYED = {"van.csv": ac.bakery_pilot, "home.csv": ac.not_home, "logger.csv": ac.bakery_logger}
_LISTS = (
    "/", "/cases", "/cases?show=part&page=3", "/cases?show=closed&page=40", "/sessions", "/sessions?page=400",
    "/find?q=ferry+stops", "/find?q=p", "/find?q=contactor&kind=session&page=9", "/find?q=2026-11", "/equipment",
    "/visits", "/cases/new",
)  # fmt: skip


def main(arguments: Sequence[str]) -> None:
    parser = argparse.ArgumentParser(prog="glad bench web")
    parser.add_argument("--cases", type=int, default=5000)
    parser.add_argument("--captures", type=int, default=20_000)
    given = parser.parse_args(arguments)
    home = Path("var/bench/web")
    shutil.rmtree(home, ignore_errors=True)
    application = Application(home, _PORT)
    application.wait_until_it_answers()
    address = application.address
    try:
        empty = {path: _asked(address, path) for path in _LISTS}
        played = [_drop(address, name, make()) for name, make in _PLAYED.items()]
        numbers = _fill(home, given.cases, given.captures, played)
        full = {path: _asked(address, path) for path in (*_LISTS, *numbers)}
    finally:
        application.stop()
    rows = [_row(path, full[path], empty.get(path)) for path in full]
    head = (
        f"| {given.cases} cases, {given.captures} captures | median ms | 95th percentile ms | of an empty store's |\n"
        "|---|---|---|---|"
    )
    table = "\n".join([head, *rows])
    print(table)
    page = Path("docs/performance.md")
    before, _, rest = page.read_text().partition("<!-- web -->")
    page.write_text(f"{before}<!-- web -->\n{table}\n<!-- end web -->{rest.partition('<!-- end web -->')[2]}")


def _asked(address: str, path: str) -> list[float]:
    _get(address + path)  # once, so that what is worked out once is
    return sorted(_get(address + path)[0] for _ in range(_ASKS))


def _row(path: str, seconds: list[float], empty: list[float] | None) -> str:
    median, late = statistics.median(seconds), seconds[int(0.95 * (len(seconds) - 1))]
    ratio = f"{median / statistics.median(empty):.1f}" if empty else ""
    return f"| `{path}` | {1e3 * median:.0f} | {1e3 * late:.0f} | {ratio} |"


def _drop(address: str, name: str, content: bytes) -> int:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_bytes(content)
        _, page = drop(address, path)
    return int(page.split("?")[0].rsplit("/", 1)[1])


def _fill(home: Path, cases: int, captures: int, played: Sequence[int]) -> list[str]:
    """Store that much, made from sessions that were really judged; returns addresses of pages of one case."""
    server = PrivateMariaDB(home)
    server.attach()
    engine, rng = engine_for(server.url), random.Random(1)
    with Session(engine) as db:
        templates = [db.get_one(ChargingSession, number) for number in played]
        kept = [_template(one) for one in templates]
    with engine.begin() as connection:
        connection.execute(insert(Case), list(_cases(cases, rng)))
        numbers = list(connection.scalars(select(Case.id).order_by(Case.id)))
        _sessions(connection, numbers, captures, kept, rng)
    sessions = listing_sessions(engine)
    with sessions.begin() as db:
        for place in _PLACES:
            for n in range(1, 26):
                add_equipment(db, "stall", f"post {n}", place, {"label": f"{place[:2].upper()}-{n:02d}"}, "bench")
    with engine.connect() as alone:  # the workers leave it to this one
        alone.execute(text("DO GET_LOCK('gladwire-lists', 600)"))
        done = 1
        while done:
            with sessions.begin() as db:
                done = list_outdated(db, 400)
        alone.execute(text("DO RELEASE_LOCK('gladwire-lists')"))
    with engine.begin() as connection:
        connection.execute(text("ANALYZE TABLE listed"))
        whole = connection.scalar(
            select(ChargingSession.id)
            .join(StoredJudgement)
            .where(text("LENGTH(result) > 0"), ChargingSession.case_id > 50)
        )
        case = connection.scalar(select(ChargingSession.case_id).where(ChargingSession.id == whole))
    engine.dispose()
    return [
        "/visits/ferry%20queue",
        f"/cases/{case}",
        f"/cases/{case}/checklist",
        f"/cases/{case}/swaps",
        f"/sessions/{whole}",
        "/causes",
        "/limits",
    ]


def _cases(count: int, rng: random.Random) -> Iterator[dict[str, Any]]:
    now = utc_now()
    for n in range(count):
        place, make, wrong = rng.choice(_PLACES), rng.choice(_MAKES), rng.choice(_WRONG)
        since = now - timedelta(hours=n)
        closed = n % 5 != 0
        yield {
            "title": f"{make} {n} {wrong}, {place}",
            "complaint": f"The {make} of house {n} {wrong} at {place}, post {n % 25 + 1}.",
            "vehicle": f"{make} {n % 400}",
            "post": f"{place}, post {n % 25 + 1}",
            "waits_on": rng.choice(("", "me", "part", "owner", "day")),
            "waits_since": since,
            "created_at": since,
            "state": "closed" if closed else "open",
            "closed_as": "mended" if closed else "",
            "closed_at": since + timedelta(hours=30) if closed else None,
        }


def _template(session: ChargingSession) -> tuple[dict[str, Any], dict[str, Any], dict[str, Any]]:
    """Columns of its judgement, its capture and that one's measurement, without their numbers."""
    told, capture = session.judgement, session.captures[0]
    assert told is not None
    return tuple(  # type: ignore[return-value]
        {
            c.key: getattr(row, c.key)
            for c in type(row).__table__.columns
            if c.key not in ("id", "session_id", "capture_id")
        }
        for row in (told, capture, capture.measurements[-1])
    )


def _sessions(
    connection: Connection, cases: Sequence[int], captures: int, kept: Sequence[Any], rng: random.Random
) -> None:
    now, first = utc_now(), (connection.scalar(text("SELECT MAX(id) FROM charging_sessions")) or 0) + 1
    for begin in range(0, captures, 1000):
        rows: dict[Any, list[dict[str, Any]]] = {
            k: [] for k in (ChargingSession, Capture, StoredMeasurement, StoredJudgement)
        }
        notes = []
        for n in range(begin, min(begin + 1000, captures)):
            number, case = first + n, cases[n % len(cases)] if n % 100 else None
            told, capture, measured = kept[n % len(kept)]
            at, whole = now - timedelta(minutes=20 * n), n % _WHOLE_EACH == 1
            session = {
                "id": number,
                "case_id": case,
                "title": f"plug-in {n}",
                "created_at": at,
                "asked": 1,
                "judged": 1,
            }
            rows[ChargingSession].append({**session, "mode": "", "judge": ""})
            rows[Capture].append(
                {**capture, "id": number, "session_id": number, "name": f"capture_{n}.csv", "received_at": at}
            )
            rows[StoredMeasurement].append(
                {
                    **measured,
                    "capture_id": number,
                    "result": measured["result"] if whole else b"",
                    "settlement_id": None,
                }
            )
            rows[StoredJudgement].append({**told, "session_id": number, "result": told["result"] if whole else b""})
            if case:
                notes.append(
                    {"case_id": case, "kind": "note", "text": rng.choice(_WRONG), "by_name": "bench", "made_at": at}
                )
        for table, made in rows.items():
            connection.execute(insert(table), made)
        connection.execute(insert(Observation), notes)
    # What a judgement is made of names its captures; here it is its own.
    connection.execute(
        update(StoredJudgement).values(
            made_of=text("REGEXP_REPLACE(made_of, '\"capture\": [0-9]+', CONCAT('\"capture\": ', session_id))")
        )
    )
