"""Cases and charging sessions: what is open, what waits, what belongs to what."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from sqlalchemy import or_, select
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
_AS_LINE = (selectinload(Case.sessions).joinedload(ChargingSession.judgement), selectinload(Case.observations))
_WHOLE = (
    selectinload(Case.sessions).options(*AS_LINES),
    selectinload(Case.observations),
    selectinload(Case.attempts),
)


def cases_by(db: Session, numbers: Sequence[int], whole: bool = False) -> list[Case]:
    """In this order, each as a line, with what its newest session was captured in; or whole."""
    chosen = select(Case).where(Case.id.in_(numbers)).options(*(_WHOLE if whole else _AS_LINE))
    found = {case.id: case for case in db.scalars(chosen)}
    newest = [case.sessions[-1].id for case in found.values() if case.sessions]
    captures = selectinload(ChargingSession.captures)
    db.scalars(select(ChargingSession).where(ChargingSession.id.in_(newest)).options(captures)).all()
    return [found[number] for number in numbers if number in found]


def sessions_by(db: Session, numbers: Sequence[int]) -> list[ChargingSession]:
    """In this order, each as a line."""
    chosen = select(ChargingSession).where(ChargingSession.id.in_(numbers)).options(*AS_LINES)
    found = {session.id: session for session in db.scalars(chosen)}
    return [found[number] for number in numbers if number in found]


def open_case_names(db: Session, most: int = 40) -> list[tuple[int, str]]:
    """(number, title) of open cases to choose from, the newest first."""
    chosen = select(Case.id, Case.title).where(Case.state == "open").order_by(Case.id.desc())
    return [(number, title) for number, title in db.execute(chosen.limit(most))]


def open_cases_naming(db: Session, vehicle: str, post: str, most: int = 5) -> Sequence[Case]:
    """Open cases of this vehicle or this post, as they name it; the newest first."""
    same = [column == text for column, text in ((Case.vehicle, vehicle), (Case.post, post)) if text]
    if not same:
        return ()
    return db.scalars(select(Case).where(Case.state == "open", or_(*same)).order_by(Case.id.desc()).limit(most)).all()


def case_with_sessions(db: Session, number: int) -> Case | None:
    return db.scalar(select(Case).where(Case.id == number).options(*_WHOLE))


def charging_session(db: Session, number: int) -> ChargingSession | None:
    chosen = select(ChargingSession).where(ChargingSession.id == number)
    return db.scalar(chosen.options(*WITH_RESULTS, joinedload(ChargingSession.case).selectinload(Case.sessions)))


def close_case(case: Case, ending: str = "mended", back_on: date | None = None) -> None:
    """ending: key of how it ended. back_on: the day it comes back by itself."""
    case.state, case.closed_at, case.closed_as, case.back_on = "closed", utc_now(), ending, back_on


def reopen_case(case: Case) -> None:
    case.state, case.closed_at, case.closed_as, case.back_on = "open", None, "", None
    wait_for(case, "me", None)


def wait_for(case: Case, whom: str, back_on: date | None) -> None:
    """Whom an open case waits for, from now on where that is somebody else than before."""
    if whom != case.waits_on:
        case.waits_on, case.waits_since = whom, utc_now()
    case.back_on = back_on


def recent_sessions(db: Session, limit: int) -> Sequence[ChargingSession]:
    """The newest sessions, in a case or not, with their results."""
    chosen = select(ChargingSession).options(*WITH_RESULTS).order_by(ChargingSession.id.desc())
    return db.scalars(chosen.limit(limit)).all()
