"""Cases and charging sessions: what is open, what waits, what belongs to what."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload, selectinload

from gladwire.store.models import Capture, Case, ChargingSession, utc_now

# For pages of one session: measurements and placements of its captures. Results themselves are loaded when they are read.
WITH_RESULTS = (
    selectinload(ChargingSession.captures).options(
        selectinload(Capture.measurements), selectinload(Capture.settlements), selectinload(Capture.placements)
    ),
    selectinload(ChargingSession.observations),
    joinedload(ChargingSession.judgement),
)
# For lists: one line a session, no result.
AS_LINES = (selectinload(ChargingSession.captures), joinedload(ChargingSession.judgement))
_WHOLE = (selectinload(Case.sessions).options(*AS_LINES), selectinload(Case.observations))


def cases(db: Session, state: str | None = None) -> Sequence[Case]:
    """Newest first, with a line for each of their sessions."""
    chosen = select(Case).options(*_WHOLE).order_by(Case.id.desc())
    return db.scalars(chosen.where(Case.state == state) if state else chosen).all()


def case_with_sessions(db: Session, number: int) -> Case | None:
    return db.scalar(select(Case).where(Case.id == number).options(*_WHOLE))


def charging_session(db: Session, number: int) -> ChargingSession | None:
    chosen = select(ChargingSession).where(ChargingSession.id == number)
    return db.scalar(chosen.options(*WITH_RESULTS, joinedload(ChargingSession.case).selectinload(Case.sessions)))


def sessions_without_case(db: Session, limit: int = 20) -> Sequence[ChargingSession]:
    """Dropped captures that no case has claimed, newest first."""
    chosen = select(ChargingSession).where(ChargingSession.case_id.is_(None)).options(*AS_LINES)
    return db.scalars(chosen.order_by(ChargingSession.id.desc()).limit(limit)).all()


def close_case(case: Case) -> None:
    case.state, case.closed_at = "closed", utc_now()


def reopen_case(case: Case) -> None:
    case.state, case.closed_at = "open", None


def recent_sessions(db: Session, limit: int) -> Sequence[ChargingSession]:
    """The newest sessions, in a case or not, with their results."""
    chosen = select(ChargingSession).options(*WITH_RESULTS).order_by(ChargingSession.id.desc())
    return db.scalars(chosen.limit(limit)).all()
