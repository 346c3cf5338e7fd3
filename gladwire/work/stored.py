"""Stored captures, with all that is settled and kept for them, as work for a process of its own."""

from __future__ import annotations

import json
import tempfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.orm import Session

from gladwire.core.measured import MEASURES
from gladwire.formats.reader import Options
from gladwire.formats.registry import READS
from gladwire.store.captures import original
from gladwire.store.database import Sessions
from gladwire.store.measurements import all_remembered_roles, newest_settlement, settled_of
from gladwire.store.models import Capture
from gladwire.store.supplements import descriptions, key_logs, mark_of
from gladwire.work.analysis import Description, Job, analyse
from gladwire.work.bounded import default_bounds, run_bounded


@contextmanager
def original_file(sessions: Sessions, capture: Capture) -> Iterator[Path]:
    """The original as a temporary file. Raises DamagedCaptureError."""
    with tempfile.NamedTemporaryFile(prefix="gladwire-") as file:
        for part in original(sessions, capture):
            file.write(part)
        file.flush()
        yield Path(file.name)


def options_for(db: Session, capture: Capture) -> Options:
    """How a capture is read, as far as a person settled it."""
    settlement = newest_settlement(db, capture)
    if settlement is None:
        return Options()
    return Options(settlement.interval_s, settlement.reader, tuple(sorted(settled_of(settlement).columns.items())))


def cache_key(db: Session, capture: Capture, is_bus: bool) -> str:
    """Under which name lanes and messages of a capture are kept: by its content, by what opened or named it, by how it was
    read, and by the versions that read and measured it."""
    options = options_for(db, capture)
    parts = [capture.sha256, f"r{READS}m{MEASURES}", mark_of(db, capture, is_bus), options.mark]
    return "-".join(part for part in parts if part)


def job_for(sessions: Sessions, capture: Capture, path: Path, cache: Path) -> Job:
    """All that an analysis of a stored capture needs, without a database."""
    with sessions() as db:
        here = db.get_one(Capture, capture.id)
        kept = tuple(
            Description(
                d.title,
                zlib.decompress(d.text),
                "connector" if d.kind == "connector" else "controller",
                json.loads(d.roles) if d.roles else None,
                d.by_name,
            )
            for d in descriptions(db)
        )
        return Job(
            path=path,
            options=options_for(db, here),
            settled=settled_of(newest_settlement(db, here)),
            key_logs=tuple(zlib.decompress(k.text) for k in key_logs(db, here.session_id)),
            descriptions=kept,
            remembered=all_remembered_roles(db),
            cache=cache,
            key={bus: cache_key(db, here, bus) for bus in (False, True)},
        )


def keep_samples_again(sessions: Sessions, capture: Capture, cache: Path) -> None:
    """Make the samples of a stored capture anew where the cache lost them. Raises RefusedWorkError, DamagedCaptureError."""
    with original_file(sessions, capture) as path:
        run_bounded(analyse, job_for(sessions, capture, path, cache), bounds=default_bounds(capture.size))
