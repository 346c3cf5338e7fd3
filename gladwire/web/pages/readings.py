"""Readings: a power record typed from displays, from a film or photographs of them; the film never leaves the browser."""

from __future__ import annotations

import io
import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, File, Form, Request, UploadFile
from starlette.responses import RedirectResponse, Response

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.quantities import PLACE_WORDS, QUANTITIES, Quantity
from gladwire.formats import power_csv
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.typed import record_from
from gladwire.store.captures import DamagedCaptureError, add_capture, original
from gladwire.store.cases import case_with_sessions, charging_session, open_case_names
from gladwire.store.models import Capture, ChargingSession
from gladwire.store.readings import Picture, add_pictures, picture
from gladwire.web.errors import RefusedError
from gladwire.web.forms import id_in
from gladwire.web.pages.captures import capture_or_404, wait_for
from gladwire.web.services import Database, ServicesHere
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render, sentence

router = APIRouter()

_MOST_PICTURES, _MOST_PICTURE_BYTES = 1_000, 2 * 2**20
_TYPED = (
    "power_kw",
    "soc_percent",
    "volts_v",
    "amps_a",
    "energy_kwh",
    "asked_a",
    "post_max_a",
    "pack_c",
    "connector_c",
)
# How a typed record is named; one of that name can be opened again.
_TYPED_NAME = " (typed).csv"
_JPEG = b"\xff\xd8\xff"


@dataclass(frozen=True)
class ReadingsPage:
    area: str
    quantities: Sequence[Quantity]
    places: Sequence[tuple[str, str]]
    by_name: str
    open_cases: Sequence[tuple[int, str]]
    case: int | None
    session: ChargingSession | None
    opened: Capture | None
    grid: str


@router.get("/readings")
def readings_page(
    request: Request,
    db: Database,
    here: ServicesHere,
    case: int | None = None,
    session: int | None = None,
    capture: int | None = None,
) -> Response:
    """Type readings. capture: a typed record to begin from, which itself stays as it is."""
    opened = capture_or_404(db, capture) if capture is not None else None
    if opened is not None and case is None:
        case = opened.session.case_id
    page = ReadingsPage(
        "today",
        [q for q in QUANTITIES if q.key in _TYPED],
        [(key, PLACE_WORDS[key]) for key in ("post", "vehicle", "meter")],
        name_of(request),
        open_case_names(db),
        case,
        charging_session(db, session) if session is not None else None,
        opened,
        _grid(here, opened) if opened is not None else "",
    )
    return render("readings.html", page)


def _grid(here: ServicesHere, capture: Capture) -> str:
    """What was typed, as the page's grid holds it: JSON of columns and rows of text. Raises RefusedError for what is no such
    record."""
    trouble = RefusedError(409, f"“{capture.name}” is no typed record.", "Open one whose name ends in “(typed).csv”.")
    if not capture.name.endswith(_TYPED_NAME):
        raise trouble
    try:
        record = power_csv.read(Source(b"".join(original(here.sessions, capture))), Options())
    except (UnreadableError, DamagedCaptureError) as error:
        raise trouble from error
    if not isinstance(record, PowerRecord):
        raise trouble
    sides = [record, *([record.second_place] if record.second_place else [])]
    columns = [(key, side.places.get(key, "unknown"), values) for side in sides for key, values in side.values.items()]
    if any(key not in _TYPED for key, _, _ in columns):
        raise trouble
    rows = [
        [f"{at:.10g}", *("" if v[i] != v[i] else f"{v[i]:.10g}" for _, _, v in columns)]
        for i, at in enumerate(record.time_s)
    ]
    return json.dumps({"columns": [{"quantity": key, "place": place} for key, place, _ in columns], "rows": rows})


@router.post("/readings")
def keep(
    request: Request,
    here: ServicesHere,
    record: Annotated[str, Form(max_length=4 * 2**20)],
    title: Annotated[str, Form(min_length=1, max_length=200)],
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
    case: Annotated[str, Form(max_length=12)] = "",
    session: Annotated[str, Form(max_length=12)] = "",
    moments: Annotated[str, Form(max_length=2**20)] = "[]",
    pictures: Annotated[list[UploadFile] | None, File()] = None,
) -> Response:
    """Store typed readings as a capture of their own, with the pictures they were read from, and lead to the verdict."""
    try:
        readings = record_from(record)
    except UnreadableError as error:
        raise RefusedError(
            422, f"{sentence(str(error))} Nothing was stored.", "Correct it and keep them again."
        ) from error
    kept = _pictures(pictures or [], moments)
    with here.sessions.begin() as db:
        number = _session_number(db, title, case, session)
        content = power_csv.write(readings, (f"typed by {by_name}", *(["from pictures, kept beside"] if kept else [])))
        target = db.get_one(ChargingSession, number)
        capture = add_capture(db, target, f"{title[:180]}{_TYPED_NAME}", io.BytesIO(content))
        add_pictures(db, capture, kept)
    wait_for(here, number)
    address = f"/sessions/{number}"
    if request.headers.get("hx-request") or request.headers.get("accept") == "application/json":
        return signed(Response(status_code=204, headers={"HX-Redirect": address}), by_name)
    return signed(RedirectResponse(address, 303), by_name)


def _session_number(db: Database, title: str, case: str, session: str) -> int:
    if session:
        found = charging_session(db, id_in(session) or 0)
        if found is None:
            raise RefusedError(404, f"There is no session {session}.", "Keep them as a session of their own.")
        return found.id
    chosen = case_with_sessions(db, id_in(case) or 0) if case else None
    if case and chosen is None:
        raise RefusedError(404, f"There is no case {case}.", "Choose another, or none.")
    fresh = ChargingSession(title=title, case=chosen)
    db.add(fresh)
    db.flush()
    return fresh.id


def _pictures(files: Sequence[UploadFile], moments: str) -> list[Picture]:
    """Raises RefusedError for what is no JPEG, or too much."""
    try:
        told = [
            (_moment(m["at_s"]), None if m.get("film_s") is None else _moment(m["film_s"]), str(m["name"]))
            for m in json.loads(moments)
        ]
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise RefusedError(422, "The pictures did not arrive whole. Nothing was stored.", "Send them again.") from error
    if len(files) > _MOST_PICTURES or len(told) != len(files):
        raise RefusedError(422, "The pictures do not fit the readings. Nothing was stored.", "Send them again.")
    kept = []
    for file, (at_s, film_s, name) in zip(files, told, strict=True):
        data = file.file.read(_MOST_PICTURE_BYTES + 1)
        if not data.startswith(_JPEG) or len(data) > _MOST_PICTURE_BYTES:
            raise RefusedError(
                422, f"The picture at {at_s:g} s is no JPEG of up to 2 MiB. Nothing was stored.", "Take it again."
            )
        kept.append(Picture(at_s, film_s, name, data))
    return kept


def _moment(value: Any) -> float:
    """Raises ValueError or TypeError for what is no moment."""
    moment = float(value)
    if not math.isfinite(moment):
        raise ValueError("no moment")
    return moment


@router.get("/pictures/{number}")
def one_picture(db: Database, number: int) -> Response:
    found = picture(db, number)
    if found is None:
        raise RefusedError(404, f"There is no picture {number}.", "Go back to its session.")
    return Response(found.data, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})
