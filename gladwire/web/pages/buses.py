"""Beside captures: key logs of a session, descriptions of buses, and which signal plays which role."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from gladwire.core.can.names import shipped
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.bus.roles import BY_KEY, ROLES
from gladwire.store.models import Capture, ChargingSession
from gladwire.store.supplements import (
    descriptions,
    key_logs,
    remove_key_log,
    settle_signals,
)
from gladwire.web.charts.bus import Sequence, sequence_of
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import capture_or_404, wait_for
from gladwire.web.services import Database, ServicesHere
from gladwire.web.session_view import SessionView, measured_or_409
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class KeyLogRow:
    """A key log as it may be shown: never a secret of it. opens: connections it has lines of, 0 where never counted."""

    number: int
    name: str
    opens: int
    made_at: datetime


@dataclass(frozen=True)
class BusPart:
    """A bus on the Session page."""

    capture: Capture
    record: CanRecord
    sequence: Sequence | None
    roles: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class DescriptionRow:
    """number: of the row kept, 0 for one that ships."""

    number: int
    title: str
    messages: int
    signals: int
    kind: str
    roles: list[tuple[str, str]]
    by_name: str
    made_at: datetime | None
    built_in: bool


@dataclass(frozen=True)
class BusesPage:
    area: str
    rows: list[DescriptionRow]
    by_name: str


def key_log_rows(db: Database, session: ChargingSession) -> list[KeyLogRow]:
    return [KeyLogRow(k.id, k.name, k.connections, k.made_at) for k in key_logs(db, session.id)]


def bus_parts(view: SessionView) -> list[BusPart]:
    """The buses of a session, on its clock."""
    roles = tuple((r.key, r.title + (f", {r.unit}" if r.unit else "")) for r in ROLES)
    found = [
        BusPart(capture, record, sequence_of(record), roles)
        for capture, placed in zip(view.captures, view.placed, strict=True)
        for record in placed.of(CanRecord)
    ]
    return found


@router.get("/buses")
def buses(request: Request, db: Database) -> Response:
    """Every description known here, and the roles settled for it."""
    rows = []
    for kept in descriptions(db):
        roles = json.loads(kept.roles) if kept.roles else {}
        chosen = [(BY_KEY[k].title, v) for k, v in roles.items() if k in BY_KEY]
        rows.append(
            DescriptionRow(
                kept.id, kept.title, kept.messages, kept.signals, kept.kind, chosen, kept.by_name, kept.made_at, False
            )
        )
    taken = {r.title for r in rows}
    rows += [
        DescriptionRow(0, n.title, *n.counts, n.kind, [], "", None, True) for n in shipped() if n.title not in taken
    ]
    return render("buses.html", BusesPage("bench", rows, name_of(request)))


class SignalsForm(BaseModel):
    """Which role each signal plays, in step: `signals` and `roles`."""

    model_config = ConfigDict(str_strip_whitespace=True)

    signals: list[str] = []
    roles: list[str] = []
    kind: Literal["controller", "connector"] = "controller"
    by_name: str = Field(min_length=1, max_length=80)

    def chosen(self) -> dict[str, str]:
        """role -> signal. Raises RefusedError for a role given twice or unknown."""
        found: dict[str, str] = {}
        for signal, role in zip(self.signals, self.roles, strict=False):
            if not role:
                continue
            if role not in BY_KEY:
                raise RefusedError(422, f"“{role}” is no role that is known here.", "Choose one of those offered.")
            if role in found:
                problem = f"“{BY_KEY[role].title}” was given to {found[role]} and to {signal}."
                raise RefusedError(422, problem, "Give each role to one signal.")
            found[role] = signal
        return found


@router.post("/captures/{number}/signals")
def settle(here: ServicesHere, number: int, form: Annotated[SignalsForm, Form()]) -> Response:
    """Settle what the signals of a bus are for: remembered with its description, for every log it names."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number)
        record = measured_or_409(capture)[0].first(CanRecord)
        if record is None or not settle_signals(db, record.description, form.chosen(), form.kind, form.by_name):
            raise RefusedError(409, "No description names this bus.", "Drop its DBC file first.")
        session_number = capture.session_id
    wait_for(here, session_number)
    return signed(RedirectResponse(f"/sessions/{session_number}#bus-{number}", 303), form.by_name)


@router.post("/sessions/{number}/keylogs/{key_log}/remove")
def forget(here: ServicesHere, number: int, key_log: int) -> Response:
    """Forget a key log: what it opened is closed again, on the page and in what was kept for drawing."""
    with here.sessions.begin() as db:
        session = db.get(ChargingSession, number)
        if session is None or not remove_key_log(db, session, key_log):
            raise RefusedError(404, "There is no such key log in this session.", "It may be removed already.")
        hashes = [c.sha256 for c in session.captures]
    for sha256 in hashes:
        here.cache.forget(sha256)
    wait_for(here, number)
    return RedirectResponse(f"/sessions/{number}#recordings", 303)
