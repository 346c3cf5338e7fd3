"""The swap table of a case: every session and attempt by what took part, what the fault follows, what to try next."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.swaps import PARTS, Attempt, Came, Cell, Follows, Part, follows, next_cell
from gladwire.store.models import Case, Observation
from gladwire.web.case_view import TriedWith, attempts_of, standing, unsafe
from gladwire.web.errors import RefusedError
from gladwire.web.pages.cases import case_or_404
from gladwire.web.pages.session import session_or_404
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render

router = APIRouter()
TITLES = {"vehicle": "Vehicle", "post": "Post", "lead": "Lead", "adapter": "Adapter", "software": "Software version"}
_UNKNOWN = "not noted"
_MOST_KEPT = 500
LENGTHS = {"vehicle": 60, "post": 60, "lead": 40, "adapter": 40, "software": 30}


@dataclass(frozen=True)
class Try:
    """One attempt in a cell. with_: what else took part. session: its number, None for one without a capture."""

    came: Came
    with_: str
    session: int | None
    text: str


@dataclass(frozen=True)
class SessionOpen:
    """A session of which it is not noted what took part."""

    id: int
    title: str
    parts: Mapping[Part, str]


@dataclass(frozen=True)
class SwapsPage:
    """grid: by vehicle and post, the tries of each cell. unsafe: what can hurt; nothing is
    proposed while it stands. offered: what the form begins with."""

    area: str
    case: Case
    vehicles: list[str]
    posts: list[str]
    grid: dict[tuple[str, str], list[Try]]
    follows: tuple[Follows, ...]
    next: Cell | None
    unsafe: str
    offered: dict[str, str]
    titles: dict[str, str]
    lengths: dict[str, int]
    known: dict[Part, list[str]]
    noted: list[Observation]
    open_: list[SessionOpen]
    by_name: str


@router.get("/cases/{number}/swaps")
def swaps(request: Request, db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    tried = attempts_of(case)
    attempts = [t.attempt for t in tried]
    grid: dict[tuple[str, str], list[Try]] = {}
    for t in tried:
        vehicle, post = (t.attempt.parts.get(part, "") or _UNKNOWN for part in ("vehicle", "post"))
        grid.setdefault((vehicle, post), []).append(Try(t.attempt.came, _others(t.attempt), t.session, t.text))
    held = unsafe(case)
    wanted = None if held else next_cell(attempts)
    offered = dict(wanted.parts) if wanted else {"vehicle": case.vehicle, "post": case.post}
    page = SwapsPage(
        "cases",
        case,
        list(dict.fromkeys(v for v, _ in grid)),
        list(dict.fromkeys(p for _, p in grid)),
        grid,
        follows(attempts)[:3],
        wanted,
        held,
        {part: offered.get(part, "")[: LENGTHS[part]] for part in PARTS},
        TITLES,
        LENGTHS,
        {part: sorted({a.parts.get(part, "") for a in attempts} - {""}) for part in PARTS},
        standing(case, "attempt"),
        _open(case, tried),
        name_of(request),
    )
    return render("swaps.html", page)


def _open(case: Case, tried: Sequence[TriedWith]) -> list[SessionOpen]:
    titles = {s.id: s.title for s in case.sessions}
    return [
        SessionOpen(t.session, titles[t.session], t.attempt.parts)
        for t in tried
        if t.session is not None and not (t.attempt.parts.get("vehicle") and t.attempt.parts.get("post"))
    ]


def _others(attempt: Attempt) -> str:
    return ", ".join(attempt.parts[p] for p in PARTS if p not in ("vehicle", "post") and attempt.parts.get(p))


class PartsForm(BaseModel):
    """What took part in a plug-in."""

    model_config = ConfigDict(str_strip_whitespace=True)

    vehicle: str = Field("", max_length=60)
    post: str = Field("", max_length=60)
    lead: str = Field("", max_length=40)
    adapter: str = Field("", max_length=40)
    software: str = Field("", max_length=30)
    by_name: str = Field(min_length=1, max_length=80)

    def kept(self, **more: str) -> str:
        """As it is kept. Raises RefusedError where it names nothing, or more than is kept."""
        parts = {part: named for part in PARTS if (named := getattr(self, part))}
        if not parts:
            raise RefusedError(422, "Nothing that took part was named.", "Say at least the vehicle or the post.")
        text = json.dumps({**parts, **more}, ensure_ascii=False)
        if len(text) > _MOST_KEPT:
            raise RefusedError(422, "That is more than one attempt can hold.", "Use shorter names.")
        return text


class AttemptForm(PartsForm):
    """One plug-in without a capture: what took part, and what came of it."""

    came: Came
    text: str = Field("", max_length=100)


@router.post("/cases/{number}/attempts")
def attempt(db: Database, number: int, form: Annotated[AttemptForm, Form()]) -> Response:
    """Note an attempt; what the fault follows is worked out anew."""
    case = case_or_404(db, number)
    kept = form.kept(said=form.text)
    db.add(Observation(case_id=case.id, kind="attempt", unit=form.came, text=kept, by_name=form.by_name))
    return signed(RedirectResponse(f"/cases/{number}/swaps", 303), form.by_name)


@router.post("/sessions/{number}/parts")
def took_part(db: Database, number: int, form: Annotated[PartsForm, Form()]) -> Response:
    """Say what took part in a session of a case."""
    session = session_or_404(db, number)
    if session.case_id is None:
        raise RefusedError(409, "This session belongs to no case yet.", "Make a case of it first.")
    db.add(Observation(session_id=session.id, kind="parts", text=form.kept(), by_name=form.by_name))
    return signed(RedirectResponse(f"/cases/{session.case_id}/swaps", 303), form.by_name)
