"""The swap table of a case: every session and attempt by what took part, what the fault follows, what to try next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Self

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, ConfigDict, Field, model_validator
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.attempt import REACHED, REACHED_BY_KEY, START_BY_KEY, STARTS, Start, Told
from gladwire.core.case.campaign import Table, Trial, table_of
from gladwire.core.case.swaps import PARTS, Attempt, Came, Cell, Follows, Part, follows, next_cell
from gladwire.core.session.marks import Who
from gladwire.store.equipment import remember_marks
from gladwire.store.judgements import ask
from gladwire.store.models import Attempt as Kept
from gladwire.store.models import Case, Equipment, Observation, TakesPart
from gladwire.web.errors import RefusedError
from gladwire.web.forms import refused
from gladwire.web.pages.cases import case_or_404
from gladwire.web.pages.session import session_or_404
from gladwire.web.sent import TypedEarlier
from gladwire.web.services import Database
from gladwire.web.session_view import session_view
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render
from gladwire.web.took_part import TITLES, known_names
from gladwire.work.cases import TriedWith, Unsafe, attempts_of, named_by, take_part, unsafe

router = APIRouter()


@dataclass(frozen=True)
class SessionOpen:
    """A session of which it is not noted what took part."""

    id: int
    title: str
    parts: Mapping[Part, str]


@dataclass(frozen=True)
class SwapsPage:
    """table: what was tried with what. wanted: the cell to fill next. unsafe: what can hurt; nothing is
    proposed while it stands. offered: what the form begins with."""

    area: str
    case: Case
    table: Table
    wanted: tuple[str, str] | None
    follows: tuple[Follows, ...]
    next: Cell | None
    unsafe: Unsafe | None
    offered: dict[Part, str]
    titles: dict[Part, str]
    known: dict[Part, list[str]]
    noted: list[Kept]
    starts: tuple[Start, ...]
    reached: tuple[Told, ...]
    open_: list[SessionOpen]
    by_name: str


@router.get("/cases/{number}/swaps")
def swaps(request: Request, db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    tried = attempts_of(case)
    attempts = [t.attempt for t in tried]
    trials = [(t.attempt, Trial(t.attempt.came, t.stage, t.text, t.session)) for t in tried]
    table = table_of(trials)
    held = unsafe(case)
    wanted = None if held and not held.before_repair else next_cell(attempts)
    offered: Mapping[Part, str] = wanted.parts if wanted else _last_named(case, attempts)
    page = SwapsPage(
        "cases",
        case,
        table,
        _wanted_cell(table, wanted),
        follows(attempts)[:3],
        wanted,
        held,
        {part: offered.get(part, "") for part in PARTS},
        TITLES,
        known_names(db, attempts),
        [one for one in case.attempts if not one.struck_by],
        STARTS,
        REACHED,
        _open(case, tried),
        name_of(request),
    )
    return render("swaps.html", page)


def _last_named(case: Case, attempts: Sequence[Attempt]) -> Mapping[Part, str]:
    """What took part last: most often only one thing is changed."""
    return attempts[-1].parts if attempts and attempts[-1].parts else named_by(case)


def _open(case: Case, tried: Sequence[TriedWith]) -> list[SessionOpen]:
    titles = {s.id: s.title for s in case.sessions}
    return [
        SessionOpen(t.session, titles[t.session], t.attempt.parts)
        for t in tried
        if t.session is not None and not (t.attempt.parts.get("vehicle") and t.attempt.parts.get("post"))
    ]


def _wanted_cell(table: Table, wanted: Cell | None) -> tuple[str, str] | None:
    column = table.column_for(wanted.parts) if wanted else None
    return (wanted.parts.get(table.row_part, ""), column) if wanted and column else None


class PartsForm(BaseModel):
    """What took part in a plug-in."""

    model_config = ConfigDict(str_strip_whitespace=True)

    vehicle: str = Field("", max_length=120)
    post: str = Field("", max_length=240)
    lead: str = Field("", max_length=120)
    adapter: str = Field("", max_length=120)
    controller: str = Field("", max_length=120)
    software: str = Field("", max_length=30)
    back: str = ""
    by_name: str = Field(min_length=1, max_length=80)

    def parts(self) -> dict[Part, str]:
        """Raises RefusedError where nothing is named."""
        parts = {part: named for part in PARTS if (named := getattr(self, part))}
        if not parts:
            raise RefusedError(422, "Nothing that took part was named.", "Say at least the vehicle or the post.")
        return parts


class AttemptForm(PartsForm):
    """One plug-in without a capture: what took part, and what came of it."""

    came: Came
    start: str = ""
    stage: str = ""
    text: str = Field("", max_length=300)

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.start and self.start not in START_BY_KEY:
            raise ValueError("a way to begin from the list was expected")
        if self.stage and self.stage not in REACHED_BY_KEY:
            raise ValueError("a stage from the list was expected")
        return self


@router.post("/cases/{number}/attempts")
def attempt(db: Database, number: int, form: Annotated[AttemptForm, Form()], typed: TypedEarlier) -> Response:
    """Note an attempt; what the fault follows is worked out anew. Whatever was named for the first time becomes a piece of
    equipment."""
    case = case_or_404(db, number)
    if typed.is_there(db):
        return RedirectResponse(f"/cases/{number}/swaps", 303)
    ask(*case.sessions)
    kept = Kept(
        case_id=case.id, came=form.came, start=form.start, stage=form.stage, said=form.text, by_name=form.by_name
    )
    kept.made_at = typed.moment
    _take_part(db, kept, form)
    db.add(kept)
    return signed(RedirectResponse(f"/cases/{number}/swaps", 303), form.by_name)


def _take_part(db: Database, tried: TakesPart, form: PartsForm, whole: bool = False) -> None:
    try:
        take_part(db, tried, form.parts(), form.by_name, whole)
    except ValueError as error:
        raise refused(error) from error


@router.post("/attempts/{number}/strike")
def strike(db: Database, number: int, by_name: Annotated[str, Form(min_length=1, max_length=80)]) -> Response:
    """Strike out an attempt: it stays on record and counts no more."""
    kept = db.get(Kept, number)
    if kept is None:
        raise RefusedError(404, f"There is no attempt {number}.", "Go back to its case.")
    ask(*kept.case.sessions)
    kept.struck_by = by_name
    return signed(RedirectResponse(f"/cases/{kept.case_id}/swaps", 303), by_name)


@router.post("/sessions/{number}/parts")
def took_part(db: Database, number: int, form: Annotated[PartsForm, Form()]) -> Response:
    """Say what took part in a session; who said it and when stays on record."""
    session = session_or_404(db, number)
    ask(*(session.case.sessions if session.case else [session]))
    _take_part(db, session, form, whole=form.back != "swaps")
    view = session_view(session)
    marks = view.marks if view else ()
    sides: tuple[tuple[Who, Equipment | None], ...] = (
        ("vehicle", session.vehicle),
        ("post", session.stall),
        ("controller", session.controller),
    )
    for side, piece in sides:
        if piece is not None:
            remember_marks(db, piece, [mark.key for mark in marks if mark.of == side], form.by_name)
    text = ", ".join(form.parts().values())[:500]
    db.add(Observation(session_id=session.id, kind="parts", text=text, by_name=form.by_name))
    where = (
        f"/cases/{session.case_id}/swaps"
        if session.case_id and form.back == "swaps"
        else f"/sessions/{number}#took-part"
    )
    return signed(RedirectResponse(where, 303), form.by_name)
