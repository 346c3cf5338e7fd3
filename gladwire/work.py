"""The worker: claims stored captures one by one, analyses them outside any request, and keeps the results.

Runs as a process of its own, so that a capture too large for the machine ends the worker and not the server.
"""

from __future__ import annotations

import gc
import json
import os
import shutil
import socket
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy.orm import Session

from gladwire.core.analysis import ANALYSER_VERSION, Analysis, Taken, take
from gladwire.core.can.log import CanLog
from gladwire.core.lanes.roles import signature
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Read
from gladwire.formats.registry import read_capture
from gladwire.store.aids import BUS, aids_for, mark_of
from gladwire.store.analyses import newest_settlement, refuse, remembered_roles, store_analysis
from gladwire.store.captures import (
    DamagedCaptureError,
    claim_next,
    original,
    queue_outdated,
    release_claims,
)
from gladwire.store.database import Sessions, engine_for, sessions_of
from gladwire.store.models import Capture, Settlement
from gladwire.store.samples import SampleCache

_IDLE_S = 0.1


@contextmanager
def original_file(sessions: Sessions, capture: Capture) -> Iterator[Path]:
    """The original as a temporary file. Raises DamagedCaptureError."""
    with tempfile.NamedTemporaryFile(prefix="gladwire-") as file:
        with sessions() as db:
            for part in original(db, capture):
                file.write(part)
        file.flush()
        yield Path(file.name)


def read_stored(sessions: Sessions, capture: Capture, interval_s: float | None) -> Read:
    """Decode a stored capture. Raises UnreadableError."""
    try:
        with original_file(sessions, capture) as path:
            return read_capture(Source(path), Options(interval_s))
    except DamagedCaptureError as error:
        raise UnreadableError(str(error)) from error


def cache_key(db: Session, capture: Capture, is_bus: bool) -> str:
    """Under which name lanes and messages of a capture are kept: by its content and by what opened or named it."""
    mark = mark_of(db, capture, is_bus)
    return f"{capture.sha256}-{mark}" if mark else capture.sha256


def take_stored(sessions: Sessions, capture: Capture, interval_s: float | None) -> Taken:
    """Read and analyse a stored capture anew, with all that is settled and kept for it. Raises UnreadableError."""
    with sessions() as db:
        here = db.get_one(Capture, capture.id)
        settlement, aids = newest_settlement(db, here), aids_for(db, here)
        settled = Settled.model_validate_json(settlement.settled) if settlement else Settled()
    return take(read_stored(sessions, capture, interval_s), settled, aids)


def work_once(sessions: Sessions, cache: SampleCache, worker: str) -> bool:
    """Claim and analyse one capture; False when none waits."""
    with sessions.begin() as db:
        capture = claim_next(db, worker)
        settlement = newest_settlement(db, capture) if capture else None
    if capture is None:
        return False
    interval_s = settlement.interval_s if settlement else None
    try:
        settled = Settled.model_validate_json(settlement.settled) if settlement else Settled()
        read = read_stored(sessions, capture, interval_s)
        settled, by_name = _with_remembered(sessions, read, settled)
        with sessions() as db:
            here = db.get_one(Capture, capture.id)
            aids, key = aids_for(db, here), cache_key(db, here, isinstance(read, CanLog))
        taken = take(read, settled, aids)
        result = taken.analysis.model_copy(update={"roles_confirmed_by": by_name})
        cache.keep(key, interval_s, taken.recording, taken.messages)
    except (UnreadableError, ValidationError, ValueError) as error:
        _refuse(sessions, capture.id, str(error))
    except MemoryError:
        _refuse(sessions, capture.id, "This machine has not enough memory for a capture of this size.")
    else:
        _keep(sessions, capture.id, settlement, result, read)
    return True


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
        refuse(db.get_one(Capture, number), sentence)


def _keep(sessions: Sessions, number: int, settlement: Settlement | None, result: Analysis, read: Read) -> None:
    with sessions.begin() as db:
        capture = db.get_one(Capture, number)
        capture.recorded_at = read.recorded_at[:80]
        capture.kind = BUS if isinstance(read, CanLog) else ""
        store_analysis(
            db,
            capture,
            settlement,
            analyser=result.analyser,
            outcome=result.outcome,
            verdict=result.verdict,
            result_json=result.model_dump_json(),
        )


def calm_collector() -> None:
    """A capture becomes millions of small objects that live as long as it is analysed: looking for cycles among them so often
    costs more than it frees."""
    gc.set_threshold(200_000, 50, 50)


def run_worker(url: str, cache_folder: Path, worker: str) -> None:
    """Work until the parent ends. What an earlier worker of this name left half done is given back first."""
    calm_collector()
    sessions = sessions_of(engine_for(url))
    cache = SampleCache(cache_folder)
    with sessions.begin() as db:
        release_claims(db, worker)
        queue_outdated(db, ANALYSER_VERSION)
    parent = os.getppid()
    while os.getppid() == parent:
        if not work_once(sessions, cache, worker):
            time.sleep(_IDLE_S)


def worker_command(cache_folder: Path) -> list[str]:
    """The address of the database goes by the environment: command lines are public."""
    setpriv = shutil.which("setpriv")
    before = [setpriv, "--pdeathsig", "TERM", "--"] if setpriv else []
    return [*before, sys.executable, "-m", "gladwire.work", str(cache_folder), f"{socket.gethostname()[:50]}-1"]


if __name__ == "__main__":
    run_worker(os.environ["GLADWIRE_DATABASE"], Path(sys.argv[1]), sys.argv[2])
