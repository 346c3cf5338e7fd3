"""The worker: claims stored captures one by one, measures them outside any request, judges sessions, and keeps the results.

Runs as a process of its own, so that a capture too large for the machine ends the worker and not the server.
"""

from __future__ import annotations

import gc
import itertools
import os
import shutil
import socket
import sys
import time
from pathlib import Path

from sqlalchemy import Connection, text
from sqlalchemy.orm import Session

from gladwire.core.measured import MEASURES
from gladwire.core.session.judgement import JUDGES
from gladwire.formats.registry import READS
from gladwire.store.captures import (
    DamagedCaptureError,
    claim_next,
    queue_outdated,
    release_claims,
    stopped_by,
    tell_progress,
)
from gladwire.store.database import Sessions, engine_for, in_one
from gladwire.store.judgements import ask_outdated, release_judges
from gladwire.store.measurements import newest_settlement, refuse, store_measured
from gladwire.store.models import Capture, Settlement, utc_now
from gladwire.store.samples import SampleCache
from gladwire.store.supplements import BUS
from gladwire.work.analysis import Outcome, analyse
from gladwire.work.bounded import Bounds, Progress, RefusedWorkError, StopWork, default_bounds, get_ready, run_bounded
from gladwire.work.judging import judge_next
from gladwire.work.listing import come_back, list_outdated, listing_sessions
from gladwire.work.stored import job_for, original_file

_IDLE_S = 0.1
# So often a worker that has nothing to do looks for cases whose day has come.
_LOOKS_S = 30.0
PARENT = "GLADWIRE_PARENT"


def work_once(sessions: Sessions, cache: SampleCache, worker: str, bounds: Bounds | None = None) -> bool:
    """Judge a session that waits, else claim and measure one capture; False when nothing waits."""
    return judge_next(sessions, worker) or _measure_next(sessions, cache, worker, bounds)


def _measure_next(sessions: Sessions, cache: SampleCache, worker: str, bounds: Bounds | None) -> bool:
    with sessions.begin() as db:
        capture = claim_next(db, worker)
        settlement = newest_settlement(db, capture) if capture else None
    if capture is None:
        return False

    def watch(progress: Progress) -> None:
        words = f"{progress.seconds:.0f} s so far, {progress.memory_mib:.0f} MiB of memory"
        words += "; waits until another large capture is done" if progress.waits else ""
        with sessions.begin() as db:
            wished = tell_progress(db, capture.id, worker, words)
        if wished:
            raise StopWork(stopped_by(wished))

    try:
        with original_file(sessions, capture) as path:
            job = job_for(sessions, capture, path, cache.folder)
            within = bounds or default_bounds(capture.size)
            outcome = run_bounded(analyse, job, bounds=within, watch=watch)
    except (RefusedWorkError, StopWork, DamagedCaptureError) as error:
        words = str(error)
        in_one(sessions, lambda db: refuse(db.get_one(Capture, capture.id), words, READS))
    else:
        _keep(sessions, capture.id, settlement, outcome)
    return True


def _keep(sessions: Sessions, number: int, settlement: Settlement | None, outcome: Outcome) -> None:
    def keep(db: Session) -> None:
        capture = db.get_one(Capture, number)
        capture.recorded_at, capture.kind = outcome.recorded_at, BUS if outcome.bus else ""
        store_measured(db, capture, settlement, outcome.measured, MEASURES, READS)

    in_one(sessions, keep)


def calm_collector() -> None:
    """A capture becomes millions of small objects that live as long as it is analysed: looking for cycles among them so often
    costs more than it frees."""
    gc.set_threshold(200_000, 50, 50)


def own_name(connection: Connection, host: str) -> str:
    """The first name on this host no running worker has. The database lends it to the connection and takes it back when that
    ends, so that a worker started anew finds what it had claimed, and one started beside another leaves that one's alone.
    """
    for number in itertools.count(1):
        name = f"{host[:40]}-{number}"
        if connection.scalar(text("SELECT GET_LOCK(:name, 0)"), {"name": f"gladwire-{name}"}):
            return name
    raise AssertionError("names do not run out")


def run_worker(url: str, cache_folder: Path) -> None:
    """Work until the parent ends. What an earlier worker of this name left half done is given back first."""
    calm_collector()
    get_ready()
    engine = engine_for(url)
    sessions, cache = listing_sessions(engine), SampleCache(cache_folder)
    with engine.connect() as connection:
        worker = own_name(connection, socket.gethostname())
        with sessions.begin() as db:
            release_claims(db, worker)
            release_judges(db, worker)
            queue_outdated(db, READS, MEASURES)
            ask_outdated(db, JUDGES)
        # As named by it: a parent killed before this line would never be missed otherwise.
        parent = int(os.environ.get(PARENT, os.getppid()))
        looked_at = 0.0
        while os.getppid() == parent:
            if work_once(sessions, cache, worker):
                continue
            if time.monotonic() > looked_at + _LOOKS_S:
                if keep_lists(sessions):
                    continue
                looked_at = time.monotonic()
            time.sleep(_IDLE_S)


def keep_lists(sessions: Sessions) -> int:
    """Rows of lists an older version made, some at a time, and cases whose day has come; returns how many rows there were.

    One worker at a time: two would make the same rows.
    """
    made = 0

    def keep(db: Session) -> None:
        nonlocal made
        made = 0
        if db.scalar(text("SELECT GET_LOCK('gladwire-lists', 0)")):
            try:
                made = list_outdated(db)
            finally:
                db.execute(text("DO RELEASE_LOCK('gladwire-lists')"))

    # Apart: each locks rows in one order, both together would not.
    in_one(sessions, lambda db: come_back(db, utc_now().date()))
    in_one(sessions, keep)
    return made


def worker_command(cache_folder: Path) -> list[str]:
    """The address of the database goes by the environment: command lines are public."""
    setpriv = shutil.which("setpriv")
    before = [setpriv, "--pdeathsig", "TERM", "--"] if setpriv else []
    return [*before, sys.executable, "-m", "gladwire.work.worker", str(cache_folder)]


if __name__ == "__main__":
    run_worker(os.environ["GLADWIRE_DATABASE"], Path(sys.argv[1]))
