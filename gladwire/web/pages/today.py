"""Today: a place to drop a capture, and the open cases by whom each waits for."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.case.ending import WAITS
from gladwire.store.cases import cases_by, sessions_by
from gladwire.store.listed import first_waiting, sessions_listed
from gladwire.web.pages.rows import CaseRow, SessionRow, case_row, session_row
from gladwire.web.services import Database, ServicesHere
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class Waiting:
    """Cases that wait for one. rows: the first few; total: of all; key: as a filter of the list of cases."""

    key: str
    title: str
    rows: list[CaseRow]
    total: int


@dataclass(frozen=True)
class TodayPage:
    area: str
    waiting: list[Waiting]
    loose: list[SessionRow]
    loose_total: int
    demo: bool
    # Bytes left on the disk where they are few, else None.
    little_room: int | None


# Below this a day's captures may not fit any more.
_LITTLE_BYTES = 2 * 10**9
_FEW, _MOST_LOOSE = 3, 5


@router.get("/")
def today(db: Database, here: ServicesHere) -> Response:
    free = here.free_bytes()
    first = first_waiting(db, _FEW)
    whole = {case.id: case for case in cases_by(db, [ref for one in first.values() for ref in one.refs])}
    waiting = [
        Waiting(key, title, [case_row(whole[ref]) for ref in first[key].refs], first[key].total)
        for key, title in (("unsafe", "Not safe"), *((one.key, one.means) for one in WAITS))
        if key in first
    ]
    loose = sessions_listed(db, True, 1)
    page = TodayPage(
        "today",
        waiting,
        [session_row(s) for s in sessions_by(db, loose.refs[:_MOST_LOOSE])],
        loose.total,
        here.demo,
        free if free < _LITTLE_BYTES else None,
    )
    return render("today.html", page)
