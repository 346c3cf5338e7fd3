"""Derived results and what people settled. The machine's own reading and the corrected one both stay."""

from __future__ import annotations

import zlib

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gladwire.store.models import Capture, InstrumentRoles, Settlement, StoredAnalysis, utc_now


def newest_settlement(db: Session, capture: Capture) -> Settlement | None:
    """What a person last settled about this capture, if anything."""
    chosen = select(Settlement).where(Settlement.capture_id == capture.id).order_by(Settlement.id.desc()).limit(1)
    return db.scalar(chosen)


def add_settlement(
    db: Session, capture: Capture, settled: str, interval_s: float | None, by_name: str, why: str
) -> Settlement:
    """Record what a person settled (JSON of the core's `Settled`) and queue the capture for a new analysis."""
    settlement = Settlement(
        capture_id=capture.id, settled=settled, interval_s=interval_s, by_name=by_name[:80], why=why[:300]
    )
    db.add(settlement)
    capture.state, capture.attempts, capture.refusal = "received", 0, ""
    return settlement


def store_analysis(
    db: Session,
    capture: Capture,
    settlement: Settlement | None,
    *,
    analyser: int,
    outcome: str,
    verdict: str,
    result_json: str,
) -> StoredAnalysis:
    """Keep a result; an earlier one for the same settlement is replaced, those for other settlements stay.

    When a person settled something else meanwhile, the capture stays queued for that.
    """
    number = settlement.id if settlement else None
    same = StoredAnalysis.settlement_id == number if number else StoredAnalysis.settlement_id.is_(None)
    db.execute(delete(StoredAnalysis).where(StoredAnalysis.capture_id == capture.id, same))
    stored = StoredAnalysis(
        capture_id=capture.id,
        settlement_id=number,
        analyser=analyser,
        outcome=outcome,
        verdict=verdict,
        result=zlib.compress(result_json.encode(), 6),
    )
    db.add(stored)
    newest = newest_settlement(db, capture)
    capture.state = "analysed" if (newest.id if newest else None) == number else "received"
    capture.refusal = ""
    return stored


def refuse(capture: Capture, sentence: str) -> None:
    """Mark an original as unreadable; it stays stored."""
    capture.state, capture.refusal = "unreadable", sentence


def result_json(stored: StoredAnalysis) -> str:
    return zlib.decompress(stored.result).decode()


def remember_roles(db: Session, signature: str, roles: str, by_name: str) -> None:
    """Keep confirmed roles (JSON, name to role) for every file of this signature; earlier ones are replaced."""
    db.merge(InstrumentRoles(signature=signature, roles=roles, by_name=by_name[:80], made_at=utc_now()))


def remembered_roles(db: Session, signature: str) -> InstrumentRoles | None:
    return db.get(InstrumentRoles, signature)
