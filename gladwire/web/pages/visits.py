"""Visits: what waits to be done, by place, with one kit for all of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from datetime import date
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field
from sqlalchemy import select
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.intake import Kit, kit_of
from gladwire.core.case.visit import (
    MOST_STOPS,
    Advice,
    Bay,
    Leg,
    Stop,
    kept_free,
    merged,
    place_of,
    reference,
    route,
)
from gladwire.core.power.equipment import SiteSpec, feeds_of
from gladwire.store.cases import cases_by
from gladwire.store.equipment import all_equipment, details_of, label_of
from gladwire.store.listed import waiting_posts
from gladwire.store.model_notes import notes_of, pieces_in
from gladwire.store.models import Case, Equipment, ModelNote, PlannedVisit, utc_now
from gladwire.web.errors import RefusedError
from gladwire.web.instruments import Instrument, instruments_for
from gladwire.web.pages.rows import CaseRow, case_row
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render
from gladwire.work.cases import plan_of, walk_of
from gladwire.work.history import pairs_of_record

router = APIRouter()
# What one person can carry out of a list; more are another visit.
_MOST_CASES = 15


@dataclass(frozen=True)
class Place:
    """A place with what waits there. unsafe: how many of its cases can hurt somebody; day: on which somebody goes there."""

    name: str
    cases: int
    unsafe: int
    day: date | None


@dataclass(frozen=True)
class VisitsPage:
    """days: (day, names of its places) in order; places without a day come in `places`."""

    area: str
    days: list[tuple[date, list[Place]]]
    places: list[Place]
    nowhere: int


@dataclass(frozen=True)
class Visit:
    """One place. minutes: of the plans that are chosen; without: cases that have none, whose kit is not known; unsafe: how
    many of its cases can hurt somebody."""

    name: str
    rows: list[CaseRow]
    more: int
    minutes: int
    unsafe: int
    without: list[CaseRow]
    kit: Kit
    due: list[Instrument]
    best: Advice | None
    free: Sequence[Advice]
    learnt: Sequence[ModelNote]


@dataclass(frozen=True)
class VisitPage:
    area: str
    visit: Visit
    planned: PlannedVisit | None
    by_name: str


@dataclass(frozen=True)
class DayPage:
    """A day's places in order. km: of all legs that are known; unknown: places whose position nobody noted."""

    area: str
    day: date
    stops: list[tuple[Leg, Visit]]
    km: float
    unknown: list[str]
    minutes: int
    kit: Kit
    due: list[Instrument]


@router.get("/visits")
def visits(db: Database) -> Response:
    """Days somebody goes out on, then places with cases that wait for whoever looks: what is unsafe first, then where most
    waits."""
    places, nowhere = _places(db)
    days: dict[date, list[Place]] = {}
    for place in places:
        if place.day:
            days.setdefault(place.day, []).append(place)
    open_ = [place for place in places if not place.day]
    return render("visits.html", VisitsPage("today", sorted(days.items()), open_, nowhere))


def _places(db: Database) -> tuple[list[Place], int]:
    """(places, how many cases name none)."""
    sites, today = _sites(db), utc_now().date()
    planned = {one.place: one.day for one in db.scalars(select(PlannedVisit).where(PlannedVisit.day >= today))}
    counted: dict[str, list[int]] = {}
    for _, post, danger in waiting_posts(db):
        seen = counted.setdefault(sites.get(post) or place_of(post), [0, 0])
        seen[0] += 1
        seen[1] += danger
    nowhere = counted.pop("", [0, 0])[0]
    places = [Place(name, cases, unsafe, planned.get(name)) for name, (cases, unsafe) in counted.items()]
    return sorted(places, key=lambda p: (-p.unsafe, -p.cases, p.name)), nowhere


class PlanForm(BaseModel):
    """day: on which a place is gone to; empty takes it back."""

    model_config = ConfigDict(str_strip_whitespace=True)

    place: str = Field(min_length=1, max_length=120)
    day: Annotated[date | None, BeforeValidator(lambda value: value or None)] = None
    by_name: str = Field(min_length=1, max_length=80)


@router.post("/visits/plan")
def plan(db: Database, form: Annotated[PlanForm, Form()]) -> Response:
    """Say on which day somebody goes to a place."""
    places, _ = _places(db)
    if form.place not in {place.name for place in places}:
        raise RefusedError(404, f"Nothing waits at “{form.place}”. Nothing was stored.", "Look through the visits.")
    same_day = [place for place in places if place.day == form.day and place.name != form.place]
    if form.day and len(same_day) >= MOST_STOPS:
        problem = f"{form.day:%d %b} has {len(same_day)} places already. Nothing was stored."
        raise RefusedError(422, problem, "Choose another day.")
    kept = db.get(PlannedVisit, form.place)
    if form.day is None:
        if kept:
            db.delete(kept)
    elif kept:
        kept.day, kept.by_name, kept.made_at = form.day, form.by_name, utc_now()
    else:
        db.add(PlannedVisit(place=form.place, day=form.day, by_name=form.by_name))
    there = f"/visits/day/{form.day:%Y-%m-%d}" if form.day else f"/visits/{quote(form.place)}"
    return signed(RedirectResponse(there, 303), form.by_name)


@router.get("/visits/day/{day}")
def one_day(db: Database, day: date) -> Response:
    """A day: its places in order, and one kit for all of them."""
    names = [place.name for place in _places(db)[0] if place.day == day]
    if not names:
        raise RefusedError(404, f"Nobody goes anywhere on {day:%d %b %Y}.", "Look through the visits.")
    at = {e.site or e.name: SiteSpec.model_validate(details_of(e)) for e in all_equipment(db, "site")}
    found = {name: _visit(db, name) for name in names}
    legs = route([Stop(name, _position(at.get(name)), found[name].unsafe > 0) for name in names])
    stops = [(leg, found[leg.name]) for leg in legs]
    due = {one.number: one for _, one_visit in stops for one in one_visit.due}
    page = DayPage(
        area="today",
        day=day,
        stops=stops,
        km=sum(leg.km or 0.0 for leg in legs),
        unknown=[name for name in names if _position(at.get(name)) is None],
        minutes=sum(one_visit.minutes for _, one_visit in stops),
        kit=merged(one_visit.kit for _, one_visit in stops),
        due=list(due.values()),
    )
    return render("visit-day.html", page)


def _position(site: SiteSpec | None) -> tuple[float, float] | None:
    if site is None or site.latitude is None or site.longitude is None:
        return None
    return site.latitude, site.longitude


def _sites(db: Database) -> Mapping[str, str]:
    """Site by how a stall is named."""
    found: dict[str, str] = {}
    for stall in all_equipment(db, "stall"):
        if stall.site:
            found[label_of(stall)] = stall.site
            found.setdefault(stall.name, stall.site)
    return found


@router.get("/visits/{name:path}")
def visit(request: Request, db: Database, name: str) -> Response:
    """One place: its cases in order, the kit for all of them, and which bays to use and to keep free."""
    return render("visit.html", VisitPage("today", _visit(db, name), db.get(PlannedVisit, name), name_of(request)))


def _visit(db: Database, name: str) -> Visit:
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
    return Visit(
        name=name,
        rows=list(rows.values()),
        more=len(numbers) - len(cases),
        minutes=sum(found.minutes for _, _, found in plans if found),
        unsafe=sum(bool(row.unsafe) for row in rows.values()),
        without=[rows[case.id] for case, plan, _ in plans if plan is None],
        kit=merged(kit_of(plan, found) for _, plan, found in plans if plan and found),
        due=[one for one in instruments_for(db, hardest) if one.wrong],
        best=reference(bays),
        free=kept_free(bays),
        learnt=notes_of(db, [piece for of_case in pieces.values() for piece in of_case]),
    )


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
