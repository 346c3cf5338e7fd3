"""Visits: what waits to be done, by place, with one kit for all of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.case.intake import Kit, kit_of
from gladwire.core.case.visit import Advice, Bay, kept_free, merged, place_of, reference
from gladwire.core.power.equipment import feeds_of
from gladwire.store.cases import cases_by
from gladwire.store.equipment import all_equipment, details_of, label_of
from gladwire.store.listed import waiting_posts
from gladwire.store.model_notes import notes_of, pieces_in
from gladwire.store.models import Case, Equipment, ModelNote
from gladwire.web.errors import RefusedError
from gladwire.web.instruments import Instrument, instruments_for
from gladwire.web.pages.rows import CaseRow, case_row
from gladwire.web.services import Database
from gladwire.web.templating import render
from gladwire.work.cases import plan_of, walk_of
from gladwire.work.history import pairs_of_record

router = APIRouter()
# What one person can carry out of a list; more are another visit.
_MOST_CASES = 15


@dataclass(frozen=True)
class Place:
    """A place with what waits there. unsafe: how many of its cases can hurt somebody."""

    name: str
    cases: int
    unsafe: int


@dataclass(frozen=True)
class VisitsPage:
    area: str
    places: list[Place]
    nowhere: int


@dataclass(frozen=True)
class VisitPage:
    """One place. minutes: of the plans that are chosen; without: cases that have none, whose kit is not known."""

    area: str
    name: str
    rows: list[CaseRow]
    more: int
    minutes: int
    without: list[CaseRow]
    kit: Kit
    due: list[Instrument]
    best: Advice | None
    free: Sequence[Advice]
    learnt: Sequence[ModelNote]


@router.get("/visits")
def visits(db: Database) -> Response:
    """Places with cases that wait for whoever looks, what is unsafe first, then where most waits."""
    sites = _sites(db)
    counted: dict[str, list[int]] = {}
    for _, post, danger in waiting_posts(db):
        seen = counted.setdefault(sites.get(post) or place_of(post), [0, 0])
        seen[0] += 1
        seen[1] += danger
    nowhere = counted.pop("", [0, 0])[0]
    places = [Place(name, *counts) for name, counts in counted.items()]
    places.sort(key=lambda p: (-p.unsafe, -p.cases, p.name))
    return render("visits.html", VisitsPage("today", places, nowhere))


def _sites(db: Database) -> Mapping[str, str]:
    """Site by how a stall is named."""
    found: dict[str, str] = {}
    for stall in all_equipment(db, "stall"):
        if stall.site:
            found[label_of(stall)] = stall.site
            found.setdefault(stall.name, stall.site)
    return found


@router.get("/visits/{name:path}")
def visit(db: Database, name: str) -> Response:
    """One place: its cases in order, the kit for all of them, and which bays to use and to keep free."""
    sites = _sites(db)
    numbers = [number for number, post, _ in waiting_posts(db) if (sites.get(post) or place_of(post)) == name]
    if not numbers:
        raise RefusedError(404, f"Nothing waits at “{name}”.", "Look through the visits.")
    cases = cases_by(db, numbers[:_MOST_CASES], whole=True)
    plans = [(case, plan_of(case), walk_of(case)) for case in cases]
    rows = {case.id: case_row(case) for case in cases}
    pieces = pieces_in(db, *cases)
    about = {stall.id for case in cases for stall in _posts_of(case, pieces[case.id])}
    bays = _bays(db, name, about)
    hardest = next((plan for _, plan, _ in plans if plan and not plan.ac), None) or next(
        (p for _, p, _ in plans if p), None
    )
    page = VisitPage(
        area="today",
        name=name,
        rows=list(rows.values()),
        more=len(numbers) - len(cases),
        minutes=sum(found.minutes for _, _, found in plans if found),
        without=[rows[case.id] for case, plan, _ in plans if plan is None],
        kit=merged(kit_of(plan, found) for _, plan, found in plans if plan and found),
        due=[one for one in instruments_for(db, hardest) if one.wrong],
        best=reference(bays),
        free=kept_free(bays),
        learnt=notes_of(db, [piece for of_case in pieces.values() for piece in of_case]),
    )
    return render("visit.html", page)


def _bays(db: Database, site: str, about: Set[int]) -> list[Bay]:
    stalls = all_equipment(db, "stall", site)
    tried: dict[int, list[int]] = {}
    for pair in pairs_of_record(db) if stalls else ():
        seen = tried.setdefault(pair.stall, [0, 0])
        seen[0] += pair.tries
        seen[1] += pair.failed
    found = []
    for stall in stalls:
        details = details_of(stall)
        count, failed = tried.get(stall.id, (0, 0))
        proven = bool(details.get("proven"))
        found.append(Bay(stall.name, count, failed, frozenset(feeds_of(details)), proven, stall.id in about))
    return found


def _posts_of(case: Case, pieces: Sequence[Equipment]) -> list[Equipment]:
    """The stall a case is about: the one it names, else those it was tried at and failed."""
    stalls = [piece for piece in pieces if piece.kind == "stall"]
    named = [piece for piece in stalls if case.post in (piece.name, label_of(piece))]
    return named or stalls
