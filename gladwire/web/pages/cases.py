"""Cases: list, one case, making one (also after the fact from a session), changing, closing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, ConfigDict, Field, field_validator
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.checklist.plan import Plan
from gladwire.core.case.proof import BY_KEY as MODES_BY_KEY
from gladwire.core.case.proof import MODES, Mode, ModeProof
from gladwire.core.scene.inspection import BY_KEY as CONDITIONS
from gladwire.core.standards.connectors import place_words
from gladwire.store.cases import case_with_sessions, cases, charging_session, close_case, reopen_case
from gladwire.store.judgements import ask
from gladwire.store.models import Case, Observation
from gladwire.web.case_view import plan_of, proofs_of, reported
from gladwire.web.errors import RefusedError
from gladwire.web.pages.rows import CaseRow, SessionRow, case_row, session_row
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
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
    modes: list[str] = []
    session: int | None = None

    @field_validator("modes")
    @classmethod
    def _known(cls, value: list[str]) -> list[str]:
        if any(mode not in MODES_BY_KEY for mode in value):
            raise ValueError("modes from the list were expected")
        return value

    def columns(self) -> dict[str, str]:
        """What the table of cases holds of it."""
        return {**self.model_dump(exclude={"session", "modes"}), "modes": ",".join(self.modes)}


@dataclass(frozen=True)
class CasesPage:
    area: str
    open: list[CaseRow]
    closed: list[CaseRow]


@dataclass(frozen=True)
class Noted:
    """Something noted on the case, as it is listed."""

    observation: Observation
    what: str
    says: str


@dataclass(frozen=True)
class CasePage:
    area: str
    case: Case
    row: CaseRow
    sessions: list[SessionRow]
    proofs: tuple[ModeProof, ...]
    noted: list[Noted]
    plan: Plan | None
    modes: tuple[Mode, ...]
    reported: list[str]
    by_name: str

    @property
    def proven(self) -> bool:
        return all(p.state == "proven" for p in self.proofs)


def case_or_404(db: Database, number: int) -> Case:
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
    case = Case(**form.columns())
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
def one_case(request: Request, db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    page = CasePage(
        area="cases",
        case=case,
        row=case_row(case),
        sessions=[session_row(s) for s in case.sessions],
        proofs=proofs_of(case),
        noted=[n for o in case.observations if (n := _noted(o))],
        plan=plan_of(case),
        modes=MODES,
        reported=reported(case),
        by_name=name_of(request),
    )
    return render("case.html", page)


_NOTED_WORDS = {"repair": "Repair", "code": "Stored code", "closing": "Closed without proof", "note": "Note"}


def _noted(o: Observation) -> Noted | None:
    """Repairs, codes, notes and looks at contacts; the checklist lists its own entries."""
    if o.kind == "pin":
        pin, where = place_words(o.place)
        seen = CONDITIONS[o.unit].words if o.unit in CONDITIONS else o.unit
        return Noted(o, f"{pin} of the {where}", f"{seen}{f', “{o.text}”' if o.text else ''}")
    if o.kind in _NOTED_WORDS:
        return Noted(o, _NOTED_WORDS[o.kind] + (f" ({o.place})" if o.place else ""), o.text)
    return None


@router.post("/cases/{number}/notes")
def note(
    db: Database,
    number: int,
    kind: Annotated[str, Form(pattern="^(repair|code|note)$")],
    text: Annotated[str, Form(min_length=1, max_length=500)],
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
) -> Response:
    """Note a repair, a stored code or anything else; a repair makes every earlier proof stale."""
    case = case_or_404(db, number)
    db.add(Observation(case_id=case.id, kind=kind, text=text.strip(), by_name=by_name))
    return signed(RedirectResponse(f"/cases/{number}", 303), by_name)


@router.post("/cases/{number}")
def change_case(db: Database, number: int, form: Annotated[CaseForm, Form()]) -> Response:
    case = case_or_404(db, number)
    for key, value in form.columns().items():
        setattr(case, key, value)
    return RedirectResponse(f"/cases/{number}", 303)


@router.post("/cases/{number}/state")
def change_state(
    db: Database,
    number: int,
    state: Annotated[str, Form(pattern="^(open|closed)$")],
    why: Annotated[str, Form(max_length=300)] = "",
    by_name: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """Close or reopen. A case whose reported modes are not all proven closes only with a reason."""
    case = case_or_404(db, number)
    if state == "open":
        reopen_case(case)
        return RedirectResponse(f"/cases/{number}", 303)
    open_ = [p.mode for p in proofs_of(case) if p.state != "proven"]
    if open_ and not why.strip():
        text = f"Not proven yet: {'; '.join(open_)}. Nothing was closed."
        raise RefusedError(409, text, "Prove every reported mode, or say why the case closes without.")
    if open_:
        db.add(Observation(case_id=case.id, kind="closing", text=why.strip(), by_name=by_name))
    close_case(case)
    return RedirectResponse(f"/cases/{number}", 303)


@router.post("/sessions/{number}/case")
def attach(db: Database, number: int, case: Annotated[int, Form()]) -> Response:
    """Put a session that has no case yet into an open one."""
    session, chosen = charging_session(db, number), case_or_404(db, case)
    if session is None:
        raise RefusedError(404, f"There is no session {number}.", "Open it again from Today.")
    if session.case_id not in (None, case):
        raise RefusedError(409, f"This session belongs to case {session.case_id} already.", "Open that case.")
    session.case = chosen
    ask(session)  # what the case's checklist found out counts for it
    return RedirectResponse(f"/sessions/{number}", 303)
