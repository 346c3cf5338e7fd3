"""Storing the demo: once, in one transaction, into an empty database."""

from __future__ import annotations

import io
from datetime import timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from gladwire.core.can.names import dbc_text, is_dbc, read_names
from gladwire.core.plc.keylog import is_keylog, read_keylog
from gladwire.core.settled import Settled
from gladwire.demo.case import DemoCase, DemoSession, Noted
from gladwire.demo.harbour import CASES, LOOSE
from gladwire.demo.power_harbour import EQUIPMENT
from gladwire.demo.week_harbour import LEARNT, THINGS
from gladwire.store.captures import add_capture
from gladwire.store.cases import close_case, wait_for
from gladwire.store.database import Sessions
from gladwire.store.equipment import add_equipment, all_equipment, chain_for
from gladwire.store.known_goods import keep_known_good
from gladwire.store.measurements import add_settlement
from gladwire.store.models import Attempt, Capture, Case, ChargingSession, ModelNote, Observation, utc_now
from gladwire.store.supplements import add_description, add_key_log
from gladwire.work.cases import take_part


def fill(sessions: Sessions) -> None:
    """Store the demo once: an empty database is filled in one transaction, any other left alone."""
    with sessions.begin() as db:
        if db.scalar(select(Capture.id).limit(1)) is not None:
            return
        for piece in (*EQUIPMENT, *THINGS):
            add_equipment(db, piece.kind, piece.name, piece.site, dict(piece.details), "Runa Holt")
        for model, kind, shows, stage, text in LEARNT:
            db.add(ModelNote(model=model, kind=kind, shows=shows, stage=stage, text=text, by_name="Runa Holt"))
        for chosen in CASES:
            _add_case(db, chosen)
        for session in LOOSE:
            _add(db, session, None)


def _add_case(db: Session, chosen: DemoCase) -> None:
    case = Case(
        title=chosen.title,
        vehicle=chosen.vehicle,
        post=chosen.post,
        complaint=chosen.complaint,
        waits_for=chosen.waits_for,
        modes=",".join(chosen.modes),
    )
    today = utc_now()
    later = today.date() + timedelta(days=chosen.days)
    back_on = later if chosen.waits_on == "day" else None
    wait_for(case, chosen.waits_on, back_on)
    if chosen.waits_on and back_on is None:
        case.waits_since = today - timedelta(days=chosen.days)
    db.add(case)
    db.flush()
    for noted in chosen.noted:
        db.add(_observation(noted, case_id=case.id))
    for session in chosen.sessions:
        _add(db, session, case)
    for tried in chosen.attempts:
        kept = Attempt(case_id=case.id, came=tried.came, start=tried.start, stage=tried.stage, said=tried.said)
        kept.by_name = tried.by_name
        take_part(db, kept, tried.parts, tried.by_name)
        db.add(kept)
    if chosen.closed:
        close_case(case, chosen.closed, later if chosen.closed == "watched" else None)
    db.flush()


def _add(db: Session, told: DemoSession, case: Case | None) -> None:
    session = ChargingSession(title=told.title, case=case, mode=told.mode)
    db.add(session)
    db.flush()
    captures = []
    for file in told.files:
        content = file.content()
        if is_keylog(content):
            add_key_log(db, session, file.name, content, read_keylog(content.decode()).sessions)
        elif is_dbc(content):
            add_description(db, file.name, content, read_names(dbc_text(content), file.name).counts)
        else:
            captures.append(add_capture(db, session, file.name, io.BytesIO(content)))
    take_part(db, session, told.parts, "Runa Holt")
    _tell_equipment(db, session, captures, told)
    for noted in told.noted:
        db.add(_observation(noted, session_id=session.id))
    if told.repair and case:
        db.add(_observation(Noted("repair", told.repair), case_id=case.id))
        db.flush()
    if told.known_good:
        keep_known_good(db, told.known_good, captures[0], "Runa Holt")


def _tell_equipment(db: Session, session: ChargingSession, captures: list[Capture], told: DemoSession) -> None:
    """What was plugged into what, and what is known of it, as a person would settle it."""
    named = {(e.kind, e.name): e for e in all_equipment(db)}
    vehicle, stall = named.get(("vehicle", told.vehicle)), named.get(("stall", told.stall))
    if not (vehicle or stall or told.known):
        return
    session.vehicle, session.stall, session.adapter = vehicle, stall, named.get(("adapter", told.adapter))
    context = chain_for(db, (vehicle, stall, named.get(("adapter", told.adapter))), **told.known)
    settled = Settled(context=context)
    for capture in captures:
        add_settlement(db, capture, settled, None, "Runa Holt", "Read from the labels of vehicle and post")


def _observation(noted: Noted, case_id: int | None = None, session_id: int | None = None) -> Observation:
    return Observation(
        case_id=case_id,
        session_id=session_id,
        kind=noted.kind,
        at_s=noted.at_s,
        place=noted.place,
        value=noted.value,
        unit=noted.unit,
        text=noted.text,
        by_name=noted.by_name,
    )
