"""What is known of a session's vehicle, stall and what lies between: chosen from the equipment or typed, and kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from starlette.responses import RedirectResponse, Response

from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import FIELDS
from gladwire.store.equipment import all_equipment, chain_for, piece_of
from gladwire.store.measurements import newest_measurement, newest_settlement, settled_of
from gladwire.store.models import ChargingSession, Equipment
from gladwire.web.errors import RefusedError
from gladwire.web.forms import FormFields, id_in, number_in, refused
from gladwire.web.pages.captures import again, wait_for
from gladwire.web.pages.expect import OVERRIDES
from gladwire.web.services import Database, ServicesHere
from gladwire.web.session_view import measured_or_409
from gladwire.web.signing import signed

router = APIRouter()

_TYPED = (*OVERRIDES, "pack_c", "ambient_c")


@dataclass(frozen=True)
class Known:
    """The form: what can be chosen, what is known now. fields: (key, words, unit, value)."""

    vehicles: Sequence[Equipment]
    stalls: Sequence[Equipment]
    adapters: Sequence[Equipment]
    fields: Sequence[tuple[str, str, str, str]]
    context: Context


def known_of(db: Database, context: Context) -> Known:
    values = context.model_dump()
    fields = [(key, *FIELDS[key], f"{values[key]:g}" if values[key] is not None else "") for key in _TYPED]
    return Known(
        all_equipment(db, "vehicle"), all_equipment(db, "stall"), all_equipment(db, "adapter"), fields, context
    )


@router.post("/sessions/{number}/known")
def keep_known(form: FormFields, here: ServicesHere, number: int) -> Response:
    """Settle what is known for every capture of the session that holds power; each is judged anew."""
    by_name, why = form.get("by_name", "")[:80], form.get("why", "")[:300] or "Read from labels and displays"
    if not by_name:
        raise RefusedError(422, "Your name is needed. Nothing was stored.", "Fill it in.")
    with here.sessions.begin() as db:
        session = db.get(ChargingSession, number)
        if session is None:
            raise RefusedError(404, f"There is no session {number}.", "Look on Today or through the cases.")
        pieces = [_piece(db, form.get(kind, ""), kind) for kind in ("vehicle", "stall", "adapter")]
        context = _context(db, pieces, form)
        session.vehicle, session.stall, session.adapter = pieces
        for capture in session.captures:
            # One not measured yet may turn out to hold power: what was typed is not lost for it.
            if newest_measurement(capture) and measured_or_409(capture)[0].first(PowerReport) is None:
                continue
            db.refresh(capture, with_for_update=True)  # what others settle meanwhile is not lost
            newest = newest_settlement(db, capture)
            settled = settled_of(newest).model_copy(update={"context": context})
            again(db, capture, settled, by_name, why, newest)
    wait_for(here, number)
    return signed(RedirectResponse(f"/sessions/{number}#known", 303), by_name)


def _piece(db: Database, number: str, kind: str) -> Equipment | None:
    found = piece_of(db, id_in(number))
    return found if found and found.kind == kind else None


def _context(db: Database, pieces: Sequence[Equipment | None], form: Mapping[str, str]) -> Context:
    """Equipment first, what was typed over it; where nothing is chosen, what was typed alone."""
    try:
        more: dict[str, Any] = {key: number_in(form.get(key, "")) for key in _TYPED}
        for key in ("ac_phases", "onboard_phases"):
            more[key] = int(more[key]) if more[key] is not None else None
        return chain_for(db, pieces, **more)
    except ValueError as error:
        raise refused(error) from error
