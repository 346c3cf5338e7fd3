"""A session's clock: placing a capture by hand, stamping what was heard and seen, taking a capture out again."""

from __future__ import annotations

from contextlib import suppress
from typing import Annotated, Self

from fastapi import APIRouter, Form
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.diagnosis.answers import OPEN, outcomes
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.scene.stamps import BY_KEY as STAMPS
from gladwire.core.session.marks import instrument_mark
from gladwire.store.equipment import piece_of, remember_marks
from gladwire.store.judgements import ask
from gladwire.store.measurements import measured_of, newest_measurement
from gladwire.store.models import ChargingSession, Observation, Placement
from gladwire.store.shapes import OldShapeError
from gladwire.web.errors import RefusedError
from gladwire.web.forms import OptionalNumber, TypedNumber
from gladwire.web.pages.captures import capture_or_404, wait_for
from gladwire.web.pages.session import session_or_404
from gladwire.web.services import Database, ServicesHere
from gladwire.web.signing import signed

router = APIRouter()
# What is noted of a case and counts for every session of it.
_EVIDENCE = ("step", "repair")
# A session lasts hours, not years.
_MOST_S = 7 * 86_400.0


class PlaceForm(BaseModel):
    """offset_s: what is added to the file's own times; empty gives the capture back to the machine."""

    model_config = ConfigDict(str_strip_whitespace=True)

    offset_s: OptionalNumber = Field(None, ge=-_MOST_S, le=_MOST_S, allow_inf_nan=False)
    by_name: str = Field(min_length=1, max_length=80)
    why: str = Field("", max_length=300)


@router.post("/captures/{number}/place")
def place(here: ServicesHere, number: int, form: Annotated[PlaceForm, Form()]) -> Response:
    """Put a capture on its session's clock by hand; where it lay before stays on record."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number)
        placed = Placement(capture_id=capture.id, offset_s=form.offset_s, by_name=form.by_name, why=form.why)
        ask(capture.session)
        db.add(placed)
        session_number = capture.session_id
    wait_for(here, session_number)
    return signed(RedirectResponse(f"/sessions/{session_number}", 303), form.by_name)


@router.post("/captures/{number}/instrument")
def instrument(
    db: Database,
    number: int,
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
    instrument: Annotated[str, Form(pattern=r"^\d{0,9}$")] = "",
) -> Response:
    """Say what a capture was taken with; it is offered again for files that look like it."""
    capture = capture_or_404(db, number)
    piece = piece_of(db, int(instrument)) if instrument else None
    if instrument and (piece is None or piece.kind != "instrument"):
        raise RefusedError(422, "That instrument is not known. Nothing was stored.", "Choose one of the list.")
    capture.instrument = piece
    stored = newest_measurement(capture)
    if stored and piece:
        with suppress(OldShapeError):  # made anew soon; what it was taken with is kept all the same
            marks = [mark for mark in [instrument_mark(measured_of(stored))] if mark]
            remember_marks(db, piece, marks, by_name)
    return signed(RedirectResponse(f"/sessions/{capture.session_id}#recordings", 303), by_name)


@router.post("/captures/{number}/apart")
def apart(here: ServicesHere, number: int) -> Response:
    """Make a capture that belongs to another plug-in a session of its own, in the same case."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number)
        session = capture.session
        if len(session.captures) < 2:
            raise RefusedError(409, "This is the session's only capture.", "There is nothing to take it out of.")
        own = ChargingSession(title=capture.name[:200], case_id=session.case_id, mode=session.mode)
        ask(session, own)
        db.add(own)
        db.flush()
        capture.session_id, own_number = own.id, own.id
    wait_for(here, own_number)
    return RedirectResponse(f"/sessions/{own_number}", 303)


class StampForm(BaseModel):
    """Something heard, seen or felt at a moment of the session's clock."""

    model_config = ConfigDict(str_strip_whitespace=True)

    kind: str
    at_s: TypedNumber = Field(ge=-_MOST_S, le=_MOST_S, allow_inf_nan=False)
    text: str = Field("", max_length=300)
    by_name: str = Field(min_length=1, max_length=80)

    @field_validator("kind")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in STAMPS:
            raise ValueError("something from the list was expected")
        return value


@router.post("/sessions/{number}/stamps")
def stamp(here: ServicesHere, number: int, form: Annotated[StampForm, Form()]) -> Response:
    """Stamp an event on the session's clock; the verdict takes it into account."""
    with here.sessions.begin() as db:
        session = session_or_404(db, number)
        if form.kind in ("note", "display_reads") and not form.text:
            raise RefusedError(422, "The note is empty.", "Write what you want to keep at this moment.")
        ask(session)
        db.add(Observation(session_id=session.id, kind=form.kind, at_s=form.at_s, text=form.text, by_name=form.by_name))
    wait_for(here, number)
    return signed(RedirectResponse(f"/sessions/{number}", 303), form.by_name)


class AnswerForm(BaseModel):
    """What a test showed. result: one of the test's outcomes, or not to be told."""

    model_config = ConfigDict(str_strip_whitespace=True)

    test: str
    result: str = Field(max_length=12)
    text: str = Field("", max_length=300)
    by_name: str = Field(min_length=1, max_length=80)

    @field_validator("test")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in TESTS:
            raise ValueError("a test of the catalogue was expected")
        return value

    @model_validator(mode="after")
    def _an_outcome(self) -> Self:
        if self.result not in (OPEN, *outcomes(TESTS[self.test])):
            raise ValueError("one of the test's results was expected")
        return self


@router.post("/sessions/{number}/answers")
def answer(here: ServicesHere, number: int, form: Annotated[AnswerForm, Form()]) -> Response:
    """Note what a test showed; causes and the next test take it into account."""
    with here.sessions.begin() as db:
        session = session_or_404(db, number)
        noted = Observation(
            session_id=session.id, kind="test", place=form.test, unit=form.result, text=form.text, by_name=form.by_name
        )
        ask(session)
        db.add(noted)
    wait_for(here, number)
    return signed(RedirectResponse(f"/sessions/{number}#next", 303), form.by_name)


@router.post("/observations/{number}/strike")
def strike(
    here: ServicesHere,
    number: int,
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
    back: Annotated[str, Form(pattern="^(|checklist|swaps)$")] = "",
) -> Response:
    """Strike out something noted: it stays on record and counts no more."""
    with here.sessions.begin() as db:
        noted = db.get(Observation, number)
        if noted is None:
            raise RefusedError(404, f"There is no observation {number}.", "Go back to its session or case.")
        of_case = noted.case.sessions if noted.case and noted.kind in _EVIDENCE else []
        ask(*([noted.session] if noted.session else of_case))
        noted.struck_by = by_name
        where = f"/sessions/{noted.session_id}" if noted.session_id else f"/cases/{noted.case_id}"
        where += f"/{back}" if back and noted.case_id else ""
        session_number = noted.session_id
    if session_number is not None:
        wait_for(here, session_number)
    return signed(RedirectResponse(where, 303), by_name)


@router.post("/sessions/{number}/mode")
def mode(
    db: Database,
    number: int,
    mode: Annotated[str, Form()],
    step: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """Say in which mode a session was tried, and for which step of a checklist it was captured."""
    session = session_or_404(db, number)
    if mode and mode not in MODES:
        raise RefusedError(422, "That is no mode of charging known here.", "Choose one from the list.")
    if step and step not in TESTS:
        raise RefusedError(422, f"There is no step “{step}”.", "Choose one from the list.")
    if step != session.step:
        ask(*(session.case.sessions if session.case else [session]))
        session.step = step
    session.mode = mode
    return RedirectResponse(f"/sessions/{number}", 303)
