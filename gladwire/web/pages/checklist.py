"""The checklist of a case: dead tests and captured plug-ins in order, each with the reading expected."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.checklist.plan import BY_PLAN, PLANS, Place, Plan, walk
from gladwire.core.case.checklist.step import SKIP, Entry
from gladwire.core.case.checklist.steps import BY_KEY as STEPS
from gladwire.store.judgements import ask
from gladwire.store.models import Case, Observation
from gladwire.web.case_view import entries_of, plan_of, standing, unsafe
from gladwire.web.charts.faces import Face, face
from gladwire.web.errors import RefusedError
from gladwire.web.forms import reading_in
from gladwire.web.pages.cases import case_or_404
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render, sentence

router = APIRouter()


@dataclass(frozen=True)
class PlaceRow:
    """A step with what was entered and the face of the connector it speaks of. struck: what was entered and struck out."""

    place: Place
    entry: Entry | None
    observation: Observation | None
    face: Face | None
    struck: list[Observation]


@dataclass(frozen=True)
class ChecklistPage:
    area: str
    case: Case
    plans: tuple[Plan, ...]
    plan: Plan | None
    rows: list[PlaceRow]
    minutes: int
    unsafe: str
    by_name: str


@router.get("/cases/{number}/checklist")
def checklist(request: Request, db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    plan = plan_of(case)
    connector = request.cookies.get("connector", "type2")
    rows = _rows(case, plan, connector) if plan else []
    left = sum(r.place.step.test.minutes for r in rows if r.place.state in ("now", "later"))
    return render(
        "checklist.html", ChecklistPage("cases", case, PLANS, plan, rows, left, unsafe(case), name_of(request))
    )


def _rows(case: Case, plan: Plan, connector: str) -> list[PlaceRow]:
    entries = entries_of(case)
    noted = {o.place: o for o in standing(case, "step")}
    found = []
    for place in walk(plan, entries):
        contacts = place.step.contacts if place.state == "now" else ()
        drawn = _face(connector, contacts) if contacts else None
        struck = [o for o in case.observations if o.kind == "step" and o.struck_by and o.place == place.step.key]
        found.append(PlaceRow(place, entries.get(place.step.key), noted.get(place.step.key), drawn, struck))
    return found


def _face(connector: str, contacts: tuple[str, ...]) -> Face:
    try:
        return face(connector, marked=contacts)
    except KeyError:  # a connector of an older cookie
        return face("type2", marked=contacts)


@router.post("/cases/{number}/checklist")
def choose(db: Database, number: int, plan: Annotated[str, Form()]) -> Response:
    """Choose the checklist of a case; entries already made keep counting."""
    case = case_or_404(db, number)
    if plan not in BY_PLAN:
        raise RefusedError(422, "That is no checklist known here.", "Choose one from the list.")
    db.add(Observation(case_id=case.id, kind="plan", place=plan))
    return RedirectResponse(f"/cases/{number}/checklist", 303)


class EntryForm(BaseModel):
    """A reading of one step: a number where it has a unit, else one of its answers."""

    model_config = ConfigDict(str_strip_whitespace=True)

    step: str
    value: str = Field("", max_length=40)
    open: bool = False
    answer: str = Field("", max_length=12)
    text: str = Field("", max_length=300)
    by_name: str = Field(min_length=1, max_length=80)


# What a meter shows as over range: more than any contact has.
_OPEN_OHM = 1e9


@router.post("/cases/{number}/checklist/entries")
def enter(db: Database, number: int, form: Annotated[EntryForm, Form()]) -> Response:
    """Enter a reading; what follows is worked out anew."""
    case = case_or_404(db, number)
    step = STEPS.get(form.step)
    if step is None:
        raise RefusedError(422, f"There is no step “{form.step}”.", "Enter it on the checklist.")
    skipped = form.answer == SKIP
    try:
        value = _OPEN_OHM if form.open and step.unit == "Ω" else reading_in(form.value, step.unit)
    except ValueError as error:
        raise RefusedError(422, sentence(str(error)), f"Enter what the meter shows, in {step.unit}.") from error
    if step.unit and value is None and not skipped:
        raise RefusedError(422, f"“{step.title}” needs a number in {step.unit}.", "Enter what the meter shows.")
    if not step.unit and form.answer not in {SKIP, *(key for key, _ in step.answers)}:
        raise RefusedError(422, f"“{step.title}” needs one of its answers.", "Choose one.")
    entered = Observation(
        case_id=case.id,
        kind="step",
        place=step.key,
        value=value if step.unit and not skipped else None,
        unit=SKIP if skipped else step.unit or form.answer,
        text=form.text,
        by_name=form.by_name,
    )
    db.add(entered)
    for session in case.sessions if step.test.owners else ():  # whose fault it is, counts for all of them
        ask(session)
    if step.key == "codes" and form.text:
        db.add(Observation(case_id=case.id, kind="code", text=form.text, by_name=form.by_name))
    return signed(RedirectResponse(f"/cases/{number}/checklist#{step.key}", 303), form.by_name)
