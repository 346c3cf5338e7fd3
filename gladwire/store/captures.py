"""Originals in, originals out, byte for byte; and the queue of captures that wait for analysis."""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Iterator
from datetime import timedelta
from typing import Any, BinaryIO

from sqlalchemy import ColumnElement, case, func, or_, select, update
from sqlalchemy.orm import Session

from gladwire.store.database import Sessions
from gladwire.store.models import Capture, CaptureChunk, ChargingSession, StoredMeasurement, utc_now

# States of a capture that has no result yet.
WAITING = ("received", "analysing")
CHUNK_BYTES = 4 * 2**20
# A worker that has told nothing within this time is taken for dead and the capture is claimed anew.
CLAIM_LASTS = timedelta(minutes=2)
# What is larger than this waits behind what is not.
_LARGE_BYTES = 16 * 2**20


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


def original(sessions: Sessions, capture: Capture) -> Iterator[bytes]:
    """The original's bytes in chunks, each by a connection of its own: none is held while bytes go out slowly.

    Raises DamagedCaptureError at the end when they are not what was stored.
    """
    digest = hashlib.sha256()
    with sessions() as db:
        numbers = db.scalar(select(func.count()).where(CaptureChunk.capture_id == capture.id)) or 0
    for number in range(numbers):
        chosen = select(CaptureChunk.data).where(CaptureChunk.capture_id == capture.id, CaptureChunk.number == number)
        with sessions() as db:
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


def _turn() -> tuple[ColumnElement[Any], ...]:
    large = Capture.size > _LARGE_BYTES
    return large, case((large, Capture.id), else_=-Capture.id)


def claim_next(db: Session, worker: str) -> Capture | None:
    """Claim a capture that waits or whose worker died: of the small ones the newest, which somebody just dropped and
    looks at, else the oldest large one. Two workers never get the same."""
    stale = Capture.claimed_at < utc_now() - CLAIM_LASTS
    waits = or_(Capture.state == "received", (Capture.state == "analysing") & stale)
    capture = db.scalar(select(Capture).where(waits).order_by(*_turn()).limit(1).with_for_update(skip_locked=True))
    if capture is None:
        return None
    capture.state, capture.claimed_by, capture.claimed_at = "analysing", worker, utc_now()
    capture.progress = capture.stop_asked_by = ""
    return capture


def release_claims(db: Session, worker: str) -> None:
    """Give back what a worker of this name held when it ended: that says nothing of the capture, as its analysis runs in a
    process of its own."""
    held = (Capture.state == "analysing") & (Capture.claimed_by == worker)
    db.execute(update(Capture).where(held).values(state="received"))


def tell_progress(db: Session, number: int, worker: str, progress: str) -> str:
    """Say how far an analysis is; returns who wished it stopped, or "". The claim is fresh again."""
    mine = (Capture.id == number) & (Capture.state == "analysing") & (Capture.claimed_by == worker)
    db.execute(update(Capture).where(mine).values(progress=progress[:120], claimed_at=utc_now()))
    return db.scalar(select(Capture.stop_asked_by).where(Capture.id == number)) or ""


def ask_to_stop(capture: Capture, by_name: str) -> None:
    """Wish an analysis stopped: one under way is ended, one that waits is not begun."""
    if capture.state == "received":
        capture.state, capture.refusal = "unreadable", stopped_by(by_name)
    elif capture.state == "analysing":
        capture.stop_asked_by = by_name[:80]


def stopped_by(by_name: str) -> str:
    return f"Its analysis was stopped by {by_name}"


def ask_again(capture: Capture) -> None:
    """Queue a capture to be read and measured anew."""
    capture.state, capture.refusal = "received", ""


def queue_outdated(db: Session, reads: int, measures: int) -> int:
    """Queue captures that an older version read or measured, and those an older version could not read; returns how many."""
    newest = select(func.max(StoredMeasurement.id)).group_by(StoredMeasurement.capture_id)
    older = or_(StoredMeasurement.reads < reads, StoredMeasurement.measures < measures)
    outdated = select(StoredMeasurement.capture_id).where(StoredMeasurement.id.in_(newest), older)
    measured = (Capture.state == "analysed") & Capture.id.in_(list(db.scalars(outdated)))
    refused = (Capture.state == "unreadable") & (Capture.reads < reads)
    numbers = list(db.scalars(select(Capture.id).where(or_(measured, refused))))
    db.execute(update(Capture).where(Capture.id.in_(numbers)).values(state="received"))
    return len(numbers)
