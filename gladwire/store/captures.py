"""Originals in, originals out, byte for byte; and the queue of captures that wait for analysis."""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Iterator
from datetime import timedelta
from typing import BinaryIO

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session

from gladwire.store.models import Capture, CaptureChunk, ChargingSession, StoredMeasurement, utc_now

# States of a capture that has no result yet.
WAITING = ("received", "analysing")
CHUNK_BYTES = 4 * 2**20
# A worker that has not finished within this time is taken for dead and the capture is claimed anew.
CLAIM_LASTS = timedelta(minutes=15)
MOST_ATTEMPTS = 2


class DamagedCaptureError(Exception):
    """A stored original no longer matches its checksum."""


def add_capture(db: Session, session: ChargingSession, name: str, stream: BinaryIO) -> Capture:
    """Store an original in chunks, inside the caller's transaction. name: as the person's machine calls it."""
    capture = Capture(session=session, name=name[-255:], size=0, sha256="")
    db.add(capture)
    db.flush()
    digest = hashlib.sha256()
    number = 0
    while part := stream.read(CHUNK_BYTES):
        digest.update(part)
        capture.size += len(part)
        chunk = CaptureChunk(capture_id=capture.id, number=number, data=zlib.compress(part, 1))
        db.add(chunk)
        db.flush()
        db.expunge(chunk)  # or every chunk would stay in memory until the commit
        number += 1
    capture.sha256 = digest.hexdigest()
    return capture


def original(db: Session, capture: Capture) -> Iterator[bytes]:
    """The original's bytes in chunks. Raises DamagedCaptureError at the end when they are not what was stored."""
    digest = hashlib.sha256()
    numbers = db.scalar(select(func.count()).where(CaptureChunk.capture_id == capture.id)) or 0
    for number in range(numbers):
        chosen = select(CaptureChunk.data).where(CaptureChunk.capture_id == capture.id, CaptureChunk.number == number)
        data = db.scalar(chosen)
        try:
            part = zlib.decompress(data or b"")
        except zlib.error as error:
            raise DamagedCaptureError(f"chunk {number} of “{capture.name}” is damaged in the store") from error
        digest.update(part)
        yield part
    if digest.hexdigest() != capture.sha256:
        raise DamagedCaptureError(f"“{capture.name}” no longer matches the checksum taken when it was stored")


def same_bytes(db: Session, sha256: str) -> Capture | None:
    """An earlier capture with the same content, if there is one."""
    return db.scalar(select(Capture).where(Capture.sha256 == sha256).order_by(Capture.id).limit(1))


def claim_next(db: Session, worker: str) -> Capture | None:
    """Claim the oldest capture that waits, or one whose worker died. Two workers never get the same."""
    stale = Capture.claimed_at < utc_now() - CLAIM_LASTS
    waits = or_(Capture.state == "received", (Capture.state == "analysing") & stale)
    capture = db.scalar(select(Capture).where(waits).order_by(Capture.id).limit(1).with_for_update(skip_locked=True))
    if capture is None:
        return None
    capture.state, capture.claimed_by, capture.claimed_at = "analysing", worker, utc_now()
    capture.attempts += 1
    return capture


def release_claims(db: Session, worker: str) -> None:
    """Give back what a worker of this name held when it ended; refuse what has ended it too often."""
    held = (Capture.state == "analysing") & (Capture.claimed_by == worker)
    refusal = "Its analysis ended without a result, twice: it may need more memory than this machine has."
    db.execute(
        update(Capture).where(held, Capture.attempts >= MOST_ATTEMPTS).values(state="unreadable", refusal=refusal)
    )
    db.execute(update(Capture).where(held).values(state="received"))


def queue_outdated(db: Session, reads: int, measures: int) -> int:
    """Queue captures that an older version read or measured, and those an older version could not read; returns how many."""
    newest = select(func.max(StoredMeasurement.id)).group_by(StoredMeasurement.capture_id)
    older = or_(StoredMeasurement.reads < reads, StoredMeasurement.measures < measures)
    outdated = select(StoredMeasurement.capture_id).where(StoredMeasurement.id.in_(newest), older)
    measured = (Capture.state == "analysed") & Capture.id.in_(list(db.scalars(outdated)))
    refused = (Capture.state == "unreadable") & (Capture.reads < reads)
    numbers = list(db.scalars(select(Capture.id).where(or_(measured, refused))))
    db.execute(update(Capture).where(Capture.id.in_(numbers)).values(state="received", attempts=0))
    return len(numbers)
