"""The conversation's messages: one opened to its fields, many found and filtered, all taken out, and the frames of a span."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from starlette.responses import Response, StreamingResponse

from gladwire.core.lanes.frames.message_store import MessageStore, StoredMessage
from gladwire.core.lanes.frames.plain import means
from gladwire.core.lanes.frames.record import SIDE_WORDS, ConversationRecord, Side
from gladwire.core.lanes.frames.rules.parameters import limits_at
from gladwire.core.lanes.frames.search import looking_for
from gladwire.core.moments import Clock
from gladwire.core.plc.exi.units import unit_of
from gladwire.export import harmless, message_entry
from gladwire.store.models import Capture
from gladwire.web.errors import RefusedError
from gladwire.web.pages.captures import attachment, capture_or_404, stem_of
from gladwire.web.services import Database, Services, ServicesHere
from gladwire.web.session_view import measured_or_409, session_view
from gladwire.web.templating import render

router = APIRouter()

_SIDES: tuple[Side, Side] = ("ev", "evse")
_MOST_FOUND = 200


@dataclass(frozen=True)
class FieldRow:
    """One field. limit: what the other side allows, with its unit, or empty. over: the value is beyond it."""

    path: str
    value: str
    unit: str
    limit: str
    over: bool
    meaning: str


@dataclass(frozen=True)
class MessagePart:
    """One message opened."""

    capture: int
    number: int
    count: int
    time_s: float
    side: str
    frame: int
    name: str
    protocol: str
    rows: list[FieldRow]
    header: list[FieldRow]
    error: str
    octets: list[str]
    size: int


@dataclass(frozen=True)
class FoundRow:
    number: int
    time_s: float
    side: str
    name: str
    says: str


@dataclass(frozen=True)
class FoundPart:
    """Messages found. more: those beyond the ones listed."""

    capture: int
    rows: list[FoundRow]
    more: int


def _opened(db: Database, here: Services, number: int) -> tuple[Capture, MessageStore, Clock, ConversationRecord]:
    """(capture, its messages, clock of the session, its record). Raises RefusedError where it holds no frames."""
    capture = capture_or_404(db, number)
    record = measured_or_409(capture)[0].first(ConversationRecord)
    if record is None:
        raise RefusedError(404, f"“{capture.name}” holds no frames.", "Open a capture of frames.")
    view = session_view(capture.session)
    alignment = view.alignment_of(capture) if view else None
    return capture, here.messages(db, capture), alignment.clock if alignment else Clock(), record


@router.get("/captures/{number}/messages/{place}")
def one_message(db: Database, here: ServicesHere, number: int, place: int) -> Response:
    """One message to its fields, as a fragment."""
    capture, messages, clock, record = _opened(db, here, number)
    try:
        kept = messages.one(place)
    except IndexError:
        raise RefusedError(404, f"There is no message {place} in this capture.", "Choose another.") from None
    message = kept.message
    return render(
        "parts/message.html",
        MessagePart(
            capture=capture.id,
            number=place,
            count=len(messages),
            time_s=clock.on_session(kept.time_s),
            side=SIDE_WORDS[_SIDES[kept.side]],
            frame=kept.frame + 1,
            name=message.name or "A message that is not decoded",
            protocol=message.protocol,
            rows=[_row(path, value, limits_at(record, kept.time_s)) for path, value in message.fields.items()],
            header=[_row(path, value, {}) for path, value in message.header.items()],
            error=str(message.error) if message.error else "",
            octets=[kept.payload[i : i + 16].hex(" ") for i in range(0, len(kept.payload), 16)],
            size=len(kept.payload),
        ),
    )


def _row(path: str, value: Any, limits: dict[str, float]) -> FieldRow:
    unit = unit_of(path) if isinstance(value, int | float) and not isinstance(value, bool) else ""
    limit = limits.get(path)
    over = limit is not None and isinstance(value, int | float) and value > limit
    value_words = (
        "yes"
        if value is True
        else "no"
        if value is False
        else "empty"
        if value == {}
        else f"{value:,}".replace(",", " ")
        if isinstance(value, int | float)
        else str(value)
    )
    return FieldRow(path, value_words, unit, f"{limit:g} {unit}" if limit is not None else "", over, means(path, value))


@router.get("/captures/{number}/messages")
def found_messages(
    db: Database,
    here: ServicesHere,
    number: int,
    text: Annotated[str, Query(max_length=200)] = "",
    name: Annotated[str, Query(max_length=80)] = "",
    side: Literal["", "ev", "evse"] = "",
) -> Response:
    """Messages that hold what was typed, as a fragment."""
    capture, messages, clock, _ = _opened(db, here, number)
    test = looking_for(text)
    rows: list[FoundRow] = []
    more = 0
    known: dict[bytes, bool] = {}
    for place in _numbers(messages, side):
        payload = messages.payload(place)
        if payload not in known:
            message = messages.one(place).message
            known[payload] = (not name or message.name.startswith(name)) and test(message)
        if not known[payload]:
            continue
        if len(rows) < _MOST_FOUND:
            rows.append(_found(messages.one(place), clock, text))
        else:
            more += 1
    return render("parts/found.html", FoundPart(capture.id, rows, more))


def _asked_for(text: str, path: str, value: Any) -> bool:
    words = [w.lower() for w in text.replace(">", " ").replace("<", " ").replace("=", " ").split()]
    return any(w in path.lower() or w == str(value).lower() for w in words)


def _found(kept: StoredMessage, clock: Clock, text: str) -> FoundRow:
    fields = kept.message.fields.items()
    value_words = [f"{k.rpartition('.')[2]} {v} {unit_of(k)}".strip() for k, v in fields if _asked_for(text, k, v)]
    side = SIDE_WORDS[_SIDES[kept.side]]
    return FoundRow(
        kept.number,
        clock.on_session(kept.time_s),
        side,
        kept.message.name or "not decoded",
        ", ".join(value_words)[:160],
    )


def _numbers(messages: MessageStore, side: str) -> Iterator[int]:
    return (n for n in range(len(messages)) if not side or _SIDES[int(messages.sides[n])] == side)


def _every(messages: MessageStore) -> Iterator[StoredMessage]:
    return (messages.one(n) for n in range(len(messages)))


@router.get("/captures/{number}/messages.jsonl")
def messages_jsonl(db: Database, here: ServicesHere, number: int) -> Response:
    """Every message as a line of JSON."""
    capture, messages, clock, _ = _opened(db, here, number)
    lines = (json.dumps(message_entry(kept, clock), ensure_ascii=False) + "\n" for kept in _every(messages))
    return StreamingResponse(
        lines, media_type="application/jsonl; charset=utf-8", headers=attachment(f"{stem_of(capture)}.messages.jsonl")
    )


@router.get("/captures/{number}/messages.csv")
def messages_csv(db: Database, here: ServicesHere, number: int) -> Response:
    """Every field of every message as a row."""
    capture, messages, clock, _ = _opened(db, here, number)
    return StreamingResponse(
        _csv_lines(messages, clock),
        media_type="text/csv; charset=utf-8",
        headers=attachment(f"{stem_of(capture)}.messages.csv"),
    )


def _csv_lines(messages: MessageStore, clock: Clock) -> Iterator[str]:
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(["number", "time_s", "from", "protocol", "message", "field", "value", "unit"])
    for kept in _every(messages):
        head = [
            kept.number,
            round(clock.on_session(kept.time_s), 6),
            _SIDES[kept.side],
            kept.message.protocol,
            kept.message.name,
        ]
        for path, value in kept.message.fields.items() or [("", "")]:
            writer.writerow([*head, path, harmless(value), unit_of(path)])
        yield text.getvalue()
        text.seek(0)
        text.truncate()


@router.get("/captures/{number}/frames.pcapng")
def frames_of_a_span(
    db: Database,
    here: ServicesHere,
    number: int,
    start: Annotated[float, Query(alias="from", allow_inf_nan=False)] = -1e12,
    end: Annotated[float, Query(alias="to", allow_inf_nan=False)] = 1e12,
) -> Response:
    """The frames of a stretch of the session's clock."""
    capture, _, clock, _ = _opened(db, here, number)
    first, last = clock.in_file(start), clock.in_file(end)
    content = here.frames_between(db, capture, first, last)
    if not content:
        raise RefusedError(404, "There is no frame in this stretch.", "Choose a longer one.")
    return Response(
        content, media_type="application/octet-stream", headers=attachment(f"{stem_of(capture)}.frames.pcapng")
    )
