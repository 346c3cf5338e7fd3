"""Today: a place to drop a capture, open cases and what each waits for."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.store.cases import cases, sessions_without_case
from gladwire.web.pages.rows import CaseRow, SessionRow, case_row, session_row
from gladwire.web.services import Database, ServicesHere
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class TodayPage:
    area: str
    cases: list[CaseRow]
    loose: list[SessionRow]
    demo: bool
    # Bytes left on the disk where they are few, else None.
    little_room: int | None


# Below this a day's captures may not fit any more.
_LITTLE_BYTES = 2 * 10**9


@router.get("/")
def today(db: Database, here: ServicesHere) -> Response:
    free = here.free_bytes()
    room = free if free < _LITTLE_BYTES else None
    loose = [session_row(s) for s in sessions_without_case(db)]
    return render("today.html", TodayPage("today", [case_row(c) for c in cases(db, "open")], loose, here.demo, room))
