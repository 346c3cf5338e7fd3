"""Captures: dropping them in, getting them and their results out, samples for the lane, settling how one is read."""

from __future__ import annotations

import csv
import io
import math
import re
import time
from datetime import datetime
from typing import Annotated, Any, Literal, NamedTuple
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, File, Form, Query, Request, UploadFile
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, field_validator
from sqlalchemy.orm import Session
from starlette.responses import JSONResponse, RedirectResponse, Response, StreamingResponse

from gladwire.core.can.names import is_dbc
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.lanes.all import SETTLED_ROLES
from gladwire.core.lanes.pilot.amend import amend
from gladwire.core.lanes.pilot.closeup import cycles_between
from gladwire.core.lanes.pilot.lane import segment_entry
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.trace import Correction
from gladwire.core.measured import Measured
from gladwire.core.plc.keylog import LONGEST, is_keylog
from gladwire.core.quantities import BY_KEY as QUANTITY_BY_KEY
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.marks import signature_of
from gladwire.core.session.timeline import Part, placed_at
from gladwire.core.settled import Amendment, Settled
from gladwire.core.signal.envelope import envelope
from gladwire.core.signal.waveform import Recording, Samples
from gladwire.core.standards.pilot_levels import State
from gladwire.export import File as GivenOut
from gladwire.export import capture_object, harmless
from gladwire.formats import vcd
from gladwire.formats.registry import READERS, without_ending
from gladwire.store.captures import add_capture, original, same_bytes
from gladwire.store.cases import case_with_sessions, charging_session
from gladwire.store.measurements import add_settlement, newest_settlement, remember_roles, settled_of
from gladwire.store.models import Capture, Case, ChargingSession, Settlement, StoredMeasurement
from gladwire.store.supplements import add_description, add_key_log
from gladwire.web.errors import RefusedError
from gladwire.web.forms import OptionalNumber, plain_number, refused, seconds_in
from gladwire.web.sent import TypedEarlier
from gladwire.web.services import Database, Services, ServicesHere, at_one_moment
from gladwire.web.session_view import is_waiting, measured_or_409, session_view
from gladwire.web.signing import signed
from gladwire.work.analysis import connections_of, counts_of
from gladwire.work.bounded import Bounds, RefusedWorkError, run_bounded

router = APIRouter()

# A small capture is analysed before the page could ask again: wait for it rather than show an empty page.
_PATIENCE_S = 4.0
_MOST_COLUMNS = 4000
_ROOM_KEPT = 300 * 10**6
# A description or a key log of some megabytes is parsed in seconds, in a few hundred megabytes.
_SUPPLEMENT = Bounds(1024, 30.0)


@router.post("/captures")
def drop(
    request: Request,
    here: ServicesHere,
    files: Annotated[list[UploadFile], File()],
    typed: TypedEarlier,
    case: Annotated[int | None, Form()] = None,
    session: Annotated[int | None, Form()] = None,
    step: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """Store dropped files and lead to the verdict. Files dropped together are one plug-in; `session` adds to one, and step is
    what a new one of a case was captured for."""
    dropped = [file for file in files if file.filename]
    if not dropped:
        raise RefusedError(422, "No file came with the request.", "Drop a capture file, or choose one.")
    _refuse_without_room(here, dropped)
    if step and step not in TESTS:
        raise RefusedError(422, f"There is no step “{step}”. Nothing was stored.", "Drop it on the checklist.")
    number: int | None
    try:
        with here.sessions.begin() as db:
            if typed.is_there(db):
                return RedirectResponse(f"/cases/{case}" if case else "/", 303)
            number = _take(db, dropped, case, session, step, typed.moment)
    except _HereAlreadyError as here_already:
        number = here_already.session
    if number is not None:
        wait_for(here, number)
    target = f"/sessions/{number}" if number is not None else "/buses"
    if request.headers.get("hx-request"):
        return Response(status_code=204, headers={"HX-Redirect": target})
    return RedirectResponse(target, 303)


def _refuse_without_room(here: Services, dropped: list[UploadFile]) -> None:
    """An upload is stored packed, and again decoded as samples: both must fit, with room for the database's own work."""
    size = sum(file.size or 0 for file in dropped)
    free = here.free_bytes()
    if free < _ROOM_KEPT + 2 * size:
        what = f"Only {free // 10**6} MB are left on the disk, too little for {max(size // 10**6, 1)} MB. Nothing was stored."
        raise RefusedError(507, what, "Make room on the disk, then drop it again.")


class _HereAlreadyError(Exception):
    """The same bytes were dropped before; session: where they are."""

    def __init__(self, session: int) -> None:
        super().__init__(session)
        self.session = session


class _Supplement(NamedTuple):
    """A dropped file that is no capture. kind: what it is."""

    name: str
    kind: Literal["key log", "description"]
    content: bytes


def _sorted_out(files: list[UploadFile]) -> tuple[list[tuple[str, UploadFile]], list[_Supplement]]:
    """(captures with their names, what belongs beside them)."""
    captures, supplements = [], []
    for file in files:
        name = re.split(r"[\\/]", file.filename or "capture")[-1][:200]
        head = file.file.read(4096)
        file.file.seek(0)
        kind: Literal["key log", "description"] | None = "key log" if is_keylog(head) else None
        kind = kind or ("description" if is_dbc(head) else None)
        if kind is None:
            captures.append((name, file))
        else:
            supplements.append(_Supplement(name, kind, file.file.read(LONGEST + 1)))
    return captures, supplements


def _keep_supplements(db: Session, session: ChargingSession | None, supplements: list[_Supplement]) -> None:
    """Key logs go with the session, descriptions are remembered for all. Raises RefusedError."""
    for name, kind, content in supplements:
        if len(content) > LONGEST:
            problem = f"“{name}” is larger than {LONGEST // 2**20} MiB: that is no {kind} of a charging session."
            raise RefusedError(422, f"{problem} Nothing was stored.", "Leave it out.")
        try:
            if kind == "description":
                add_description(db, name, content, run_bounded(counts_of, content, name, bounds=_SUPPLEMENT))
            elif session is not None:
                add_key_log(db, session, name, content, run_bounded(connections_of, content, bounds=_SUPPLEMENT))
        except RefusedWorkError as error:
            raise RefusedError(
                422, f"“{name}”: {error}. Nothing was stored.", "Export it again and drop that."
            ) from error


def _take(
    db: Session,
    files: list[UploadFile],
    case_number: int | None,
    session_number: int | None,
    step: str,
    moment: datetime,
) -> int | None:
    """Session number of stored files, None for descriptions alone; all are stored or none. Raises _HereAlreadyError for one
    file's bytes again."""
    captures, supplements = _sorted_out(files)
    if not captures and session_number is None:
        if any(b.kind == "key log" for b in supplements):
            problem = "A key log opens a capture and is none itself. Nothing was stored."
            raise RefusedError(422, problem, "Drop it together with its capture, or on the capture's session.")
        _keep_supplements(db, None, supplements)
        return None
    session = _session_for(db, captures[0][0] if captures else "", case_number, session_number)
    fresh = case_number is None and session_number is None
    if not fresh and session_number is None:
        session.step, session.created_at = step, moment
    db.flush()
    _keep_supplements(db, session, supplements)
    for name, file in captures:
        capture = add_capture(db, session, name, file.file)
        if capture.size == 0:
            raise RefusedError(
                422, f"“{name}” is empty. Nothing was stored.", "Export the capture again and drop that."
            )
        earlier = same_bytes(db, capture.sha256)
        if earlier and earlier.id != capture.id and earlier.session_id == session.id:
            raise RefusedError(409, f"“{name}” is in this session already. Nothing was stored.", "Leave it out.")
        if earlier and earlier.id != capture.id and fresh and len(files) == 1:
            raise _HereAlreadyError(earlier.session_id)
    db.flush()
    return session.id


def _session_for(db: Session, name: str, case_number: int | None, session_number: int | None) -> ChargingSession:
    if session_number is not None:
        session = charging_session(db, session_number)
        if session is None:
            raise RefusedError(404, f"There is no session {session_number}.", "Drop the capture on Today instead.")
        return session
    case = case_with_sessions(db, case_number) if case_number is not None else None
    if case_number is not None and case is None:
        raise RefusedError(404, f"There is no case {case_number}.", "Drop the capture on Today instead.")
    session = ChargingSession(title=_title(name, case), case=case)
    db.add(session)
    return session


def _title(name: str, case: Case | None) -> str:
    plain = re.sub(r"[_\-]+", " ", without_ending(name)).strip() or name
    return f"{plain} ({len(case.sessions) + 1})" if case and any(s.title == plain for s in case.sessions) else plain


def wait_for(here: Services, number: int) -> None:
    """Wait a little for a session's captures to be measured and the session to be judged."""
    end = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end:
        with here.sessions() as db:
            at_one_moment(db)
            session = db.get(ChargingSession, number)
            if session is None or not is_waiting(session):
                return
        time.sleep(0.05)


def capture_or_404(db: Session, number: int, lock: bool = False) -> Capture:
    """lock: nobody else changes it until this transaction ends; of two who correct at once the second adds to the first's."""
    capture = db.get(Capture, number, with_for_update=lock)
    if capture is None:
        raise RefusedError(404, f"There is no capture {number}.", "Go back to its session.")
    return capture


def _measured(db: Session, number: int, lock: bool = False) -> tuple[Capture, StoredMeasurement, Measured]:
    capture = capture_or_404(db, number, lock)
    measured, stored = measured_or_409(capture)
    return capture, stored, measured


@router.get("/captures/{number}/original")
def download(db: Database, here: ServicesHere, number: int) -> Response:
    """The capture back out, byte for byte."""
    capture = capture_or_404(db, number)

    headers = {**attachment(capture.name), "Content-Length": str(capture.size), "X-SHA256": capture.sha256}
    return StreamingResponse(original(here.sessions, capture), media_type="application/octet-stream", headers=headers)


def attachment(name: str) -> dict[str, str]:
    return {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


def stem_of(capture: Capture) -> str:
    return capture.name.rsplit(".", 1)[0] or capture.name


@router.get("/captures/{number}/results.json")
def results_json(db: Database, number: int) -> Response:
    """What this capture shows, on its session's clock, under the contract's keys; what is said of it is the session's."""
    capture, stored, measured = _measured(db, number)
    view = session_view(capture.session)
    alignment = (view.alignment_of(capture) if view else None) or Alignment(how="first", text="")
    content: dict[str, Any] = {
        "capture": {"name": capture.name, "sha256": capture.sha256, "size": capture.size},
        "settled": stored.settlement.settled if stored.settlement else None,
        **capture_object(GivenOut(placed_at(Part(capture.name, measured), alignment))),
    }
    return JSONResponse(content, headers=attachment(f"{stem_of(capture)}.results.json"))


@router.get("/captures/{number}/segments.csv")
def segments_csv(db: Database, number: int) -> Response:
    capture, _, measured = _measured(db, number)
    rows = [segment_entry(segment) for pilot in measured.of(PilotRecord) for segment in pilot.segments]
    keys = list(dict.fromkeys(key for row in rows for key in row))
    return csv_of(f"{stem_of(capture)}.segments.csv", keys, rows)


_LINES = ("lock_position", "contactor")


@router.get("/captures/{number}/lines.vcd")
def lines_vcd(db: Database, here: ServicesHere, number: int) -> Response:
    """The two-level lines of a capture as a value change dump."""
    capture, _, result = _measured(db, number)
    wanted = [n for n, c in enumerate(result.channels) if c.role in _LINES or c.unit == "logic"]
    if not wanted:
        raise RefusedError(404, f"“{capture.name}” holds no two-level line.", "Settle which channel is one.")
    waves = tuple(here.channel(db, capture, n)[0] for n in wanted)
    content = vcd.write(Recording(waves, "vcd", (), result.recorded_at))
    return Response(content, media_type="text/plain", headers=attachment(f"{stem_of(capture)}.lines.vcd"))


def csv_of(name: str, keys: list[str], rows: list[dict[str, Any]]) -> Response:
    text = io.StringIO()
    writer = csv.DictWriter(text, keys, restval="")
    writer.writeheader()
    writer.writerows({key: harmless(value) for key, value in row.items()} for row in rows)
    return Response(text.getvalue(), media_type="text/csv; charset=utf-8", headers=attachment(name))


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
    """A channel's visible range, decimated (extremes, and the means of either side between them): the pilot's, in volts as it
    is read, unless another is named.

    For the pilot single cycles come along where few are in sight.
    """
    capture, _, result = _measured(db, number)
    if end < start:
        raise RefusedError(422, "The range ends before it begins.", "Give the earlier moment as “from”.")
    if channel is not None and channel >= len(result.channels):
        raise RefusedError(404, f"There is no channel {channel} in this capture.", "Go back to its session.")
    chosen = channel if channel is not None else result.channel_index or 0
    pilot = result.first(PilotRecord) if chosen == result.channel_index else None
    wave, summary = here.channel(db, capture, chosen)
    first = math.floor(max(-1e15, (start - wave.start_s) * wave.rate_hz))
    last = math.ceil(min(1e15, (end - wave.start_s) * wave.rate_hz)) + 1
    seen = envelope(wave.samples, summary, first, last, columns)
    correction = pilot.interpretation.correction if pilot else Correction()
    sides = [s * correction.scale + correction.offset_v for s in (seen.low, seen.lower, seen.upper, seen.high)]
    low, lower, upper, high = sides if correction.scale > 0 else sides[::-1]
    content = {
        "exact": seen.exact,
        "at": np.round(wave.start_s + seen.at / wave.rate_hz, 9).tolist(),
        "low": _rounded(low),
        "lower": _rounded(lower),
        "upper": _rounded(upper),
        "high": _rounded(high),
        "cycles": [c.model_dump() for c in cycles_between(wave, pilot, start, end)] if pilot else [],
    }
    return JSONResponse(content)


def _rounded(volts: Samples) -> list[float | None]:
    return [None if value != value else value for value in np.round(volts.astype(np.float64), 3).tolist()]


def _known_role(value: str) -> str:
    if value and value not in SETTLED_ROLES:
        raise ValueError("a role from the list was expected")
    return value


def _known_quantity(value: str) -> str:
    if value not in (AS_TOLD, "", "time", *QUANTITY_BY_KEY):
        raise ValueError("a quantity from the list was expected")
    return value


AS_TOLD = "as told"
RoleOrNone = Annotated[str, AfterValidator(_known_role)]
QuantityOrNone = Annotated[str, AfterValidator(_known_quantity)]
OptionalFinite = Annotated[
    Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)] | None, BeforeValidator(plain_number)
]
Factor = Annotated[Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] | None, BeforeValidator(plain_number)]


class SettleForm(BaseModel):
    """What a person settles: empty leaves a point to the analysis."""

    model_config = ConfigDict(str_strip_whitespace=True)

    # Channel names and what each is, in step; an empty role leaves it to the analysis.
    names: list[str] = []
    roles: list[RoleOrNone] = []
    # Columns of a power record and their quantities, in step; "as told" leaves one to the analysis, "" says it is none.
    columns: list[str] = []
    quantities: list[QuantityOrNone] = []
    # What their values are multiplied by, in step too; empty takes them as they stand.
    factors: list[Factor] = []
    scale: OptionalNumber = Field(None, gt=0, le=1e6, allow_inf_nan=False)
    inverted: str = Field("", pattern="^(|yes|no)$")
    offset_v: OptionalNumber = Field(None, ge=-100, le=100, allow_inf_nan=False)
    interval: str = Field("", max_length=40)
    by_name: str = Field(min_length=1, max_length=80)
    why: str = Field(min_length=1, max_length=300)
    # Key of the reader to use instead of the one the content speaks for.
    reader: str = Field("", max_length=24)
    # Whether the roles hold for every file of this instrument from now on.
    remember: bool = False

    @field_validator("reader")
    @classmethod
    def _known_reader(cls, value: str) -> str:
        if value and all(reader.key != value for reader in READERS):
            raise ValueError("a reader from the list was expected")
        return value

    def settled(self, before: Settled) -> Settled:
        """As typed; what the form does not ask stays: readings corrected, signals, what is known of the equipment."""
        turned = {"yes": True, "no": False}.get(self.inverted)
        roles = {name: role for name, role in zip(self.names, self.roles, strict=False) if role}
        factors = {name: factor for name, factor in zip(self.names, self.factors, strict=False) if factor}
        pairs = zip(self.columns, self.quantities, strict=False)
        columns = {title: quantity for title, quantity in pairs if quantity != AS_TOLD}
        typed = {
            "roles": roles,
            "factors": factors,
            "columns": columns,
            "scale": self.scale,
            "inverted": turned,
            "offset_v": self.offset_v,
        }
        return before.model_copy(update=typed)


def again(db: Session, capture: Capture, settled: Settled, by_name: str, why: str, before: Settlement | None) -> None:
    """Settle something more about a capture; how it is read stays."""
    interval_s, reader = (before.interval_s, before.reader) if before else (None, "")
    add_settlement(db, capture, settled, interval_s, by_name, why, reader)


@router.post("/captures/{number}/settle")
def settle(here: ServicesHere, number: int, form: Annotated[SettleForm, Form()]) -> Response:
    """Record what a person settled and analyse again; the reading before stays on record."""
    try:
        interval_s = seconds_in(form.interval)
    except ValueError as error:
        raise refused(error, "Type such as “20 µs” or “30 s”.") from error
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number, lock=True)
        settled = form.settled(settled_of(newest_settlement(db, capture)))
        if form.remember:
            _remember(db, measured_or_409(capture)[0], settled, form.by_name)
        add_settlement(db, capture, settled, interval_s, form.by_name, form.why, form.reader)
        session_number = capture.session_id
    wait_for(here, session_number)
    return signed(RedirectResponse(f"/sessions/{session_number}?capture={number}", 303), form.by_name)


class ChannelsForm(BaseModel):
    """What channels are, in step with their names, what their values are multiplied by, and which of them is nought; an empty
    role leaves a channel open. remember: for every file of this instrument."""

    model_config = ConfigDict(str_strip_whitespace=True)

    names: list[str]
    roles: list[RoleOrNone]
    factors: list[Factor] = []
    noughts: list[OptionalFinite] = []
    by_name: str = Field(min_length=1, max_length=80)
    remember: bool = False


@router.post("/captures/{number}/channels")
def name_channels(here: ServicesHere, number: int, form: Annotated[ChannelsForm, Form()]) -> Response:
    """Answer what was asked about channels nothing told; all else that was settled stays."""
    said = {name: role for name, role in zip(form.names, form.roles, strict=False) if role}
    factors = {name: factor for name, factor in zip(form.names, form.factors, strict=False) if factor}
    if not said:
        raise refused(ValueError("no channel was given a role"), "Choose what at least one of them is.")
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number, lock=True)
        measured = measured_or_409(capture)[0]
        unknown = sorted(set(said) - {c.name for c in measured.channels})
        if unknown:
            raise refused(ValueError(f"there is no channel “{unknown[0]}” in this capture"), "Load the page again.")
        before = newest_settlement(db, capture)
        settled = settled_of(before)
        noughts = {name: nought for name, nought in zip(form.names, form.noughts, strict=False) if nought}
        both = {"roles": {**settled.roles, **said}, "factors": {**settled.factors, **factors}}
        settled = settled.model_copy(update={**both, "noughts": {**settled.noughts, **noughts}})
        if form.remember:
            _remember(db, measured, settled, form.by_name)
        again(db, capture, settled, form.by_name, "Asked what these channels are", before)
        session_number = capture.session_id
    wait_for(here, session_number)
    return signed(RedirectResponse(f"/sessions/{session_number}", 303), form.by_name)


def _remember(db: Session, measured: Measured, settled: Settled, by_name: str) -> None:
    told = {channel.name: channel.role for channel in measured.channels if channel.told_by != "nothing"}
    roles = {**told, **settled.roles}
    remember_roles(db, signature_of(measured), settled.model_copy(update={"roles": roles}), by_name)


class AmendForm(BaseModel):
    """A correction of one segment's reading; empty leaves the machine's value."""

    model_config = ConfigDict(str_strip_whitespace=True)

    at_s: float = Field(allow_inf_nan=False)
    state: State | Literal[""] = ""
    high_v: OptionalNumber = Field(None, ge=-20, le=20, allow_inf_nan=False)
    low_v: OptionalNumber = Field(None, ge=-20, le=20, allow_inf_nan=False)
    duty_percent: OptionalNumber = Field(None, ge=0, le=100, allow_inf_nan=False)
    by_name: str = Field(min_length=1, max_length=80)
    why: str = Field(min_length=1, max_length=300)

    def amendment(self) -> Amendment:
        return Amendment(
            at_s=self.at_s,
            state=self.state or None,
            high_v=self.high_v,
            low_v=self.low_v,
            duty_percent=self.duty_percent,
            by_name=self.by_name,
            why=self.why,
        )


@router.post("/captures/{number}/amend")
def correct(here: ServicesHere, number: int, form: Annotated[AmendForm, Form()]) -> Response:
    """Correct a machine reading by hand: both stay on record, and the verdict follows the correction."""
    amendment = form.amendment()
    if not amendment.values:
        raise RefusedError(422, "Nothing was corrected.", "Change a value, or leave the reading as it is.")
    with here.sessions.begin() as db:
        capture, _, measured = _measured(db, number, lock=True)
        pilot = measured.first(PilotRecord)
        try:
            amend(pilot, [amendment]) if pilot else _no_pilot()
        except ValueError as error:
            raise refused(error, "Go back to the segment and try again.") from error
        newest = newest_settlement(db, capture)
        before = settled_of(newest)
        settled = before.model_copy(update={"amendments": (*before.amendments, amendment)})
        again(db, capture, settled, form.by_name, form.why, newest)
        session_number = capture.session_id
    wait_for(here, session_number)
    return signed(_back_to(session_number, number, form.at_s), form.by_name)


def _back_to(session: int, capture: int, at_s: float) -> Response:
    """The session with the capture and the segment in hand still chosen."""
    return RedirectResponse(f"/sessions/{session}?capture={capture}&at={at_s:.9f}#readings", 303)


class TakeBackForm(BaseModel):
    """Which correction is taken back: the place in what is settled, and its moment, should somebody have been quicker."""

    model_config = ConfigDict(str_strip_whitespace=True)

    place: int = Field(ge=0, le=10_000)
    at_s: float = Field(allow_inf_nan=False)
    by_name: str = Field(min_length=1, max_length=80)


@router.post("/captures/{number}/amendments/take-back")
def take_back(here: ServicesHere, number: int, form: Annotated[TakeBackForm, Form()]) -> Response:
    """Take a correction back: the machine's reading holds again, and that it was corrected stays on record."""
    with here.sessions.begin() as db:
        capture = capture_or_404(db, number, lock=True)
        newest = newest_settlement(db, capture)
        before = settled_of(newest)
        kept = list(before.amendments)
        if form.place >= len(kept) or abs(kept[form.place].at_s - form.at_s) > 1e-6:
            raise RefusedError(409, "This correction is not in force any more.", "Look at the page again.")
        gone = kept.pop(form.place)
        why = f"The correction at {gone.at_s:.3f} s by {gone.by_name} taken back"
        again(db, capture, before.model_copy(update={"amendments": tuple(kept)}), form.by_name, why, newest)
        session_number = capture.session_id
    wait_for(here, session_number)
    return signed(_back_to(session_number, number, gone.at_s), form.by_name)


def _no_pilot() -> None:
    raise ValueError("there is no pilot in this capture to correct")
