"""Short views of sessions and cases for lists."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from gladwire.core.session.stages import StageResult
from gladwire.store.models import Case, ChargingSession
from gladwire.web.services import newest_analysis, parsed


@dataclass(frozen=True)
class SessionRow:
    """A session as one line: state is received, analysing, analysed or unreadable; stages for the small wire."""

    id: int
    title: str
    created_at: datetime
    state: str
    outcome: str
    verdict: str
    next_test: str
    stages: tuple[StageResult, ...]


@dataclass(frozen=True)
class CaseRow:
    """A case as one line. waits_for: typed by a person, else the next test of its newest session."""

    id: int
    title: str
    state: str
    vehicle: str
    post: str
    created_at: datetime
    waits_for: str
    newest: SessionRow | None
    sessions: int


def session_row(session: ChargingSession) -> SessionRow:
    capture = session.captures[-1] if session.captures else None
    stored = newest_analysis(capture) if capture else None
    result = parsed(stored) if stored else None
    causes = result.causes if result else ()
    return SessionRow(
        id=session.id,
        title=session.title,
        created_at=session.created_at,
        state=capture.state if capture else "received",
        outcome=result.outcome if result else "unknown",
        verdict=result.verdict if result else capture.refusal if capture else "",
        next_test=causes[0].next_test if causes else "",
        stages=result.stages if result else (),
    )


def case_row(case: Case) -> CaseRow:
    rows = [session_row(session) for session in case.sessions]
    newest = rows[-1] if rows else None
    return CaseRow(
        id=case.id,
        title=case.title,
        state=case.state,
        vehicle=case.vehicle,
        post=case.post,
        created_at=case.created_at,
        waits_for=case.waits_for or (newest.next_test if newest else "A first capture."),
        newest=newest,
        sessions=len(rows),
    )
