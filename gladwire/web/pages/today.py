"""Today: a place to drop a capture, and the open cases by whom each waits for."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.case.ending import WAITS
from gladwire.store.cases import cases_by, sessions_by
from gladwire.store.listed import cases_waiting, counts_of_open, sessions_listed
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
    counts = counts_of_open(db)
    chosen = [
        ("unsafe", "Not safe", cases_waiting(db, (), _FEW, unsafe=True), sum(n for (_, d), n in counts.items() if d))
    ]
    for one in WAITS:
        keys = (one.key, "") if one.key == "me" else (one.key,)
        total = sum(n for (on, danger), n in counts.items() if on in keys and not danger)
        chosen.append((one.key, one.means, cases_waiting(db, keys, _FEW, unsafe=False), total))
    whole = {case.id: case for case in cases_by(db, [row.ref for _, _, rows, _ in chosen for row in rows])}
    waiting = [Waiting(key, title, [case_row(whole[r.ref]) for r in rows], total) for key, title, rows, total in chosen]
    loose = sessions_listed(db, True, 1)
    page = TodayPage(
        "today",
        [one for one in waiting if one.total],
        [session_row(s) for s in sessions_by(db, loose.refs[:_MOST_LOOSE])],
        loose.total,
        here.demo,
        free if free < _LITTLE_BYTES else None,
    )
    return render("today.html", page)
