"""What is kept beside captures: key logs, secrets in a table of their own, and descriptions of buses with their roles."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Mapping, Sequence

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from gladwire.core.can.names import Kind, shipped
from gladwire.store.captures import ask_again
from gladwire.store.models import BusDescription, Capture, ChargingSession, KeyLogFile, utc_now

BUS = "can"


def add_key_log(db: Session, session: ChargingSession, name: str, content: bytes, connections: int) -> KeyLogFile:
    """Keep a key log that was parsed for a session's captures, which are analysed anew. connections: how many it opens."""
    digest = hashlib.sha256(content).hexdigest()
    same = select(KeyLogFile).where(KeyLogFile.session_id == session.id, KeyLogFile.sha256 == digest)
    kept = db.scalar(same)
    if kept is None:
        kept = KeyLogFile(session_id=session.id, name=name[-255:], sha256=digest, connections=connections)
        kept.text = zlib.compress(content, 6)
        db.add(kept)
    again(session.captures)
    return kept


def key_logs(db: Session, session_id: int) -> Sequence[KeyLogFile]:
    return db.scalars(select(KeyLogFile).where(KeyLogFile.session_id == session_id).order_by(KeyLogFile.id)).all()


def remove_key_log(db: Session, session: ChargingSession, number: int) -> bool:
    """Forget a key log; what it opened is closed again. False where the session has none of that number."""
    kept = db.get(KeyLogFile, number)
    if kept is None or kept.session_id != session.id:
        return False
    db.delete(kept)
    again(session.captures)
    return True


def again(captures: Sequence[Capture]) -> None:
    """Queue captures for a new analysis."""
    for capture in captures:
        ask_again(capture)


def add_description(
    db: Session, title: str, content: bytes, counts: tuple[int, int], kind: Kind = "controller"
) -> BusDescription:
    """Remember a description that was parsed; the same content again is the same description. counts: its messages and
    signals."""
    digest = hashlib.sha256(content).hexdigest()
    kept = db.scalar(select(BusDescription).where(BusDescription.sha256 == digest))
    if kept is None:
        kept = BusDescription(title=_own(db, title), sha256=digest, text=zlib.compress(content, 6), kind=kind)
        kept.messages, kept.signals = counts
        db.add(kept)
        db.flush()
        buses_again(db)
    return kept


def _own(db: Session, title: str) -> str:
    """The title, with a number where another description has it: what is settled is found by it."""
    taken = {d.title for d in descriptions(db)}
    titles = [title[-240:], *(f"{title[-240:]} ({n})" for n in range(2, len(taken) + 3))]
    return next(t for t in titles if t not in taken)


def buses_again(db: Session) -> None:
    """Queue every log of a bus: which description names it, and how its lanes are laid out, may have changed."""
    logs = (Capture.kind == BUS) & (Capture.state == "analysed")
    db.execute(update(Capture).where(logs).values(state="received"))


def descriptions(db: Session) -> Sequence[BusDescription]:
    return db.scalars(select(BusDescription).order_by(BusDescription.id)).all()


def settle_signals(db: Session, title: str, roles: Mapping[str, str], kind: Kind, by_name: str) -> bool:
    """Remember which signal plays which role in every log a description names. One that ships is taken in first.

    False where no description has that title.
    """
    kept = db.scalar(select(BusDescription).where(BusDescription.title == title).order_by(BusDescription.id.desc()))
    if kept is None:
        own = next((n for n in shipped() if n.title == title), None)
        if own is None:
            return False
        kept = add_description(db, title, own.text.encode(), own.counts, own.kind)
    kept.roles, kept.kind, kept.by_name, kept.made_at = json.dumps(dict(roles)), kind, by_name[:80], utc_now()
    db.flush()
    buses_again(db)
    return True


def mark_of(db: Session, capture: Capture, is_bus: bool) -> str:
    """What distinguishes lanes and messages read with these from those read with others; empty without any."""
    if is_bus:
        parts = [f"{d.sha256}{d.roles}{d.kind}" for d in descriptions(db)]
        parts += [s.settled for s in capture.settlements[-1:]]
    else:
        parts = [k.sha256 for k in key_logs(db, capture.session_id)]
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:12] if parts else ""
