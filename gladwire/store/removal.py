"""Removing for good what nobody wants kept: whole, with what hangs on it, and with a line of who, when and why that stays."""

from __future__ import annotations

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from gladwire.store.judgements import ask
from gladwire.store.listed import to_list
from gladwire.store.models import (
    BusDescription,
    Capture,
    CaptureChunk,
    ChargingSession,
    EarlierVerdict,
    KeyLogFile,
    KnownGood,
    Observation,
    Placement,
    ReadingPicture,
    Settlement,
    StoredJudgement,
    StoredMeasurement,
    Trail,
)
from gladwire.store.supplements import buses_again

# What belongs to a capture alone, in an order in which nothing points at what is gone.
_OF_A_CAPTURE = (StoredMeasurement, Settlement, Placement, ReadingPicture, KnownGood, CaptureChunk)


def remove_capture(db: Session, capture: Capture, by_name: str, why: str) -> bool:
    """Remove a capture with all that was settled and found about it. True where no other has the same bytes.

    Its session stays, and is judged without it.
    """
    about = f"{capture.size} bytes, sha256 {capture.sha256}, of “{capture.session.title}”"
    _note(db, "capture", capture.name, about, by_name, why)
    ask(capture.session)
    return _forget(db, capture)


def remove_session(db: Session, session: ChargingSession, by_name: str, why: str) -> list[str]:
    """Remove a session with its captures, key logs and all that was noted in it; hashes of captures that are gone."""
    names = ", ".join(c.name for c in session.captures)
    _note(db, "session", session.title, f"with {names or 'no capture'}"[:500], by_name, why)
    gone = [c.sha256 for c in list(session.captures) if _forget(db, c)]
    for kind in (Observation, KeyLogFile, StoredJudgement, EarlierVerdict):
        db.execute(delete(kind).where(kind.session_id == session.id))
    db.execute(delete(ChargingSession).where(ChargingSession.id == session.id))
    db.expunge(session)
    to_list(db, "session", session.id)
    if session.case_id is not None:
        to_list(db, "case", session.case_id)
    return gone


def remove_description(db: Session, kept: BusDescription, by_name: str, why: str) -> None:
    """Remove a description of a bus; logs it named are read anew without it."""
    _note(db, "description", kept.title, f"sha256 {kept.sha256}", by_name, why)
    db.delete(kept)
    db.flush()
    buses_again(db)


def _note(db: Session, what: str, name: str, about: str, by_name: str, why: str) -> None:
    db.add(Trail(what=what, name=name[:255], about=about[:500], by_name=by_name[:80], why=why[:300]))


def _forget(db: Session, capture: Capture) -> bool:
    number, sha256 = capture.id, capture.sha256
    db.flush()
    for kind in _OF_A_CAPTURE:
        db.execute(delete(kind).where(kind.capture_id == number))
    db.execute(delete(Capture).where(Capture.id == number))
    db.expunge(capture)
    return not db.scalar(select(func.count()).where(Capture.sha256 == sha256))
