"""The worker: claims stored captures one by one, measures them outside any request, judges sessions, and keeps the results.

Runs as a process of its own, so that a capture too large for the machine ends the worker and not the server.
"""

from __future__ import annotations

import gc
import itertools
import json
import os
import shutil
import socket
import sys
import time
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy import Connection, text

from gladwire.core.can.log import CanLog
from gladwire.core.channels import signature
from gladwire.core.measured import MEASURES, Measured, measure_capture
from gladwire.core.session.judgement import JUDGES
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.reader import Read
from gladwire.formats.registry import READS
from gladwire.store.captures import claim_next, queue_outdated, release_claims
from gladwire.store.database import Sessions, engine_for, sessions_of
from gladwire.store.judgements import ask_outdated, release_judges
from gladwire.store.measurements import newest_settlement, refuse, remembered_roles, settled_of, store_measured
from gladwire.store.models import Capture, Settlement
from gladwire.store.samples import SampleCache
from gladwire.store.supplements import BUS, supplements_for
from gladwire.work.judging import judge_next
from gladwire.work.stored import cache_key, options_for, read_stored

_IDLE_S = 0.1


def work_once(sessions: Sessions, cache: SampleCache, worker: str) -> bool:
    """Judge a session that waits, else claim and measure one capture; False when nothing waits."""
    return judge_next(sessions, worker) or _measure_next(sessions, cache, worker)


def _measure_next(sessions: Sessions, cache: SampleCache, worker: str) -> bool:
    with sessions.begin() as db:
        capture = claim_next(db, worker)
        settlement = newest_settlement(db, capture) if capture else None
    if capture is None:
        return False
    try:
        settled = settled_of(settlement)
        with sessions() as db:
            options = options_for(db, capture)
        read = read_stored(sessions, capture, options)
        settled, by_name = _with_remembered(sessions, read, settled)
        with sessions() as db:
            here = db.get_one(Capture, capture.id)
            supplements, key = supplements_for(db, here), cache_key(db, here, isinstance(read, CanLog))
        result = measure_capture(read, settled, supplements)
        measured = result.measured.model_copy(update={"roles_confirmed_by": by_name})
        cache.keep(key, result.recording, result.messages)
    except (UnreadableError, ValueError) as error:
        _refuse(sessions, capture.id, _sentence(error))
    except MemoryError:
        _refuse(sessions, capture.id, "This machine has not enough memory for a capture of this size.")
    else:
        _keep(sessions, capture.id, settlement, measured, read)
    return True


def _sentence(error: Exception) -> str:
    """Why a capture is refused, in words; never the text of a library."""
    if isinstance(error, ValidationError):
        return f"What was read of it does not hold together ({error.title}, {error.error_count()} places)."
    return str(error)


def _with_remembered(sessions: Sessions, recording: Read, settled: Settled) -> tuple[Settled, str]:
    """(settlement with the roles remembered for this instrument where it names none, who confirmed those)."""
    if settled.roles or not isinstance(recording, Recording):
        return settled, ""
    with sessions() as db:
        key = signature(recording.format, [(w.name, w.unit) for w in recording.channels])
        remembered = remembered_roles(db, key)
        if remembered is None:
            return settled, ""
        return settled.model_copy(update={"roles": json.loads(remembered.roles)}), remembered.by_name


def _refuse(sessions: Sessions, number: int, sentence: str) -> None:
    with sessions.begin() as db:
        refuse(db.get_one(Capture, number), sentence, READS)


def _keep(sessions: Sessions, number: int, settlement: Settlement | None, measured: Measured, read: Read) -> None:
    with sessions.begin() as db:
        capture = db.get_one(Capture, number)
        capture.recorded_at = read.recorded_at[:80]
        capture.kind = BUS if isinstance(read, CanLog) else ""
        store_measured(db, capture, settlement, measured, READS)


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
    engine = engine_for(url)
    sessions, cache = sessions_of(engine), SampleCache(cache_folder)
    with engine.connect() as connection:
        worker = own_name(connection, socket.gethostname())
        with sessions.begin() as db:
            release_claims(db, worker)
            release_judges(db, worker)
            queue_outdated(db, READS, MEASURES)
            ask_outdated(db, JUDGES)
        parent = os.getppid()
        while os.getppid() == parent:
            if not work_once(sessions, cache, worker):
                time.sleep(_IDLE_S)


def worker_command(cache_folder: Path) -> list[str]:
    """The address of the database goes by the environment: command lines are public."""
    setpriv = shutil.which("setpriv")
    before = [setpriv, "--pdeathsig", "TERM", "--"] if setpriv else []
    return [*before, sys.executable, "-m", "gladwire.work.worker", str(cache_folder)]


if __name__ == "__main__":
    run_worker(os.environ["GLADWIRE_DATABASE"], Path(sys.argv[1]))
