"""Short views of sessions and cases for lists."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from pydantic import BaseModel, ConfigDict, TypeAdapter

from gladwire.core.case.checklist.plan import next_words
from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.stage import StageState
from gladwire.store.captures import WAITING
from gladwire.store.judgements import waits
from gladwire.store.models import Case, ChargingSession
from gladwire.web.case_view import entries_of, plan_of


class StageMark(BaseModel):
    """A stage on the small wire of a list."""

    model_config = ConfigDict(frozen=True)

    stage: str
    title: str
    state: StageState
    why: str = ""


_STAGES = TypeAdapter(tuple[StageMark, ...])


@dataclass(frozen=True)
class SessionRow:
    """A session as one line: state is received, analysing, judging, analysed or unreadable; stages for the small wire."""

    id: int
    title: str
    mode: str
    created_at: datetime
    state: str
    outcome: str
    danger: bool
    verdict: str
    next_test: str
    stages: tuple[StageMark, ...]


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
    judgement = session.judgement
    refused = next((c.refusal for c in session.captures if c.state == "unreadable"), "")
    waiting = next((c.state for c in session.captures if c.state in WAITING), "") or (
        "judging" if waits(session) else ""
    )
    nothing = "unreadable" if refused or (judgement and judgement.refusal) else "received"
    return SessionRow(
        id=session.id,
        title=session.title,
        mode=MODES[session.mode].title if session.mode in MODES else "",
        created_at=session.created_at,
        state=waiting or ("analysed" if judgement and not judgement.refusal else nothing),
        outcome=judgement.outcome if judgement else "unknown",
        danger=bool(judgement and judgement.danger),
        verdict=judgement.verdict if judgement else refused,
        next_test=judgement.next_test if judgement else "",
        stages=_STAGES.validate_json(judgement.stages) if judgement else (),
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
        waits_for=case.waits_for or _waits_for(case, newest),
        newest=newest,
        sessions=len(rows),
    )


def _waits_for(case: Case, newest: SessionRow | None) -> str:
    """The checklist's next step where one is under way, else the next test of the newest session."""
    plan = plan_of(case)
    if plan:
        return next_words(plan, entries_of(case))
    if newest is None:
        return "A first capture."
    return newest.next_test or "A capture that shows more: nothing captured so far says what is wrong."
