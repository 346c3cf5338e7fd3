"""Captures: dropping them in, getting them and their results out, samples for the lane, settling how one is read."""

from __future__ import annotations

import csv
import io
import math
import re
import time
from collections.abc import Iterator
from typing import Annotated, Any, Literal
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, File, Form, Query, Request, UploadFile
from pydantic import BaseModel, ConfigDict, Field, field_validator
from sqlalchemy.orm import Session
from starlette.responses import JSONResponse, RedirectResponse, Response, StreamingResponse

from gladwire.core.analysis import Analysis
from gladwire.core.envelope import envelope
from gladwire.core.pilot.closeup import cycles_between
from gladwire.core.pilot.reading import Settled
from gladwire.core.pilot.trace import Correction
from gladwire.core.roles import Role
from gladwire.core.waveform import Samples
from gladwire.inspect import segment_entry
from gladwire.store.analyses import add_settlement
from gladwire.store.captures import add_capture, original, same_bytes
from gladwire.store.cases import case_with_sessions
from gladwire.store.models import Capture, Case, ChargingSession, StoredAnalysis
from gladwire.web.errors import RefusedError
from gladwire.web.services import Database, Services, ServicesHere, newest_analysis, parsed

router = APIRouter()

# A small capture is analysed before the page could ask again: wait for it rather than show an empty page.
_PATIENCE_S = 4.0
_MOST_COLUMNS = 4000


@router.post("/captures")
def drop(
    request: Request,
    here: ServicesHere,
    files: Annotated[list[UploadFile], File()],
    case: Annotated[int | None, Form()] = None,
) -> Response:
    """Store dropped files, one session each, and lead to the verdict."""
    dropped = [file for file in files if file.filename]
    if not dropped:
        raise RefusedError(422, "No file came with the request.", "Drop a capture file, or choose one.")
    numbers = []
    for file in dropped:
        try:
            with here.sessions.begin() as db:
                numbers.append(_take(db, file, case))
        except _HereAlreadyError as here_already:
            numbers.append(here_already.session)
    for number in numbers:
        _wait(here, number)
    target = f"/sessions/{numbers[0]}" if len(numbers) == 1 else f"/cases/{case}" if case else "/"
    if request.headers.get("hx-request"):
        return Response(status_code=204, headers={"HX-Redirect": target})
    return RedirectResponse(target, 303)


class _HereAlreadyError(Exception):
    """The same bytes were dropped before; session: where they are."""

    def __init__(self, session: int) -> None:
        super().__init__(session)
        self.session = session


def _take(db: Session, file: UploadFile, case_number: int | None) -> int:
    """Session number of a stored file. Raises _HereAlreadyError, which undoes the storing, for the same bytes again."""
    name = re.split(r"[\\/]", file.filename or "capture")[-1][:200]
    case = None
    if case_number is not None:
        case = case_with_sessions(db, case_number)
        if case is None:
            raise RefusedError(404, f"There is no case {case_number}.", "Drop the capture on Today instead.")
    session = ChargingSession(title=_title(name, case), case=case)
    db.add(session)
    capture = add_capture(db, session, name, file.file)
    if capture.size == 0:
        raise RefusedError(422, f"“{name}” is empty. Nothing was stored.", "Export the capture again and drop that.")
    earlier = same_bytes(db, capture.sha256)
    if earlier and earlier.id != capture.id and case is None:
        raise _HereAlreadyError(earlier.session_id)
    db.flush()
    return session.id


def _title(name: str, case: Case | None) -> str:
    stem = re.sub(r"(\.(csv|tsv|txt|wav|npz|gz))+$", "", name, flags=re.IGNORECASE)
    plain = re.sub(r"[_\-]+", " ", stem).strip() or name
    return f"{plain} ({len(case.sessions) + 1})" if case and any(s.title == plain for s in case.sessions) else plain


def _wait(here: Services, number: int) -> None:
    end = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end:
        with here.sessions() as db:
            session = db.get(ChargingSession, number)
            if session and all(c.state in ("analysed", "unreadable") for c in session.captures):
                return
        time.sleep(0.05)


def capture_or_404(db: Session, number: int) -> Capture:
    capture = db.get(Capture, number)
    if capture is None:
        raise RefusedError(404, f"There is no capture {number}.", "Go back to its session.")
    return capture


def _result(db: Session, number: int) -> tuple[Capture, StoredAnalysis, Analysis]:
    capture = capture_or_404(db, number)
    stored = newest_analysis(capture)
    if stored is None:
        raise RefusedError(
            409, f"“{capture.name}” is not analysed.", "Wait for its analysis, or see why it was refused."
        )
    return capture, stored, parsed(stored)


@router.get("/captures/{number}/original")
def download(db: Database, here: ServicesHere, number: int) -> Response:
    """The capture back out, byte for byte."""
    capture = capture_or_404(db, number)

    def parts() -> Iterator[bytes]:
        with here.sessions() as reading:
            yield from original(reading, capture)

    headers = {**_attachment(capture.name), "Content-Length": str(capture.size), "X-SHA256": capture.sha256}
    return StreamingResponse(parts(), media_type="application/octet-stream", headers=headers)


def _attachment(name: str) -> dict[str, str]:
    return {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


def _stem(capture: Capture) -> str:
    return capture.name.rsplit(".", 1)[0] or capture.name


@router.get("/captures/{number}/results.json")
def results_json(db: Database, number: int) -> Response:
    """Segments, findings, stages and causes as JSON."""
    capture, stored, result = _result(db, number)
    content: dict[str, Any] = {
        "capture": {"name": capture.name, "sha256": capture.sha256, "size": capture.size},
        "settled": stored.settlement.settled if stored.settlement else None,
        **result.model_dump(mode="json"),
    }
    return JSONResponse(content, headers=_attachment(f"{_stem(capture)}.results.json"))


@router.get("/captures/{number}/segments.csv")
def segments_csv(db: Database, number: int) -> Response:
    capture, _, result = _result(db, number)
    rows = [segment_entry(segment) for segment in result.pilot.segments]
    keys = list(dict.fromkeys(key for row in rows for key in row))
    return _csv(f"{_stem(capture)}.segments.csv", keys, rows)


@router.get("/captures/{number}/findings.csv")
def findings_csv(db: Database, number: int) -> Response:
    capture, _, result = _result(db, number)
    rows = [finding.model_dump() for finding in result.findings]
    keys = ["code", "severity", "stage", "text", "start_s", "end_s", "measured", "expected", "source", "from_memory"]
    return _csv(f"{_stem(capture)}.findings.csv", keys, rows)


def _csv(name: str, keys: list[str], rows: list[dict[str, Any]]) -> Response:
    text = io.StringIO()
    writer = csv.DictWriter(text, keys, restval="")
    writer.writeheader()
    writer.writerows(rows)
    return Response(text.getvalue(), media_type="text/csv; charset=utf-8", headers=_attachment(name))


@router.get("/captures/{number}/envelope")
def lane(
    db: Database,
    here: ServicesHere,
    number: int,
    start: Annotated[float, Query(alias="from", allow_inf_nan=False)],
    end: Annotated[float, Query(alias="to", allow_inf_nan=False)],
    columns: Annotated[int, Query(ge=1, le=_MOST_COLUMNS)] = 1200,
    channel: Annotated[int | None, Query(ge=0)] = None,
) -> Response:
    """A channel's visible range, decimated (extremes kept): the pilot's, in volts as it is read, unless another is named.

    For the pilot single cycles come along where few are in sight.
    """
    capture, stored, result = _result(db, number)
    if channel is not None and channel >= len(result.channels):
        raise RefusedError(404, f"There is no channel {channel} in this capture.", "Go back to its session.")
    chosen = result.channel_index if channel is None else channel
    is_pilot = chosen == result.channel_index
    interval_s = stored.settlement.interval_s if stored.settlement else None
    wave, summary = here.channel(capture, interval_s, chosen)
    first = math.floor(max(-1e15, (start - wave.start_s) * wave.rate_hz))
    last = math.ceil(min(1e15, (end - wave.start_s) * wave.rate_hz)) + 1
    seen = envelope(wave.samples, summary, first, last, columns)
    correction = result.pilot.reading.correction if is_pilot else Correction()
    low, high = (side * correction.scale + correction.offset_v for side in (seen.low, seen.high))
    content = {
        "exact": seen.exact,
        "at": np.round(wave.start_s + seen.at / wave.rate_hz, 9).tolist(),
        "low": _rounded(np.fmin(low, high)),
        "high": _rounded(np.fmax(low, high)),
        "cycles": [c.model_dump() for c in cycles_between(wave, result.pilot, start, end)] if is_pilot else [],
    }
    return JSONResponse(content)


def _rounded(volts: Samples) -> list[float | None]:
    return [None if value != value else value for value in np.round(volts.astype(np.float64), 3).tolist()]


class SettleForm(BaseModel):
    """What a person settles: empty leaves a point to the analysis."""

    model_config = ConfigDict(str_strip_whitespace=True)

    # Channel names and what each is, in step; an empty role leaves it to the analysis.
    names: list[str] = []
    roles: list[Role | Literal[""]] = []
    scale: float | None = Field(None, gt=0, le=1e6, allow_inf_nan=False)
    inverted: str = Field("", pattern="^(|yes|no)$")
    offset_v: float | None = Field(None, ge=-100, le=100, allow_inf_nan=False)
    interval_us: float | None = Field(None, gt=0, le=1e6, allow_inf_nan=False)
    by_name: str = Field(min_length=1, max_length=80)
    why: str = Field(min_length=1, max_length=300)

    @field_validator("scale", "offset_v", "interval_us", mode="before")
    @classmethod
    def _number(cls, value: object) -> object:
        """Empty means not settled; a decimal comma is a decimal sign."""
        if isinstance(value, str):
            return value.strip().replace(",", ".") or None
        return value

    def settled(self) -> Settled:
        turned = {"yes": True, "no": False}.get(self.inverted)
        roles = {name: role for name, role in zip(self.names, self.roles, strict=False) if role}
        return Settled(roles=roles, scale=self.scale, inverted=turned, offset_v=self.offset_v)


@router.post("/captures/{number}/settle")
def settle(here: ServicesHere, number: int, form: Annotated[SettleForm, Form()]) -> Response:
    """Record what a person settled and analyse again; the reading before stays on record."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number)
        interval_s = form.interval_us / 1e6 if form.interval_us else None
        add_settlement(db, capture, form.settled().model_dump_json(), interval_s, form.by_name, form.why)
        session_number = capture.session_id
    _wait(here, session_number)
    response = RedirectResponse(f"/sessions/{session_number}", 303)
    response.set_cookie("by_name", quote(form.by_name), max_age=31_536_000, samesite="strict", httponly=True)
    return response
