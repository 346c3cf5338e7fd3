"""Cases: list, one case, making one (also after the fact from a session), changing, closing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, NamedTuple, Self

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.checklist.plan import Plan
from gladwire.core.case.ending import ENDING_BY_KEY, ENDINGS, WAITS, WAITS_BY_KEY, Ending, refusal
from gladwire.core.case.intake import Warned
from gladwire.core.case.proof import BY_KEY as MODES_BY_KEY
from gladwire.core.case.proof import MODES, Mode, ModeProof
from gladwire.core.diagnosis.causes import BY_CODE as CAUSE_BY_CODE
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.scene.inspection import BY_KEY as CONDITIONS
from gladwire.core.scene.stamps import BY_KEY as STAMPS
from gladwire.core.standards.connectors import place_words
from gladwire.store.cases import (
    case_with_sessions,
    cases_by,
    charging_session,
    close_case,
    reopen_case,
    sessions_by,
    wait_for,
)
from gladwire.store.judgements import ask, earlier_verdicts
from gladwire.store.listed import Page, closed_cases, counts_of_cases, open_cases, sessions_listed
from gladwire.store.model_notes import notes_of, pieces_in
from gladwire.store.models import Case, ChargingSession, EarlierVerdict, ModelNote, Observation, StoredJudgement
from gladwire.store.photographs import photographs_of
from gladwire.web.errors import RefusedError
from gladwire.web.forms import OptionalDay
from gladwire.web.pages.rows import CaseRow, SessionRow, case_row, session_row
from gladwire.web.sent import TypedEarlier
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render
from gladwire.work.cases import (
    Standing,
    Unsafe,
    asks_codes_after,
    pairs_of,
    plan_of,
    proofs_of,
    reported,
    standing_of,
    unproven,
    unsafe,
    warned,
)

router = APIRouter()


class CaseForm(BaseModel):
    """What a person tells about a case."""

    model_config = ConfigDict(str_strip_whitespace=True, extra="ignore")

    title: str = Field(min_length=1, max_length=200)
    complaint: str = Field("", max_length=4000)
    vehicle: str = Field("", max_length=120)
    post: str = Field("", max_length=120)
    waits_for: str = Field("", max_length=300)
    waits_on: str = ""
    back_on: OptionalDay = None
    modes: list[str] = []
    session: int | None = None

    @model_validator(mode="after")
    def _waits_for_somebody(self) -> Self:
        if self.waits_on and self.waits_on not in WAITS_BY_KEY:
            raise ValueError("somebody from the list was expected to wait for")
        if self.waits_on and WAITS_BY_KEY[self.waits_on].day and self.back_on is None:
            raise ValueError("the day it waits for is missing")
        return self

    @field_validator("modes")
    @classmethod
    def _known(cls, value: list[str]) -> list[str]:
        if any(mode not in MODES_BY_KEY for mode in value):
            raise ValueError("modes from the list were expected")
        return value

    def columns(self) -> dict[str, str]:
        """What the table of cases holds of it."""
        told = ("title", "complaint", "vehicle", "post", "waits_for")
        return {**self.model_dump(include={*told}), "modes": ",".join(self.modes)}

    def set_waiting(self, case: Case) -> None:
        day = bool(self.waits_on) and WAITS_BY_KEY[self.waits_on].day
        wait_for(case, self.waits_on, self.back_on if day else None)


@dataclass(frozen=True)
class CasesPage:
    """show: key of the filter. filters: (key, title, how many)."""

    area: str
    show: str
    filters: list[tuple[str, str, int]]
    rows: list[CaseRow]
    page: Page


@dataclass(frozen=True)
class SessionsPage:
    area: str
    show: str
    rows: list[SessionRow]
    page: Page


@dataclass(frozen=True)
class Noted:
    """Something noted on the case, as it is listed."""

    observation: Observation
    what: str
    says: str


class Said(NamedTuple):
    """A turn of a case: what was said or done, and when. session: whose verdict it was; why: what changed it, of a verdict
    that no longer holds."""

    at: datetime
    words: str
    session: ChargingSession | None = None
    why: str = ""


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
    causes: Sequence[tuple[str, str]]
    photos: list[tuple[Observation, int]]
    codes_after: bool
    pairs: bool
    course: list[Said]
    learnt: Sequence[ModelNote]
    stands: Standing
    unsafe: Unsafe | None
    warned: Warned | None
    by_name: str

    @property
    def endings(self) -> list[Ending]:
        """How it can close, as it stands."""
        held = self.unsafe.says if self.unsafe else ""
        return [e for e in ENDINGS if not refusal(e, unproven(self.proofs), held, "a reason", True)]


def case_or_404(db: Database, number: int) -> Case:
    case = case_with_sessions(db, number)
    if case is None:
        raise RefusedError(404, f"There is no case {number}.", "Look through the list of cases.")
    return case


def photographs_in(db: Database, case: Case) -> dict[str, list[tuple[Observation, int]]]:
    """Photographs of a case that were not struck out, each with the number of its picture, by the step they belong to."""
    noted = {o.id: o for o in case.observations if o.kind == "photo" and not o.struck_by}
    found: dict[str, list[tuple[Observation, int]]] = {}
    for number, picture in photographs_of(db, list(noted)).items():
        found.setdefault(noted[number].place, []).append((noted[number], picture))
    return found


@router.get("/cases")
def list_cases(db: Database, show: str = "open", page: int = 1) -> Response:
    """A page of cases: open ones by whom they wait for, those that are not safe, or closed ones."""
    counts, closed = counts_of_cases(db)
    filters = [
        ("open", "Open", sum(counts.values())),
        ("unsafe", "Not safe", sum(n for (_, d), n in counts.items() if d)),
    ]
    for one in WAITS:
        filters.append((one.key, one.means, sum(n for (on, _), n in counts.items() if on in _waited_on(one.key))))
    filters.append(("closed", "Closed", closed))
    if show not in {key for key, _, _ in filters}:
        raise RefusedError(404, "There is no such list of cases.", "Choose one of the lists.")
    keys = () if show in ("open", "unsafe") else _waited_on(show)
    chosen = closed_cases(db, page) if show == "closed" else open_cases(db, keys, show == "unsafe", page)
    rows = [case_row(case) for case in cases_by(db, chosen.refs)]
    return render("cases.html", CasesPage("cases", show, filters, rows, chosen))


def _waited_on(key: str) -> tuple[str, ...]:
    """A case of which nobody said whom it waits for waits for whoever looks."""
    return ("me", "") if key == "me" else (key,)


@router.get("/sessions")
def list_sessions(db: Database, show: str = "all", page: int = 1) -> Response:
    """A page of sessions, the last recorded first. show: all | loose, those in no case."""
    if show not in ("all", "loose"):
        raise RefusedError(404, "There is no such list of sessions.", "Choose one of the lists.")
    chosen = sessions_listed(db, show == "loose", page)
    rows = [session_row(s) for s in sessions_by(db, chosen.refs)]
    return render("sessions.html", SessionsPage("cases", show, rows, chosen))


@router.get("/cases/{number}")
def one_case(request: Request, db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    stands = standing_of(case)
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
        causes=_causes_in_order(stands),
        photos=[shown for of_step in photographs_in(db, case).values() for shown in of_step],
        codes_after=asks_codes_after(case),
        pairs=bool(pairs_of(case)),
        course=_course(db, case),
        learnt=notes_of(db, pieces_in(db, case)[case.id]),
        stands=stands,
        unsafe=unsafe(case),
        warned=warned(case),
        by_name=name_of(request),
    )
    return render("case.html", page)


def _with_danger(told: EarlierVerdict | StoredJudgement) -> str:
    return f"Danger. {told.verdict}" if told.danger else told.verdict


_TURNS = {"repair": "Repair", "closing": "Closed", "cause": "It was"}
_MOST_TURNS = 60


def _course(db: Database, case: Case) -> list[Said]:
    """What was said of its sessions and what was done, in order: nothing that was said before is lost."""
    sessions = {s.id: s for s in case.sessions}
    found = []
    for v in earlier_verdicts(db, *sessions, most=_MOST_TURNS):
        found.append(Said(v.made_at, _with_danger(v), sessions[v.session_id], v.why))
    found += [Said(s.judgement.made_at, _with_danger(s.judgement), s) for s in case.sessions if s.judgement]
    for o in case.observations:
        if o.kind in _TURNS and (noted := _noted(o)):
            struck = f" (struck out by {o.struck_by})" if o.struck_by else ""
            found.append(Said(o.made_at, f"{noted.what}: {noted.says}{struck}"))
    return sorted(found, key=lambda said: said.at)[-_MOST_TURNS:]


def _causes_in_order(stands: Standing) -> list[tuple[str, str]]:
    """(code, title) of every cause, those that lead first."""
    leading = [code for code, _, _ in stands.causes]
    return [(c.code, c.title) for c in sorted(CAUSES, key=lambda c: leading.index(c.code) if c.code in leading else 99)]


_NOTED_WORDS = {"repair": "Repair", "code": "Stored code", "closing": "Closed without proof", "note": "Note"}


def _noted(o: Observation) -> Noted | None:
    """Repairs, codes, notes, looks at contacts and what it was; the checklist lists its own entries."""
    if o.kind == "cause" and o.place in CAUSE_BY_CODE:
        return Noted(o, "It was", f"{CAUSE_BY_CODE[o.place].title}.")
    if o.kind == "closing" and o.place in ENDING_BY_KEY:
        return Noted(o, f"Closed, {ENDING_BY_KEY[o.place].title.lower()}", o.text)
    if o.kind in STAMPS:
        return Noted(o, "Stamped", STAMPS[o.kind].words + (f", “{o.text}”" if o.text else ""))
    if o.kind == "pin":
        pin, where = place_words(o.place)
        seen = CONDITIONS[o.unit].words if o.unit in CONDITIONS else o.unit
        return Noted(o, f"{pin} of the {where}", f"{seen}{f', “{o.text}”' if o.text else ''}")
    if o.kind in _NOTED_WORDS:
        return Noted(o, _NOTED_WORDS[o.kind] + (f" ({o.place})" if o.place else ""), o.text)
    return None


class NoteForm(BaseModel):
    """Something noted on a case. part: of a repair, what was changed; who: who did it, where it was not who notes it."""

    model_config = ConfigDict(str_strip_whitespace=True)

    kind: str = Field(pattern="^(repair|code|note)$")
    text: str = Field(min_length=1, max_length=420)
    part: str = Field("", max_length=80)
    who: str = Field("", max_length=60)
    by_name: str = Field(min_length=1, max_length=80)


@router.post("/cases/{number}/notes")
def note(db: Database, number: int, form: Annotated[NoteForm, Form()], typed: TypedEarlier) -> Response:
    """Note a repair, a stored code or anything else; a repair makes every earlier proof stale."""
    case = case_or_404(db, number)
    text, part = form.text, ""
    if typed.is_there(db):
        return RedirectResponse(f"/cases/{number}", 303)
    if form.kind == "repair":  # what was found before it says nothing of what comes after
        ask(*case.sessions)
        text, part = f"{text}; done by {form.who}" if form.who else text, form.part
    kept = {"place": part, "text": text, "by_name": form.by_name, "made_at": typed.moment}
    db.add(Observation(case_id=case.id, kind=form.kind, **kept))
    return signed(RedirectResponse(f"/cases/{number}", 303), form.by_name)


@router.post("/cases/{number}")
def change_case(db: Database, number: int, form: Annotated[CaseForm, Form()]) -> Response:
    case = case_or_404(db, number)
    for key, value in form.columns().items():
        setattr(case, key, value)
    if case.state == "open":
        form.set_waiting(case)
    return RedirectResponse(f"/cases/{number}", 303)


class EndForm(BaseModel):
    """How a case closes. cause: what it was, where somebody knows."""

    model_config = ConfigDict(str_strip_whitespace=True)

    state: str = Field(pattern="^(open|closed)$")
    ending: str = "mended"
    why: str = Field("", max_length=300)
    cause: str = Field("", max_length=60)
    codes_after: str = Field("", pattern="^(|yes|no|unclear)$")
    back_on: OptionalDay = None
    by_name: str = Field("", max_length=80)


@router.post("/cases/{number}/state")
def change_state(db: Database, number: int, form: Annotated[EndForm, Form()]) -> Response:
    """Close or reopen. Mended is what is proven; otherwise it closes as something else, with a reason. The cause counts for
    later cases of the same vehicle or post."""
    case = case_or_404(db, number)
    if form.state == "open":
        reopen_case(case)
        return RedirectResponse(f"/cases/{number}", 303)
    if form.cause and form.cause not in CAUSE_BY_CODE:
        raise RefusedError(422, "That is no cause known here.", "Choose one from the list, or leave it open.")
    ending = ENDING_BY_KEY.get(form.ending)
    if ending is None:
        raise RefusedError(422, "A case cannot close like that.", "Choose how it ends.")
    held = unsafe(case)
    why_not = refusal(ending, unproven(proofs_of(case)), held.says if held else "", form.why, form.back_on is not None)
    if why_not:
        text = f"{why_not}. Nothing was closed."
        raise RefusedError(409, text, "Say what is missing, or close it as what it is.")
    if asks_codes_after(case) and ending.proven:
        if not form.codes_after:
            text = "Nobody said whether the stored codes are gone. Nothing was closed."
            raise RefusedError(409, text, "Read them again and say so; say that it cannot be told where it cannot.")
        if form.codes_after == "no":
            text = "Stored codes are still there, or new ones came. It is not proven mended, and nothing was closed."
            raise RefusedError(409, text, "Follow what they name, or close it as what it is.")
        kept = {"place": "codes_after", "unit": form.codes_after, "by_name": form.by_name}
        db.add(Observation(case_id=case.id, kind="step", **kept))
    if form.why:
        db.add(Observation(case_id=case.id, kind="closing", place=ending.key, text=form.why, by_name=form.by_name))
    if form.cause:
        db.add(Observation(case_id=case.id, kind="cause", place=form.cause, by_name=form.by_name))
    close_case(case, ending.key, form.back_on if ending.day else None)
    return signed(RedirectResponse(f"/cases/{number}", 303), form.by_name)


@router.post("/sessions/{number}/place")
def name_and_move(
    db: Database,
    number: int,
    title: Annotated[str, Form(min_length=1, max_length=200)],
    case: Annotated[str, Form(pattern=r"^\s*\d{0,9}\s*$")] = "",
    by_name: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """Rename a session, or move it: into another case, or out of any. Where it was stays on record in both cases."""
    session = charging_session(db, number)
    if session is None:
        raise RefusedError(404, f"There is no session {number}.", "Look through the list of sessions.")
    before, wanted = session.case, case_or_404(db, int(case)) if case.strip() else None
    session.title = title.strip() or session.title
    if wanted is not before:
        if wanted is not None and wanted.state != "open":
            raise RefusedError(409, f"Case {wanted.id} is closed. Nothing was moved.", "Open that case again first.")
        ask(*{s.id: s for c in (before, wanted) if c for s in (*c.sessions, session)}.values())
        for where, said in ((before, "moved away"), (wanted, "moved here")):
            if where is not None:
                text = f"Session {number}, “{session.title[:120]}”, was {said}."
                db.add(Observation(case_id=where.id, kind="note", text=text, by_name=by_name))
        session.case = wanted
    return signed(RedirectResponse(f"/sessions/{number}", 303), by_name)
