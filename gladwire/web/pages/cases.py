"""Cases: list, one case, making one (also after the fact from a session), changing, closing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from gladwire.store.cases import case_with_sessions, cases, charging_session, close_case, reopen_case
from gladwire.store.models import Case
from gladwire.web.errors import RefusedError
from gladwire.web.pages.rows import CaseRow, SessionRow, case_row, session_row
from gladwire.web.services import Database
from gladwire.web.templating import render

router = APIRouter()


class CaseForm(BaseModel):
    """What a person tells about a case."""

    model_config = ConfigDict(str_strip_whitespace=True, extra="ignore")

    title: str = Field(min_length=1, max_length=200)
    complaint: str = Field("", max_length=4000)
    vehicle: str = Field("", max_length=120)
    post: str = Field("", max_length=120)
    waits_for: str = Field("", max_length=300)
    session: int | None = None


@dataclass(frozen=True)
class CasesPage:
    area: str
    open: list[CaseRow]
    closed: list[CaseRow]


@dataclass(frozen=True)
class CasePage:
    area: str
    case: Case
    row: CaseRow
    sessions: list[SessionRow]


def _case(db: Database, number: int) -> Case:
    case = case_with_sessions(db, number)
    if case is None:
        raise RefusedError(404, f"There is no case {number}.", "Look through the list of cases.")
    return case


@router.get("/cases")
def list_cases(db: Database) -> Response:
    rows = [case_row(case) for case in cases(db)]
    return render(
        "cases.html", CasesPage("cases", [r for r in rows if r.state == "open"], [r for r in rows if r.state != "open"])
    )


@router.post("/cases")
def make_case(db: Database, form: Annotated[CaseForm, Form()]) -> Response:
    """Make a case; with `session` given, that session becomes its first."""
    case = Case(**form.model_dump(exclude={"session"}))
    db.add(case)
    if form.session is not None:
        session = charging_session(db, form.session)
        if session is None:
            raise RefusedError(404, f"There is no session {form.session}.", "Open it again from Today.")
        if session.case_id is not None:
            raise RefusedError(409, f"This session belongs to case {session.case_id} already.", "Open that case.")
        session.case = case
    db.flush()
    return RedirectResponse(f"/cases/{case.id}", 303)


@router.get("/cases/{number}")
def one_case(db: Database, number: int) -> Response:
    case = _case(db, number)
    return render("case.html", CasePage("cases", case, case_row(case), [session_row(s) for s in case.sessions]))


@router.post("/cases/{number}")
def change_case(db: Database, number: int, form: Annotated[CaseForm, Form()]) -> Response:
    case = _case(db, number)
    for key, value in form.model_dump(exclude={"session"}).items():
        setattr(case, key, value)
    return RedirectResponse(f"/cases/{number}", 303)


@router.post("/cases/{number}/state")
def change_state(db: Database, number: int, state: Annotated[str, Form(pattern="^(open|closed)$")]) -> Response:
    case = _case(db, number)
    (close_case if state == "closed" else reopen_case)(case)
    return RedirectResponse(f"/cases/{number}", 303)


@router.post("/sessions/{number}/case")
def attach(db: Database, number: int, case: Annotated[int, Form()]) -> Response:
    """Put a session that has no case yet into an open one."""
    session, chosen = charging_session(db, number), _case(db, case)
    if session is None:
        raise RefusedError(404, f"There is no session {number}.", "Open it again from Today.")
    if session.case_id not in (None, case):
        raise RefusedError(409, f"This session belongs to case {session.case_id} already.", "Open that case.")
    session.case = chosen
    return RedirectResponse(f"/sessions/{number}", 303)
