"""What the record says to the judge of a session: attempts of its case, sessions at its post and of its vehicle, closed
cases."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import timedelta

from sqlalchemy import case, func, or_, select
from sqlalchemy.orm import Session, joinedload

from gladwire.core.answers import Answer, Before
from gladwire.core.case.memory import by_attempts, by_closed_cases
from gladwire.core.case.standing_out import Pair
from gladwire.core.case.swaps import Attempt as Tried
from gladwire.store.equipment import attempts_with, pieces_of
from gladwire.store.models import Attempt, Case, ChargingSession, Observation, StoredJudgement, utc_now
from gladwire.work.cases import TriedWith, answers_of_attempts, attempted, came_of, parts_of

# So long a post or a vehicle is taken to be what it was, and of so many sessions at most.
_DAYS, _MOST_SESSIONS, _MOST_CASES = 30, 60, 200


def answers_of_record(db: Session, session: ChargingSession) -> list[Answer]:
    """What other attempts answer; those of the same case since its last repair are looked at first and hold."""
    parts = parts_of(session)
    named = {part: name for part, name in parts.items() if name}
    if not named:
        return []
    around = [t for t in (*_elsewhere(db, session), *_attempts_elsewhere(db, session)) if t.session != session.id]
    where = f"in the {_DAYS} days before"
    counted = {a.test: a for a in by_attempts(named, [t.attempt for t in around], where, "elsewhere")}
    own = {a.test: a for a in answers_of_attempts(session.case, parts, session)} if session.case else {}
    return list({**counted, **own}.values())


def _elsewhere(db: Session, session: ChargingSession) -> Iterator[TriedWith]:
    """Sessions at the same stall or of the same vehicle, of other cases or of none."""
    same = [
        column == number
        for column, number in (
            (ChargingSession.stall_id, session.stall_id),
            (ChargingSession.vehicle_id, session.vehicle_id),
        )
        if number is not None
    ]
    if not same:
        return
    since = session.created_at - timedelta(days=_DAYS)
    chosen = (
        select(ChargingSession)
        .where(or_(*same), ChargingSession.created_at >= since, ChargingSession.created_at < session.created_at)
        .options(
            joinedload(ChargingSession.judgement),
            *pieces_of(ChargingSession),
            joinedload(ChargingSession.case).selectinload(Case.sessions),
        )
        .order_by(ChargingSession.id.desc())
        .limit(_MOST_SESSIONS)
    )
    for other in db.scalars(chosen).unique():
        # What is slower elsewhere says nothing of what does not start here, and the reverse.
        slow = other.judgement is not None and other.judgement.outcome == "derated"
        if not slow and (session.case_id is None or other.case_id != session.case_id):
            yield TriedWith(_attempt(other), other.id, "", other.created_at)


def _attempts_elsewhere(db: Session, session: ChargingSession) -> Iterator[TriedWith]:
    """Attempts without a capture at the same stall or of the same vehicle, in other cases."""
    since = session.created_at - timedelta(days=_DAYS)
    for one in attempts_with(db, [n for n in (session.vehicle_id, session.stall_id) if n is not None], _MOST_SESSIONS):
        if since <= one.made_at < session.created_at and one.case_id != session.case_id:
            yield attempted(one)


def _attempt(session: ChargingSession) -> Tried:
    return Tried(parts_of(session), came_of(session))


# So far back a thing is asked what it came to.
_RECORD_DAYS = 180
# What is only slower is another complaint.
_FAILED = ("failed_to_start", "dropped_out")


def pairs_of_record(db: Session) -> list[Pair]:
    """What came of every vehicle at every stall in the last half year, sessions and attempts together."""
    since = utc_now() - timedelta(days=_RECORD_DAYS)
    failed = func.sum(case((StoredJudgement.outcome.in_(_FAILED), 1), else_=0))
    sessions = (
        select(ChargingSession.vehicle_id, ChargingSession.stall_id, func.count(), failed)
        .join(StoredJudgement)
        .where(ChargingSession.vehicle_id.is_not(None), ChargingSession.stall_id.is_not(None))
        .where(ChargingSession.created_at >= since, StoredJudgement.outcome.in_((*_FAILED, "charged")))
        .group_by(ChargingSession.vehicle_id, ChargingSession.stall_id)
    )
    attempts = (
        select(
            Attempt.vehicle_id, Attempt.stall_id, func.count(), func.sum(case((Attempt.came == "failed", 1), else_=0))
        )
        .where(Attempt.vehicle_id.is_not(None), Attempt.stall_id.is_not(None), Attempt.struck_by == "")
        .where(Attempt.made_at >= since, Attempt.came.in_(("failed", "charged")))
        .group_by(Attempt.vehicle_id, Attempt.stall_id)
    )
    found: dict[tuple[int, int], tuple[int, int]] = {}
    for vehicle, stall, tries, bad in (*db.execute(sessions), *db.execute(attempts)):
        before = found.get((vehicle, stall), (0, 0))
        found[vehicle, stall] = (before[0] + int(tries), before[1] + int(bad))
    return [Pair(vehicle, stall, *counts) for (vehicle, stall), counts in found.items()]


def before_here(db: Session, session: ChargingSession) -> Mapping[str, Before]:
    """What it was in closed cases of this vehicle or of this post, the causes people named when they closed them."""
    own = session.case
    if own is None or not (own.vehicle or own.post):
        return {}
    same = [column == name for column, name in ((Case.vehicle, own.vehicle), (Case.post, own.post)) if name]
    chosen = (
        select(Observation.place)
        .join(Case, Observation.case_id == Case.id)
        .where(Observation.kind == "cause", Observation.struck_by == "", Case.state == "closed")
        .where(or_(*same), Case.id != own.id)
        .order_by(Observation.id.desc())
        .limit(_MOST_CASES)
    )
    return by_closed_cases(list(db.scalars(chosen)), "of this vehicle or this post")
