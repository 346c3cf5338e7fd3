"""The stamp pad: big buttons that stamp the moment, before any capture exists and without a connection; and the way of these
stamps onto a session's clock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, NamedTuple

from fastapi import APIRouter, Form, Request
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from starlette.responses import JSONResponse, RedirectResponse, Response

from gladwire.core.case.attempt import REACHED_BY_KEY
from gladwire.core.scene.stamps import BY_KEY, BY_LEGEND, KINDS, StampKind
from gladwire.store.judgements import ask
from gladwire.store.model_notes import notes_of, pieces_in
from gladwire.store.models import Case, Observation
from gladwire.web.errors import RefusedError
from gladwire.web.forms import TypedNumber
from gladwire.web.pages.captures import wait_for
from gladwire.web.pages.cases import case_or_404
from gladwire.web.pages.session import session_or_404
from gladwire.web.services import Database, ServicesHere
from gladwire.web.signing import name_of, signed
from gladwire.web.stamps_waiting import around, waiting_stamps
from gladwire.web.static_files import STATIC
from gladwire.web.templating import render
from gladwire.work.cases import Unsafe, unsafe

router = APIRouter()
# A device without a connection for longer has other troubles; a stamp from the future has a wrong clock.
_OLDEST, _AHEAD = timedelta(days=30), timedelta(minutes=5)
_MOST_S = 1e7


class Legend(NamedTuple):
    """What a lamp or sound of a model stands for."""

    shows: str
    means: str
    model: str


@dataclass(frozen=True)
class PadPage:
    area: str
    case: Case
    kinds: Sequence[StampKind]
    stamped: list[Observation]
    unsafe: Unsafe | None
    legend: list[Legend]
    by_name: str


@router.get("/cases/{number}/pad")
def pad(request: Request, db: Database, number: int) -> Response:
    case = case_or_404(db, number)
    kinds = [kind for kind in KINDS if kind.key != BY_LEGEND]
    page = PadPage("cases", case, kinds, waiting_stamps(case)[::-1], unsafe(case), _legend(db, case), name_of(request))
    return render("pad.html", page)


def _legend(db: Database, case: Case) -> list[Legend]:
    """What lamps and sounds of these models stand for."""
    notes = notes_of(db, pieces_in(db, case)[case.id])
    return [Legend(n.shows, REACHED_BY_KEY[n.stage].title, n.model) for n in notes if n.stage in REACHED_BY_KEY]


class Stamped(BaseModel):
    """A stamp as a device sends it. at: its moment by the device's clock; ahead_s: by how much that goes before this one, as
    the device measured it (`/pad-clock`), so that a wrong clock and a slow connection do no harm."""

    model_config = ConfigDict(str_strip_whitespace=True)

    key: str = Field(min_length=8, max_length=40, pattern=r"^[A-Za-z0-9-]+$")
    kind: str
    at: AwareDatetime
    ahead_s: float = Field(0.0, ge=-_MOST_S * 100, le=_MOST_S * 100, allow_inf_nan=False)
    text: str = Field("", max_length=300)
    by_name: str = Field("", max_length=80)


@router.post("/cases/{number}/pad")
def stamped(db: Database, number: int, stamp: Stamped) -> Response:
    """Store a stamp. What was sent before is there already: the answer is the same."""
    case = case_or_404(db, number)
    if stamp.kind not in BY_KEY:
        raise RefusedError(422, "There is no such stamp.", "Load the pad again.")
    at = stamp.at - timedelta(seconds=stamp.ahead_s)
    if not datetime.now(UTC) - _OLDEST < at <= datetime.now(UTC) + _AHEAD:
        raise RefusedError(422, "The moment of this stamp cannot be.", "Set the clock of the device.")
    if db.scalar(select(Observation.id).where(Observation.sent_key == stamp.key)) is None:
        kept = Observation(case_id=case.id, kind=stamp.kind, text=stamp.text, by_name=stamp.by_name, sent_key=stamp.key)
        kept.made_at = at.replace(tzinfo=None)
        try:
            with db.begin_nested():
                db.add(kept)
        except IntegrityError:
            pass  # sent twice at once
    return JSONResponse({"key": stamp.key})


@router.get("/pad-clock")
def clock() -> Response:
    """What this machine's clock says, for devices to compare theirs with."""
    return JSONResponse({"now": datetime.now(UTC).isoformat()}, headers={"Cache-Control": "no-store"})


class LayForm(BaseModel):
    """Which stamp was when on the session's clock; those around it follow."""

    stamp: int
    at_s: TypedNumber = Field(ge=-_MOST_S, le=_MOST_S, allow_inf_nan=False)
    by_name: str = Field(min_length=1, max_length=80)


@router.post("/sessions/{number}/pad")
def lay(here: ServicesHere, number: int, form: Annotated[LayForm, Form()]) -> Response:
    """Put the pad's stamps of this plug-in on the session's clock, by one of them."""
    with here.sessions.begin() as db:
        session = session_or_404(db, number)
        waiting = waiting_stamps(session.case) if session.case else []
        anchor = next((o for o in waiting if o.id == form.stamp), None)
        if anchor is None:
            raise RefusedError(409, "This stamp lies on a session already.", "Look at the session again.")
        ask(session)
        for o in around(waiting, anchor):
            o.at_s = round(form.at_s + (o.made_at - anchor.made_at).total_seconds(), 3)
            o.session_id = session.id
    wait_for(here, number)
    return signed(RedirectResponse(f"/sessions/{number}", 303), form.by_name)


@router.get("/pad-worker.js")
def worker() -> Response:
    """The script that keeps a pad at hand without a connection; it lies at the root, for that is what it may keep."""
    script = Path(STATIC, "pad-worker.js").read_text()
    return Response(script, media_type="text/javascript", headers={"Cache-Control": "no-cache"})
