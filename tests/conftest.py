"""One private MariaDB for each process of the run, emptied between tests that write."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from gladwire.store import judgements, measurements
from gladwire.store.database import Sessions, engine_for, migrate
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.models import Base
from gladwire.web import session_view
from gladwire.work.listing import listing_sessions

# Processes that share a run share nothing on the disk.
_WORKER = os.environ.get("PYTEST_XDIST_WORKER", "")
VAR = Path(__file__).parents[1] / "var" / _WORKER
# A port of this process's own begins so far from the others'.
PORT_OFFSET = 10 * int(_WORKER.removeprefix("gw") or 0)


@pytest.fixture(scope="session")
def mariadb() -> Iterator[PrivateMariaDB]:
    home = VAR / "test"
    shutil.rmtree(home, ignore_errors=True)
    with PrivateMariaDB(home) as server:
        migrate(server.url)
        yield server


@pytest.fixture(scope="session")
def all_sessions(mariadb: PrivateMariaDB) -> Iterator[Sessions]:
    engine = engine_for(mariadb.url)
    yield listing_sessions(engine)
    engine.dispose()


@pytest.fixture
def sessions(all_sessions: Sessions) -> Sessions:
    """Transactions on empty tables."""
    with all_sessions.begin() as db:
        db.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in Base.metadata.tables.values():
            db.execute(table.delete())
        db.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    # Tables that a test of migrations makes anew count from one again, which no store in use ever does.
    for kept in (judgements._parsed, measurements._parsed, session_view._placed):
        kept.clear()
    return all_sessions
