"""The checklist of a case: dead tests and captured plug-ins in order, each with the reading expected."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, NamedTuple
from urllib.parse import urlencode

from fastapi import APIRouter, Form, Query, Request
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, field_validator
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.checklist.asked_about import asked_about
from gladwire.core.case.checklist.plan import BY_PLAN, PLANS, Plan
from gladwire.core.case.checklist.step import SKIP, Entry
from gladwire.core.case.checklist.steps import step_of
from gladwire.core.case.checklist.walk import Place, Walk
from gladwire.core.case.intake import Warned
from gladwire.core.diagnosis.cause import OwnerShare
from gladwire.core.diagnosis.ranking import owners_of
from gladwire.core.diagnosis.situation import Situation
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import TOOLS
from gladwire.store.equipment import piece_of
from gladwire.store.judgements import ask
from gladwire.store.models import Case, Observation
from gladwire.web.charts.faces import Face, face
from gladwire.web.errors import RefusedError
from gladwire.web.forms import reading_in
from gladwire.web.instruments import Instrument, instruments_for
from gladwire.web.pages.cases import case_or_404, photographs_in
from gladwire.web.pages.rows import SessionRow, session_row
from gladwire.web.sent import TypedEarlier
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render, sentence
from gladwire.work.cases import (
    Unsafe,
    entry_of,
    plan_of,
    repaired_at,
    situation_of,
    steps_noted,
    unsafe,
    walk_of,
    warned,
)

router = APIRouter()


@dataclass(frozen=True)
class PlaceRow:
    """A step with what was entered and the face of the connector it speaks of. struck: what was entered and struck out;
    captured: sessions that were captured for it, the newest first."""

    place: Place
    entry: Entry | None
    observation: Observation | None
    face: Face | None
    struck: list[Observation]
    photos: list[tuple[Observation, int]]
    captured: list[SessionRow]


class InDoubt(NamedTuple):
    """A reading that is asked about before it counts: as it was typed, and the question."""

    step: str
    value: str
    text: str
    question: str


@dataclass(frozen=True)
class ChecklistPage:
    """done: what was entered or captured; next: what is open, the first is now; rest: what waits or is not needed."""

    area: str
    case: Case
    plans: tuple[Plan, ...]
    plan: Plan | None
    walk: Walk | None
    done: list[PlaceRow]
    next: list[PlaceRow]
    rest: list[PlaceRow]
    owners: tuple[OwnerShare, ...]
    situation: Situation
    tools: Mapping[str, str]
    repaired: datetime | None
    unsafe: Unsafe | None
    warned: Warned | None
    doubt: InDoubt | None
    instruments: list[Instrument]
    by_name: str

    @property
    def open_(self) -> float:
        """The share of causes nobody has listed."""
        return max(0.0, 1.0 - sum(w.share for w in self.walk.ranked)) if self.walk else 1.0


@router.get("/cases/{number}/checklist")
def checklist(
    request: Request,
    db: Database,
    number: int,
    step: Annotated[str, Query(max_length=40)] = "",
    value: Annotated[str, Query(max_length=40)] = "",
    text: Annotated[str, Query(max_length=300)] = "",
) -> Response:
    """The steps; with step and value given, a reading that was typed and is asked about before it counts."""
    case = case_or_404(db, number)
    found = walk_of(case)
    rows = _rows(db, case, found, request.cookies.get("connector", "type2")) if found else []
    page = ChecklistPage(
        area="cases",
        case=case,
        plans=PLANS,
        plan=plan_of(case),
        walk=found,
        done=[r for r in rows if r.place.state == "done"],
        next=[r for r in rows if r.place.state in ("now", "later")],
        rest=[r for r in rows if r.place.state in ("waits", "not_needed")],
        owners=owners_of(found.ranked) if found else (),
        situation=situation_of(case),
        tools=TOOLS,
        repaired=max(repaired_at(case), default=None),
        unsafe=unsafe(case),
        warned=warned(case),
        doubt=InDoubt(step, value, text, _question(step, value)) if step and value else None,
        instruments=instruments_for(db, plan_of(case)),
        by_name=name_of(request),
    )
    return render("checklist.html", page)


@router.get("/readings/asked")
def asked(step: str, value: str = "") -> Response:
    """What is asked of a reading as it is typed; an empty answer where nothing is."""
    return render("checklist/asked.html", InDoubt(step, value, "", _question(step, value)))


def _question(key: str, typed: str) -> str:
    if key not in TESTS:
        return ""
    step = step_of(key)
    if step.unit == "Ω" and typed.strip().casefold().replace(".", "") in _OPEN_WORDS:
        return ""
    try:
        value = reading_in(typed, step.unit)
    except ValueError as error:
        return sentence(str(error))
    return asked_about(step, value, typed) if value is not None and step.unit else ""


def _rows(db: Database, case: Case, found: Walk, connector: str) -> list[PlaceRow]:
    noted, shown = steps_noted(case), photographs_in(db, case)
    rows = []
    for place in found.places:
        key = place.step.key
        contacts = place.step.contacts if place.state == "now" else ()
        drawn = _face(connector, contacts) if contacts else None
        struck = [o for o in case.observations if o.kind == "step" and o.struck_by and o.place == key]
        entry = entry_of(noted[key]) if key in noted else None
        captured = [session_row(session) for session in reversed(case.sessions) if session.step == key]
        rows.append(PlaceRow(place, entry, noted.get(key), drawn, struck, shown.get(key, []), captured))
    return rows


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
    sure: bool = False
    instrument: Annotated[int | None, BeforeValidator(lambda value: value or None)] = None
    answer: str = Field("", max_length=12)
    text: str = Field("", max_length=300)
    by_name: str = Field(min_length=1, max_length=80)


# What a meter shows as over range: more than any contact has.
_OPEN_OHM = 1e9


def _is_open(form: EntryForm) -> bool:
    return form.open or form.value.casefold().replace(".", "") in _OPEN_WORDS


# As meters show over range, and people write it.
_OPEN_WORDS = ("ol", "0l", "0f", "of", "∞", "inf", "open", "over range")


@router.post("/cases/{number}/checklist/entries")
def enter(db: Database, number: int, form: Annotated[EntryForm, Form()], typed: TypedEarlier) -> Response:
    """Enter a reading; what follows is worked out anew. One that is odd is asked about first, and counts once somebody is
    sure."""
    case = case_or_404(db, number)
    if form.step not in TESTS:
        raise RefusedError(422, f"There is no step “{form.step}”.", "Enter it on the checklist.")
    step = step_of(form.step)
    skipped = form.answer == SKIP
    try:
        value = _OPEN_OHM if _is_open(form) and step.unit == "Ω" else reading_in(form.value, step.unit)
    except ValueError as error:
        raise RefusedError(422, sentence(str(error)), f"Enter what the meter shows, in {step.unit}.") from error
    if step.unit and value is None and not skipped:
        raise RefusedError(422, f"“{step.title}” needs a number in {step.unit}.", "Enter what the meter shows.")
    odd = asked_about(step, value, form.value) if value is not None and value != _OPEN_OHM and not skipped else ""
    if odd and not form.sure and typed.key:
        raise RefusedError(409, f"{sentence(odd)} Nothing was stored.", "Enter it again.")
    if odd and not form.sure:
        back = urlencode({"step": step.key, "value": form.value, "text": form.text})
        return signed(RedirectResponse(f"/cases/{number}/checklist?{back}#{step.key}", 303), form.by_name)
    with_ = piece_of(db, form.instrument)
    if form.instrument and (with_ is None or with_.kind != "instrument"):
        raise RefusedError(422, "That instrument is not known. Nothing was stored.", "Choose one of the list.")
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
        instrument_id=with_.id if with_ and not skipped else None,
        made_at=typed.moment,
    )
    there = RedirectResponse(f"/cases/{number}/checklist#{step.key}", 303)
    if typed.is_there(db):
        return there
    ask(*case.sessions)  # what was found counts for all of them
    db.add(entered)
    if step.key == "codes" and form.text:
        db.add(Observation(case_id=case.id, kind="code", text=form.text, by_name=form.by_name, made_at=typed.moment))
    return signed(there, form.by_name)


class SituationForm(BaseModel):
    """What is at hand, and how far it is: minutes to the post, and from there to another one of its kind."""

    model_config = ConfigDict(str_strip_whitespace=True)

    tools: list[str] = []
    all_tools: bool = False
    away_min: int = Field(0, ge=0, le=600)
    other_post_min: int = Field(0, ge=0, le=600)
    by_name: str = Field(min_length=1, max_length=80)

    @field_validator("tools")
    @classmethod
    def _known(cls, value: list[str]) -> list[str]:
        if any(tool not in TOOLS for tool in value):
            raise ValueError("tools from the list were expected")
        return value


@router.post("/cases/{number}/situation")
def situation(db: Database, number: int, form: Annotated[SituationForm, Form()]) -> Response:
    """Say what is at hand and how far it is; the order of what comes follows."""
    case = case_or_404(db, number)
    tools = None if form.all_tools else sorted(form.tools)
    kept = {"tools": tools, "away_min": form.away_min, "other_post_min": form.other_post_min}
    db.add(Observation(case_id=case.id, kind="situation", text=json.dumps(kept), by_name=form.by_name))
    return signed(RedirectResponse(f"/cases/{number}/checklist", 303), form.by_name)
