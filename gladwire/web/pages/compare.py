"""Compare: lead against lead, post against post. Two captures laid over each other, and what differs named."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from sqlalchemy import select
from starlette.responses import RedirectResponse, Response

from gladwire.core.lanes.all import ROLE_BY_KEY
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.measured import Measured
from gladwire.core.session.compare import (
    ANCHOR_WORDS,
    Anchor,
    Difference,
    anchors,
    common_anchors,
    compare,
    shared_channels,
)
from gladwire.store.known_goods import keep_known_good, known_goods
from gladwire.store.models import Capture, ChargingSession, KnownGood
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import capture_or_404
from gladwire.web.services import Database
from gladwire.web.session_view import measured_or_409
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render

router = APIRouter()
_MOST_LISTED = 60


@dataclass(frozen=True)
class Choice:
    """A capture that can be compared with."""

    capture: int
    words: str


@dataclass(frozen=True)
class Overlaid:
    """Two captures with pilots: what differs, where they are aligned, and what the script draws."""

    differences: list[Difference]
    anchors: tuple[Anchor, ...]
    anchor: Anchor
    plots: str


@dataclass(frozen=True)
class ComparePage:
    area: str
    a: Capture
    b: Capture | None
    overlaid: Overlaid | None
    goods: list[KnownGood]
    others: list[Choice]
    anchor_words: dict[Anchor, str]
    by_name: str
    vehicles: str = ""


@router.get("/compare")
def compare_page(
    request: Request,
    db: Database,
    a: Annotated[int, Query(ge=1)],
    b: Annotated[int | None, Query(ge=1)] = None,
    at: Anchor | None = None,
) -> Response:
    first = capture_or_404(db, a)
    second = capture_or_404(db, b) if b is not None else None
    page = ComparePage(
        area="cases" if first.session.case_id else "today",
        a=first,
        b=second,
        overlaid=_overlaid(first, second, at) if second else None,
        goods=[g for g in known_goods(db) if g.capture_id != a],
        others=_others(db, first),
        anchor_words=dict(ANCHOR_WORDS),
        by_name=name_of(request),
        vehicles=whose([first.session, second.session]) if second else "",
    )
    return render("compare.html", page)


def whose(sessions: Sequence[ChargingSession]) -> str:
    """Whether what is compared is of one vehicle, in a sentence; empty where it is."""
    named = [s.vehicle.name if s.vehicle else "" for s in sessions]
    if len({s.id for s in sessions}) < 2 or (all(named) and len({s.vehicle_id for s in sessions}) == 1):
        return ""
    if all(named):
        return f"Different vehicles are compared: {', '.join(dict.fromkeys(named))}. What differs may be theirs."
    known = f" Of {sum(map(bool, named))} it is." if any(named) else ""
    return f"Which vehicle it was is not recorded of every session.{known} What differs may be the vehicle's."


@router.post("/captures/{number}/known-good")
def keep(
    db: Database,
    number: int,
    model: Annotated[str, Form(min_length=1, max_length=120)],
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
) -> Response:
    """Keep a capture as the known-good one of a model."""
    capture = capture_or_404(db, number)
    _with_pilot(capture)
    keep_known_good(db, model.strip(), capture, by_name)
    return signed(RedirectResponse(f"/compare?a={number}", 303), by_name)


def _with_pilot(capture: Capture) -> tuple[Measured, PilotRecord]:
    measured = measured_or_409(capture)[0]
    pilot = measured.first(PilotRecord)
    if pilot is None:
        raise RefusedError(409, f"“{capture.name}” shows no pilot to compare.", "Choose a capture that has one.")
    return measured, pilot


def _others(db: Database, capture: Capture) -> list[Choice]:
    """Captures of the same case first, then the newest ones."""
    chosen = select(Capture).join(ChargingSession).where(Capture.id != capture.id, Capture.state == "analysed")
    same = ChargingSession.case_id == capture.session.case_id if capture.session.case_id else None
    ordered = chosen.order_by(*([same.desc()] if same is not None else []), Capture.id.desc()).limit(_MOST_LISTED)
    found = []
    for one in db.scalars(ordered):
        case = f"case {one.session.case_id}: " if one.session.case_id else ""
        found.append(Choice(one.id, f"{case}{one.session.title} ({one.name})"))
    return found


def _overlaid(first: Capture, second: Capture, at: Anchor | None) -> Overlaid:
    (a, ours), (b, theirs) = _with_pilot(first), _with_pilot(second)
    common = common_anchors(ours, theirs)
    anchor = at if at in common else common[0]
    zero = anchors(ours)[anchor], anchors(theirs)[anchor]
    pairs = shared_channels(a, b)
    content = {
        "start": min(a.start_s - zero[0], b.start_s - zero[1]),
        "end": max(a.end_s - zero[0], b.end_s - zero[1]),
        "plots": [
            {
                "words": ROLE_BY_KEY[a.channels[n].role].words,
                "unit": {"ohm": "Ω"}.get(a.channels[n].unit, a.channels[n].unit),
                "pilot": a.channels[n].role == "cp",
                "sides": [
                    {"capture": first.id, "channel": n, "zero": zero[0]},
                    {"capture": second.id, "channel": m, "zero": zero[1]},
                ],
            }
            for n, m in pairs
        ],
    }
    plots = json.dumps(content).replace("<", "\\u003c")
    return Overlaid(list(compare(a, b)), common, anchor, plots)
