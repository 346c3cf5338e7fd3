"""Short views of sessions and cases for lists."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from pydantic import BaseModel, ConfigDict, TypeAdapter

from gladwire.core.case.checklist.steps import step_of
from gladwire.core.case.ending import ENDING_BY_KEY, WAITS_BY_KEY
from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.stage import StageState
from gladwire.store.captures import WAITING
from gladwire.store.judgements import waits
from gladwire.store.models import Case, ChargingSession
from gladwire.work.cases import plan_of, speaks_now, to_close, unsafe, waits_for
from gladwire.work.listing import recorded


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
    """A session as one line: state is received, analysing, judging, analysed or unreadable; stages for the small wire.

    at: its recording where that is told, else its receipt (dropped). by_file: by the clock of the file, which names no zone.
    step: title of the step of a checklist it was captured for, or "".
    """

    id: int
    title: str
    mode: str
    step: str
    at: datetime
    dropped: bool
    by_file: bool
    state: str
    outcome: str
    danger: bool
    verdict: str
    next_test: str
    stages: tuple[StageMark, ...]


@dataclass(frozen=True)
class CaseRow:
    """A case as one line. waits_for: typed by a person, else the next test of its newest session.

    waits_on: for whom, in words; since: from when. ended: how it closed, in words. unsafe: what of it can hurt, in words, or
    "".
    """

    id: int
    title: str
    state: str
    vehicle: str
    post: str
    created_at: datetime
    waits_for: str
    waits_on: str
    since: datetime
    back_on: date | None
    ended: str
    closed_at: datetime | None
    unsafe: str
    newest: SessionRow | None
    sessions: int


def session_row(session: ChargingSession) -> SessionRow:
    judgement, told = session.judgement, recorded(session)
    refused = next((c.refusal for c in session.captures if c.state == "unreadable"), "")
    waiting = next((c.state for c in session.captures if c.state in WAITING), "") or (
        "judging" if waits(session) else ""
    )
    nothing = "unreadable" if refused or (judgement and judgement.refusal) else "received"
    return SessionRow(
        id=session.id,
        title=session.title,
        mode=MODES[session.mode].title if session.mode in MODES else "",
        step=step_of(session.step).title if session.step in TESTS else "",
        at=told.at if told else session.created_at,
        dropped=told is None,
        by_file=told is not None and not told.zoned,
        state=waiting or ("analysed" if judgement and not judgement.refusal else nothing),
        outcome=judgement.outcome if judgement else "unknown",
        danger=bool(judgement and judgement.danger),
        verdict=judgement.verdict if judgement else refused,
        next_test=judgement.next_test if judgement else "",
        stages=_STAGES.validate_json(judgement.stages) if judgement else (),
    )


def case_row(case: Case) -> CaseRow:
    newest = session_row(case.sessions[-1]) if case.sessions else None
    held = unsafe(case)
    return CaseRow(
        id=case.id,
        title=case.title,
        state=case.state,
        vehicle=case.vehicle,
        post=case.post,
        created_at=case.created_at,
        waits_for=case.waits_for or _waits_for(case, newest),
        waits_on=WAITS_BY_KEY[case.waits_on].means if case.waits_on in WAITS_BY_KEY else "Waits",
        since=case.waits_since,
        back_on=case.back_on,
        ended=ENDING_BY_KEY[case.closed_as].title if case.closed_as in ENDING_BY_KEY else "Closed",
        closed_at=case.closed_at,
        unsafe=held.says if held and case.state == "open" else "",
        newest=newest,
        sessions=len(case.sessions),
    )


def _waits_for(case: Case, newest: SessionRow | None) -> str:
    """Closing where all is proven, the checklist's next step where one is under way, else the next test of the newest
    session."""
    if left := to_close(case):
        return left
    if plan_of(case) and case.state == "open":
        return waits_for(case)
    speaks = speaks_now(case)
    if speaks is not None and speaks is not case.sessions[-1] and speaks.judgement and speaks.judgement.next_test:
        return speaks.judgement.next_test
    if newest is None:
        return "A first capture."
    if newest.state in ("received", "analysing", "judging") and not newest.next_test:
        return "Its newest capture is being read and judged."
    return newest.next_test or "A capture that shows more: nothing captured so far says what is wrong."
