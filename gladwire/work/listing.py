"""What lists sort and the search finds: one row for each case, session and piece of equipment, made in the transaction that
changes what it is made of."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from datetime import UTC, date, datetime, timedelta
from typing import Any, NamedTuple, cast

from sqlalchemy import Engine, delete, event, inspect, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, joinedload, selectinload, undefer

from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.diagnosis.causes import BY_CODE as CAUSES
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.measured import Measured
from gladwire.core.scene.stamps import BY_KEY as STAMPS
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.outcome import OUTCOME_WORDS
from gladwire.formats.dates import moment_of, names_zone
from gladwire.store.cases import reopen_case, wait_for
from gladwire.store.database import Sessions, sessions_of
from gladwire.store.equipment import PIECES, details_of, pieces_of
from gladwire.store.listed import rows_to_list
from gladwire.store.models import (
    Attempt,
    Capture,
    Case,
    ChargingSession,
    Equipment,
    Listed,
    Observation,
    StoredJudgement,
    TakesPart,
)
from gladwire.work.cases import unsafe

# Raise when rows would come out otherwise; those of an older version are made anew by the worker.
LISTS = 2
_MOST_WORDS = 60_000
# A clock that was never set tells 1970 or a day to come: so far from its receipt a recording's own date is not believed.
_OLDEST, _AHEAD = timedelta(days=20 * 365), timedelta(hours=26)
Row = tuple[str, int]


def listing_sessions(engine: Engine) -> Sessions:
    """Sessions whose transactions keep the rows of what they change."""
    sessions = sessions_of(engine)
    event.listen(sessions, "after_flush", _gather)
    event.listen(sessions, "before_commit", _list)
    return sessions


def _gather(db: Session, _: object) -> None:
    rows = rows_to_list(db)
    for changed in (*db.new, *db.dirty, *db.deleted):
        rows |= set(_rows_of(db, changed))


def _rows_of(db: Session, changed: object) -> Iterable[Row]:
    """Rows that are made of it."""
    if isinstance(changed, Case):
        yield "case", changed.id
        if any(inspect(changed).attrs[name].history.has_changes() for name in ("title", "vehicle", "post")):
            sessions = select(ChargingSession.id).where(ChargingSession.case_id == changed.id)
            with db.no_autoflush:
                yield from (("session", number) for number in db.scalars(sessions))
    elif isinstance(changed, ChargingSession):
        yield "session", changed.id
        for case in (changed.case_id, *(inspect(changed).attrs.case_id.history.deleted or ())):
            if case is not None:
                yield "case", case
    elif isinstance(changed, Attempt):
        yield "case", changed.case_id
    elif isinstance(changed, Observation):
        if changed.case_id is not None:
            yield "case", changed.case_id
        if changed.session_id is not None:
            yield "session", changed.session_id
    elif isinstance(changed, Capture | StoredJudgement):
        yield "session", changed.session_id
    elif isinstance(changed, Equipment):
        yield "thing", changed.id


def _list(db: Session) -> None:
    db.flush()
    rows = set(rows_to_list(db))
    rows_to_list(db).clear()
    sessions = [number for kind, number in rows if kind == "session"]
    if sessions:  # what a session tells is told of its case
        chosen = select(ChargingSession.case_id).where(ChargingSession.id.in_(sessions))
        rows |= {("case", number) for number in db.scalars(chosen) if number is not None}
    # One order for all, so that no two wait for each other.
    for kind, number in sorted(rows):
        list_again(db, kind, number)


def list_again(db: Session, kind: str, number: int) -> None:
    """Make a row anew. It is held first: of two who change a case at once the second sees what the first added."""
    mine = (Listed.kind == kind, Listed.ref == number)
    db.execute(select(Listed.ref).where(*mine).with_for_update())
    found = _MADE[kind](db, number)
    if found is None:
        db.execute(delete(Listed).where(*mine))
        return
    found |= {"title": found["title"][:300], "words": found["words"][:_MOST_WORDS], "version": LISTS}
    # In one statement: the full-text index is written once, and not at all where nothing changed.
    db.execute(insert(Listed).values(kind=kind, ref=number, **found).on_duplicate_key_update(**found))


def _case(db: Session, number: int) -> dict[str, Any] | None:
    chosen = select(Case).where(Case.id == number).execution_options(populate_existing=True)
    whole = (
        selectinload(Case.sessions).joinedload(ChargingSession.judgement),
        selectinload(Case.observations),
        selectinload(Case.attempts),
    )
    case = db.scalar(chosen.options(*whole))
    if case is None:
        return None
    noted = [o for o in case.observations if not o.struck_by]
    words = [case.complaint, case.vehicle, case.post, case.waits_for, *(MODES[m].title for m in _keys(case.modes))]
    words += [*_said(noted), *(s.title for s in case.sessions)]
    words += [word for one in case.attempts if not one.struck_by for word in (one.said, one.by_name, *_things(one))]
    led = {s.judgement.leads for s in case.sessions if s.judgement and s.judgement.leads in CAUSES}
    words += [f"{code} {CAUSES[code].title}" for code in sorted(led)]
    return {
        "title": case.title,
        "says": " at ".join(part for part in (case.vehicle, case.post) if part)[:300],
        "state": case.state,
        "waits_on": case.waits_on,
        "danger": case.state == "open" and unsafe(case) is not None,
        "at": case.closed_at or case.created_at,
        "since": case.waits_since,
        "back_on": case.back_on,
        "case_id": None,
        "words": _joined(words),
    }


def _session(db: Session, number: int) -> dict[str, Any] | None:
    chosen = select(ChargingSession).where(ChargingSession.id == number).execution_options(populate_existing=True)
    session = db.scalar(
        chosen.options(
            selectinload(ChargingSession.captures),
            selectinload(ChargingSession.observations),
            joinedload(ChargingSession.case),
            *pieces_of(ChargingSession),
            joinedload(ChargingSession.judgement).options(undefer(StoredJudgement.words)),
        )
    )
    if session is None:
        return None
    told, case = session.judgement, session.case
    words = [c.name for c in session.captures] + _said(o for o in session.observations if not o.struck_by)
    words += [MODES[session.mode].title] if session.mode in MODES else []
    words += [case.title, case.vehicle, case.post] if case else []
    words += _things(session)
    outcome = told.outcome if told and not told.refusal else "unknown"
    words += [OUTCOME_WORDS[cast(Any, outcome)], told.words] if told else []
    return {
        "title": session.title,
        "says": told.verdict[:300] if told else "",
        "state": outcome,
        "waits_on": "",
        "danger": bool(told and told.danger),
        "at": told_at.at if (told_at := recorded(session)) else session.created_at,
        "since": session.created_at,
        "back_on": None,
        "case_id": session.case_id,
        "words": _joined(words),
    }


def _thing(db: Session, number: int) -> dict[str, Any] | None:
    piece = db.get(Equipment, number, populate_existing=True)
    if piece is None:
        return None
    return {
        "title": piece.name,
        "says": piece.site[:300],
        "state": piece.kind,
        "waits_on": "",
        "danger": False,
        "at": piece.made_at,
        "since": piece.made_at,
        "back_on": None,
        "case_id": None,
        "words": _joined([piece.kind, piece.site, *_figures(piece)]),
    }


_MADE = {"case": _case, "session": _session, "thing": _thing}


def _things(tried: TakesPart) -> list[str]:
    """Names and labels of what took part."""
    pieces = [getattr(tried, piece) for piece in PIECES]
    return [tried.software, *(word for e in pieces if e for word in (e.name, e.site, *_figures(e)))]


def _keys(kept: str) -> list[str]:
    return [key for key in kept.split(",") if key in MODES]


def _figures(piece: Equipment) -> list[str]:
    return [value for value in details_of(piece).values() if isinstance(value, str) and value]


def _said(noted: Iterable[Observation]) -> list[str]:
    """What people noted, in words: JSON keeps its values."""
    found = []
    for o in noted:
        found += [o.text, o.place, o.by_name]
        found += [STAMPS[o.kind].words] if o.kind in STAMPS else []
        found += [CAUSES[o.place].title] if o.kind == "cause" and o.place in CAUSES else []
    return found


def _joined(words: Iterable[str]) -> str:
    """Each word once: it is found by it, and no more."""
    return " ".join(dict.fromkeys(word for text in words for word in re.findall(r"\w+", text)))


class Recorded(NamedTuple):
    """at: in UTC where the file names a zone (zoned), else by the clock of a place it does not name."""

    at: datetime
    zoned: bool


def recorded(session: ChargingSession) -> Recorded | None:
    """When it was recorded, as the earliest of its captures tells; None where none does, or its clock was not set."""
    told = []
    for capture in session.captures:
        at = moment_of(capture.recorded_at)
        when = datetime.fromtimestamp(at, UTC).replace(tzinfo=None) if at is not None else None
        if when and capture.received_at - _OLDEST < when < capture.received_at + _AHEAD:
            told.append(Recorded(when, names_zone(capture.recorded_at)))
    return min(told, default=None)


def words_of(judgement: Judgement, measured: Iterable[Measured]) -> str:
    """What a judged session is found by beside what people wrote: its findings, causes, and messages by their names, with the
    addresses of who spoke."""
    words = [judgement.verdict, *(f"{f.code} {f.text} {f.measured}" for f in judgement.findings)]
    words += [f"{c.code} {c.title}" for c in judgement.causes]
    for one in measured:
        words += [one.format, *(channel.name for channel in one.channels)]
        for talk in (t for r in one.records.of(ConversationRecord) for t in r.connections):
            words += [
                talk.ev_mac,
                talk.evse_mac,
                talk.session,
                *(f"{e.stem} {e.stem}Req {e.stem}Res" for e in talk.exchanges),
            ]
    return _joined(words)[:_MOST_WORDS]


def list_outdated(db: Session, most: int = 25) -> int:
    """Make rows that are missing, or of an older version; returns how many there were."""
    made: Mapping[str, Any] = {"case": Case.id, "session": ChargingSession.id, "thing": Equipment.id}
    done = 0
    for kind, column in made.items():
        current = select(Listed.ref).where(Listed.kind == kind, Listed.version >= LISTS)
        for number in db.scalars(
            select(column).where(column.not_in(current)).order_by(column).limit(most - done)
        ).all():
            list_again(db, kind, number)
            done += 1
    return done


def come_back(db: Session, today: date) -> None:
    """Cases whose day has come wait for somebody here again; those that were watched open by themselves."""
    due = select(Case).where(Case.back_on <= today).order_by(Case.id)
    for case in db.scalars(due.with_for_update(skip_locked=True)):
        if case.state != "open":
            reopen_case(case)
        wait_for(case, "me", None)
