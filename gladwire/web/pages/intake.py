"""Intake: a complaint as it is told on the telephone, with the plan, what to take along and what to ask for beside it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, NamedTuple

from fastapi import APIRouter, Form, Request
from pydantic import Field, field_validator
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.checklist.plan import BY_PLAN, PLANS, Plan
from gladwire.core.case.checklist.step import Entry, Step
from gladwire.core.case.checklist.steps import step_of
from gladwire.core.case.checklist.walk import Walk, walk
from gladwire.core.case.intake import Kit, Suggested, Warned, kit_of, suggested, warned_by
from gladwire.core.case.proof import MODES, Mode
from gladwire.core.case.standing_out import standing_out
from gladwire.core.case.swaps import Part
from gladwire.core.power.equipment import Kind
from gladwire.store.cases import charging_session, open_cases_naming
from gladwire.store.equipment import all_equipment, label_of
from gladwire.store.judgements import ask
from gladwire.store.model_notes import notes_of
from gladwire.store.models import Case, Equipment, ModelNote, Observation, utc_now
from gladwire.web.errors import RefusedError
from gladwire.web.instruments import Instrument, instruments_for
from gladwire.web.pages.cases import CaseForm
from gladwire.web.services import Database
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render
from gladwire.web.took_part import known_names
from gladwire.work.history import pairs_of_record

router = APIRouter()

# Asked on the telephone: what tells whose it is before anybody goes out.
ASKED = ("elsewhere", "others_here", "since", "weather")


class IntakeForm(CaseForm):
    """A complaint, as it is told. title: made of it where nobody typed one. said: what display or app said. plain: the plan
    that was chosen by itself as it was typed; one that was chosen otherwise stays."""

    title: str = Field("", max_length=200)
    plan: str = ""
    plain: str = ""
    elsewhere: str = ""
    others_here: str = ""
    since: str = ""
    weather: str = ""
    codes: str = ""
    codes_said: str = Field("", max_length=300)
    said: str = Field("", max_length=500)
    by_name: str = Field("", max_length=80)

    @field_validator("plan")
    @classmethod
    def _is_known(cls, value: str) -> str:
        if value and value not in BY_PLAN:
            raise ValueError("a checklist from the list was expected")
        return value

    def entries(self) -> dict[str, Entry]:
        """What was answered, by key of its step; an answer nobody knows is none."""
        given = {key: Entry(None, answer) for key in ASKED if (answer := getattr(self, key))}
        if self.codes or self.codes_said:
            given["codes"] = Entry(None, self.codes or "unclear", self.codes_said)
        return {key: e for key, e in given.items() if e.answer in dict(step_of(key).answers)}

    @property
    def words(self) -> str:
        """All that was told, as it is read for a plan and for what can hurt."""
        return "\n".join(part for part in (self.title, self.complaint, self.said, self.codes_said) if part)

    @property
    def heading(self) -> str:
        """The title, or the complaint's first sentence."""
        sentences = (part.strip(" .") for part in re.split(r"\.\s|\n", self.complaint))
        line = self.title or next(filter(None, sentences), self.complaint)
        return line if len(line) <= 80 else line[:79].rsplit(" ", 1)[0] + "…"


class Met(NamedTuple):
    """What is known of a thing that was named. stands_out: how often it failed, where that is beyond chance."""

    title: str
    label: str
    number: int
    stands_out: str


@dataclass(frozen=True)
class Beside:
    """What stands beside the form as it is typed. plan: the one chosen, or the one that is plain. due: instruments that
    should stay at home, or measure nothing live."""

    suggested: Suggested
    plan: Plan | None
    others: list[Plan]
    by_hand: bool
    walk: Walk | None
    kit: Kit | None
    warned: Warned | None
    met: list[Met]
    open_cases: Sequence[Case]
    learnt: Sequence[ModelNote]
    due: list[Instrument]


@dataclass(frozen=True)
class IntakePage:
    area: str
    form: IntakeForm
    modes: tuple[Mode, ...]
    asked: list[Step]
    codes: Step
    known: Mapping[Part, list[str]]
    beside: Beside
    by_name: str


@router.get("/cases/new")
def intake(request: Request, db: Database, post: str = "", vehicle: str = "") -> Response:
    """An empty form, or one that begins with what is already known of post and vehicle."""
    form = IntakeForm.model_construct(post=post[:120], vehicle=vehicle[:120])
    page = IntakePage(
        area="cases",
        form=form,
        modes=MODES,
        asked=[step_of(key) for key in ASKED],
        codes=step_of("codes"),
        known=known_names(db),
        beside=_beside(db, form),
        by_name=name_of(request),
    )
    return render("intake.html", page)


@router.post("/cases/new/plan")
def beside(db: Database, form: Annotated[IntakeForm, Form()]) -> Response:
    """What follows from what was typed so far; nothing is stored."""
    return render("intake/answer.html", _beside(db, form))


def _beside(db: Database, form: IntakeForm) -> Beside:
    found = suggested(form.words, form.modes)
    by_hand = form.plan if form.plan != form.plain else ""
    plan = BY_PLAN.get(by_hand) or (found.plans[0] if len(found.plans) == 1 else None)
    walked = walk(plan, form.entries()) if plan else None
    met = _met(db, form)
    kit = kit_of(plan, walked) if plan and walked else None
    return Beside(
        suggested=found,
        plan=plan,
        others=[p for p in PLANS if p not in found.plans],
        by_hand=bool(by_hand),
        walk=walked,
        kit=kit,
        warned=warned_by(form.words),
        met=met,
        learnt=notes_of(db, [db.get(Equipment, one.number) for one in met]),
        open_cases=open_cases_naming(db, form.vehicle, form.post) if form.vehicle or form.post else (),
        due=[one for one in instruments_for(db, plan) if one.wrong] if kit else [],
    )


def _met(db: Database, form: IntakeForm) -> list[Met]:
    named: tuple[tuple[Kind, str], ...] = (("stall", form.post), ("vehicle", form.vehicle))
    pieces = [(kind, piece) for kind, text in named if text for piece in all_equipment(db, kind) if _is(piece, text)]
    if not pieces:
        return []
    out = {s.thing: s.words for s in standing_out(pairs_of_record(db))}
    titles = {"stall": "Post", "vehicle": "Vehicle"}
    return [Met(titles[kind], label_of(piece), piece.id, out.get(piece.id, "")) for kind, piece in pieces]


def _is(piece: Equipment, text: str) -> bool:
    return text.casefold() in (piece.name.casefold(), label_of(piece).casefold())


@router.post("/cases")
def make_case(db: Database, form: Annotated[IntakeForm, Form()]) -> Response:
    """Open a case from a complaint, with its checklist and what was answered already; with `session` given, that session
    becomes its first."""
    if not form.title and not form.complaint:
        raise RefusedError(422, "Nothing tells what is wrong. No case was opened.", "Say it in a line.")
    case = Case(**{**form.columns(), "title": form.heading}, waits_on="", waits_since=utc_now())
    form.set_waiting(case)
    db.add(case)
    if form.session is not None:
        session = charging_session(db, form.session)
        if session is None:
            raise RefusedError(404, f"There is no session {form.session}.", "Open it again from Today.")
        if session.case_id is not None:
            raise RefusedError(409, f"This session belongs to case {session.case_id} already.", "Open that case.")
        ask(session)  # what its case names and was told counts for it
        session.case = case
    db.flush()
    for kept in _told_with_it(form):
        kept.case_id, kept.by_name = case.id, form.by_name
        db.add(kept)
    answer = RedirectResponse(f"/cases/{case.id}{'/checklist' if form.plan else ''}", 303)
    return signed(answer, form.by_name) if form.by_name else answer


def _told_with_it(form: IntakeForm) -> Iterator[Observation]:
    if form.plan:
        yield Observation(kind="plan", place=form.plan)
    for key, entry in form.entries().items():
        yield Observation(kind="step", place=key, unit=entry.answer, text=entry.text)
    if form.codes_said:
        yield Observation(kind="code", text=form.codes_said)
    if form.said:
        yield Observation(kind="note", text=f"Display or app said: {form.said}"[:500])
