"""Taking things back: an analysis stopped or made again, captures, sessions and descriptions removed for good."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session
from starlette.responses import RedirectResponse, Response

from gladwire.store.captures import ask_again, ask_to_stop
from gladwire.store.models import BusDescription, ChargingSession
from gladwire.store.removal import remove_capture, remove_description, remove_session
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import capture_or_404, wait_for
from gladwire.web.services import ServicesHere
from gladwire.web.signing import signed

router = APIRouter()


class ByName(BaseModel):
    model_config = ConfigDict(str_strip_whitespace=True)

    by_name: str = Field(min_length=1, max_length=80)


class Reasoned(ByName):
    """Who removes, and why: it stays in the trail when the thing is gone."""

    why: str = Field(min_length=1, max_length=300)


def _to(session: int) -> RedirectResponse:
    return RedirectResponse(f"/sessions/{session}", 303)


@router.post("/captures/{number}/again")
def again(here: ServicesHere, number: int) -> Response:
    """Read and measure a capture anew."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number, lock=True)
        ask_again(capture)
        session = capture.session_id
    wait_for(here, session)
    return _to(session)


@router.post("/captures/{number}/stop")
def stop(here: ServicesHere, number: int, form: Annotated[ByName, Form()]) -> Response:
    """Stop an analysis that waits or runs; the original stays."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number, lock=True)
        ask_to_stop(capture, form.by_name)
        session = capture.session_id
    return signed(_to(session), form.by_name)


@router.post("/captures/{number}/remove")
def remove(here: ServicesHere, number: int, form: Annotated[Reasoned, Form()]) -> Response:
    """Remove a capture for good. The last one of a session takes the session with it."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number, lock=True)
        session = capture.session
        last = [c.id for c in session.captures] == [number]
        if last:
            gone = remove_session(db, session, form.by_name, form.why)
        else:
            gone = [capture.sha256] if remove_capture(db, capture, form.by_name, form.why) else []
        place = "/" if last else f"/sessions/{session.id}"
    for sha256 in gone:
        here.cache.forget(sha256)
    return signed(RedirectResponse(place, 303), form.by_name)


@router.post("/sessions/{number}/remove")
def remove_whole(here: ServicesHere, number: int, form: Annotated[Reasoned, Form()]) -> Response:
    """Remove a session with everything in it for good."""
    with here.sessions.begin() as db:
        session = _session_or_404(db, number)
        place = f"/cases/{session.case_id}" if session.case_id else "/"
        gone = remove_session(db, session, form.by_name, form.why)
    for sha256 in gone:
        here.cache.forget(sha256)
    return signed(RedirectResponse(place, 303), form.by_name)


def _session_or_404(db: Session, number: int) -> ChargingSession:
    session = db.get(ChargingSession, number, with_for_update=True)
    if session is None:
        raise RefusedError(404, f"There is no session {number}.", "It may be removed already.")
    return session


@router.post("/buses/{number}/remove")
def remove_names(here: ServicesHere, number: int, form: Annotated[Reasoned, Form()]) -> Response:
    """Remove a description of a bus; logs it named are read anew without it."""
    with here.sessions.begin() as db:
        kept = db.get(BusDescription, number)
        if kept is None:
            raise RefusedError(404, "There is no such description.", "It may be removed already.")
        remove_description(db, kept, form.by_name, form.why)
    return signed(RedirectResponse("/buses", 303), form.by_name)
