"""Connector faces: where to put the probe, which contacts to bridge with a resistor, and what was seen at each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from gladwire.core.diagnosis.cautions import DEAD_CAUTION, PROBE_CAUTION
from gladwire.core.scene.inspection import BY_KEY as CONDITIONS_BY_KEY
from gladwire.core.scene.inspection import CONDITIONS, Condition
from gladwire.core.standards.connectors import BY_KEY, CONNECTORS, Connector, Part, Pin, pin_named
from gladwire.store.cases import case_with_sessions
from gladwire.store.judgements import ask
from gladwire.store.models import Observation
from gladwire.web.charts.faces import Face, face
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import wait_for
from gladwire.web.pages.session import session_or_404
from gladwire.web.services import Database, ServicesHere
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render

router = APIRouter()
_YEAR_S = 31_536_000


@dataclass(frozen=True)
class ConnectorsPage:
    """case, session: where what is seen is recorded; neither, and the page only shows. chosen: the tapped contact."""

    area: str
    connectors: tuple[Connector, ...]
    connector: Connector
    part: Part
    faces: list[Face]
    chosen: Pin | None
    conditions: tuple[Condition, ...]
    case: int | None
    session: int | None
    title: str
    noted: list[Observation]
    by_name: str
    cautions: tuple[str, str]


@router.get("/connectors")
def connectors(
    request: Request,
    db: Database,
    kind: str = "",
    part: Part = "plug",
    pin: str = "",
    case: Annotated[int | None, Query(ge=1)] = None,
    session: Annotated[int | None, Query(ge=1)] = None,
) -> Response:
    """A connector from both sides; with a case or a session, tapping a contact records what was seen."""
    key = kind or request.cookies.get("connector", "type2")
    connector = BY_KEY.get(key, BY_KEY["type2"])
    title, noted = _target(db, case, session)
    chosen = next((p for p in connector.pins if p.name == pin), None)
    marked = {chosen.name} if chosen else set()
    page = ConnectorsPage(
        area="cases" if case or session else "bench",
        connectors=CONNECTORS,
        connector=connector,
        part=part,
        faces=[face(connector.key, part, "mating", marked), face(connector.key, part, "cable", marked)],
        chosen=chosen,
        conditions=CONDITIONS,
        case=case,
        session=session,
        title=title,
        noted=noted,
        by_name=name_of(request),
        cautions=(PROBE_CAUTION, DEAD_CAUTION),
    )
    response = render("connectors.html", page)
    response.set_cookie("connector", connector.key, max_age=_YEAR_S, samesite="strict", httponly=True)
    return response


def _target(db: Database, case: int | None, session: int | None) -> tuple[str, list[Observation]]:
    if session is not None:
        found = session_or_404(db, session)
        return found.title, [o for o in found.observations if o.kind == "pin"]
    if case is not None:
        told = case_with_sessions(db, case)
        if told is None:
            raise RefusedError(404, f"There is no case {case}.", "Look through the list of cases.")
        return told.title, [o for o in told.observations if o.kind == "pin"]
    return "", []


class InspectionForm(BaseModel):
    """What was seen at one contact."""

    model_config = ConfigDict(str_strip_whitespace=True)

    kind: str
    part: Part
    pin: str
    condition: str
    text: str = Field("", max_length=300)
    by_name: str = Field(min_length=1, max_length=80)
    case: int | None = None
    session: int | None = None


@router.post("/inspections")
def inspect(here: ServicesHere, form: Annotated[InspectionForm, Form()]) -> Response:
    """Record what was seen at a contact, for a case or a session."""
    if form.condition not in CONDITIONS_BY_KEY or form.kind not in BY_KEY:
        raise RefusedError(422, "That condition or connector is not known here.", "Choose from the page.")
    try:
        pin_named(BY_KEY[form.kind], form.pin)
    except KeyError as error:
        raise RefusedError(422, f"{error.args[0]}.", "Tap a contact of the drawing.") from error
    if (form.case is None) == (form.session is None):
        raise RefusedError(422, "An inspection belongs to one case or one session.", "Open the page from there.")
    with here.sessions.begin() as db:
        _target(db, form.case, form.session)
        seen = Observation(
            case_id=form.case,
            session_id=form.session,
            kind="pin",
            place=f"{form.kind}/{form.part}/{form.pin}",
            unit=form.condition,
            text=form.text,
            by_name=form.by_name,
        )
        if form.session is not None:
            ask(session_or_404(db, form.session))
        db.add(seen)
    if form.session is not None:
        wait_for(here, form.session)
    target = f"case={form.case}" if form.case else f"session={form.session}"
    return signed(RedirectResponse(f"/connectors?kind={form.kind}&part={form.part}&{target}", 303), form.by_name)
