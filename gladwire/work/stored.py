"""Stored captures read and measured again, with all that is settled and kept for them."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.orm import Session

from gladwire.core.measured import MEASURES, CaptureResult, measure_capture
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Read
from gladwire.formats.registry import READS, read_capture
from gladwire.store.captures import DamagedCaptureError, original
from gladwire.store.database import Sessions
from gladwire.store.measurements import newest_settlement, settled_of
from gladwire.store.models import Capture
from gladwire.store.supplements import mark_of, supplements_for


@contextmanager
def original_file(sessions: Sessions, capture: Capture) -> Iterator[Path]:
    """The original as a temporary file. Raises DamagedCaptureError."""
    with tempfile.NamedTemporaryFile(prefix="gladwire-") as file:
        with sessions() as db:
            for part in original(db, capture):
                file.write(part)
        file.flush()
        yield Path(file.name)


def read_stored(sessions: Sessions, capture: Capture, options: Options) -> Read:
    """Decode a stored capture. Raises UnreadableError."""
    try:
        with original_file(sessions, capture) as path:
            return read_capture(Source(path), options)
    except DamagedCaptureError as error:
        raise UnreadableError(str(error)) from error


def options_for(db: Session, capture: Capture) -> Options:
    """How a capture is read, as far as a person settled it."""
    settlement = newest_settlement(db, capture)
    return Options(settlement.interval_s, settlement.reader) if settlement else Options()


def cache_key(db: Session, capture: Capture, is_bus: bool) -> str:
    """Under which name lanes and messages of a capture are kept: by its content, by what opened or named it, by how it was
    read, and by the versions that read and measured it."""
    options = options_for(db, capture)
    parts = [capture.sha256, f"r{READS}m{MEASURES}", mark_of(db, capture, is_bus), options.mark]
    return "-".join(part for part in parts if part)


def measure_stored(sessions: Sessions, capture: Capture) -> CaptureResult:
    """Read and measure a stored capture anew. Raises UnreadableError."""
    with sessions() as db:
        here = db.get_one(Capture, capture.id)
        settled, supplements = settled_of(newest_settlement(db, here)), supplements_for(db, here)
        options = options_for(db, here)
    return measure_capture(read_stored(sessions, capture, options), settled, supplements)
