"""Judgements of sessions: asked for whenever something they rest on changes, claimed, kept, read."""

from __future__ import annotations

import json
import zlib
from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any, NamedTuple

from sqlalchemy import inspect, or_, select, update
from sqlalchemy.orm import Session, joinedload, object_session

from gladwire.core.session.stored import Judged
from gladwire.store.kept_parsed import KeptParsed
from gladwire.store.models import ChargingSession, EarlierVerdict, StoredJudgement, utc_now
from gladwire.store.shapes import JUDGED_FORMAT, judged_from, unpacked

# A worker that has not finished by then is taken for dead.
CLAIM_LASTS = timedelta(minutes=5)
# What was said for a shorter time, between two files of one drop, nobody went by.
_STOOD = timedelta(seconds=60)
_parsed: KeptParsed[Judged] = KeptParsed(256)


class Claim(NamedTuple):
    """A session to be judged. asked: which of the times it was asked for this answers."""

    session: int
    asked: int


def ask(*sessions: ChargingSession) -> None:
    """Something the judgements of these rest on has changed: they are to be made anew.

    Their rows are locked here and now, in the order of their numbers: to be called before anything that points at them is
    added. Who points at a row first and writes it afterwards waits for a worker that does the same, and one of the two loses
    what it had to say.
    """
    kept = [s for s in sessions if inspect(s).has_identity]
    for session in sessions:
        if session not in kept:
            session.asked = 1
    db = object_session(kept[0]) if kept else None
    if db is None:
        return
    with db.no_autoflush:
        numbers = sorted(s.id for s in kept)
        wanted = update(ChargingSession).where(ChargingSession.id.in_(numbers)).values(asked=ChargingSession.asked + 1)
        db.execute(wanted, execution_options={"synchronize_session": False})
        for session in kept:
            db.expire(session, ["asked", "judgement"])  # a worker may have replaced it before these rows were held


def waits(session: ChargingSession) -> bool:
    """Whether a judgement is asked for and not made."""
    return session.asked > session.judged


def claim_session(db: Session, worker: str) -> Claim | None:
    """Claim the oldest session that waits for its judgement. Two workers never get the same."""
    stale = or_(ChargingSession.judge == "", ChargingSession.judging_since < utc_now() - CLAIM_LASTS)
    chosen = select(ChargingSession).where(ChargingSession.asked > ChargingSession.judged, stale)
    session = db.scalar(chosen.order_by(ChargingSession.id).limit(1).with_for_update(skip_locked=True))
    if session is None:
        return None
    session.judge, session.judging_since = worker, utc_now()
    return Claim(session.id, session.asked)


def release_judges(db: Session, worker: str) -> None:
    """Give back what a worker of this name was judging when it ended."""
    held = ChargingSession.judge == worker
    db.execute(update(ChargingSession).where(held).values(judge="", judging_since=None))


def ask_outdated(db: Session, judges: int) -> None:
    """Ask anew for every judgement an older version made."""
    older = select(StoredJudgement.session_id).where(StoredJudgement.judges < judges)
    db.execute(
        update(ChargingSession)
        .where(ChargingSession.id.in_(older), ChargingSession.asked <= ChargingSession.judged)
        .values(asked=ChargingSession.asked + 1)
    )


def keep_judged(
    db: Session, claim: Claim, judged: Judged, made_of: Mapping[str, Any], words: str = ""
) -> StoredJudgement:
    """Keep a judgement in place of the session's earlier one. words: what it is found by."""
    judgement = judged.judgement
    stages = [{"stage": s.stage, "title": s.title, "state": s.state, "why": s.why} for s in judgement.stages]
    stored = StoredJudgement(
        judges=judgement.judges,
        outcome=judgement.outcome,
        danger=judgement.is_dangerous,
        verdict=judgement.verdict,
        next_test=judgement.next[0].do if judgement.next else "",
        leads=judgement.causes[0].code if judgement.causes else "",
        words=words,
        stages=json.dumps(stages),
        result=zlib.compress(judged.model_dump_json().encode(), 6),
    )
    return _kept(db, claim, stored, made_of)


def keep_refusal(db: Session, claim: Claim, sentence: str, judges: int, made_of: Mapping[str, Any]) -> StoredJudgement:
    """Keep why a session could not be judged."""
    stored = StoredJudgement(
        judges=judges, outcome="unknown", verdict=sentence, next_test="", stages="[]", result=b"", refusal=sentence
    )
    return _kept(db, claim, stored, made_of)


def _kept(db: Session, claim: Claim, stored: StoredJudgement, made_of: Mapping[str, Any]) -> StoredJudgement:
    done(db, claim)  # first of all, as in `ask`
    before = db.scalar(select(StoredJudgement).where(StoredJudgement.session_id == claim.session))
    if before is not None:
        if not _says_the_same(before, stored) and utc_now() - before.made_at > _STOOD:
            kept = {key: getattr(before, key) for key in ("outcome", "danger", "verdict", "leads", "made_at")}
            why = what_changed(json.loads(before.made_of), made_of, stored.judges > before.judges)
            db.add(EarlierVerdict(session_id=claim.session, why=why, **kept))
        db.delete(before)
        db.flush()
    stored.session_id, stored.format, stored.made_of = claim.session, JUDGED_FORMAT, json.dumps(made_of)
    db.add(stored)
    return stored


def _says_the_same(before: StoredJudgement, after: StoredJudgement) -> bool:
    keys = ("outcome", "verdict", "leads")
    return all(getattr(before, key) == (getattr(after, key) or "") for key in keys)


def what_changed(before: Mapping[str, Any], after: Mapping[str, Any], newer: bool) -> str:
    """What a judgement rests on now and did not before, in words. newer: another version of this application judges."""
    was, now = ({c["capture"]: c for c in made.get("captures", ())} for made in (before, after))
    both = was.keys() & now.keys()

    def differs(key: str) -> bool:
        return any(was[n].get(key) != now[n].get(key) for n in both)

    noted, gone = set(after.get("observations", ())), set(before.get("observations", ()))
    told = [
        ("another capture came to it", bool(now.keys() - was.keys())),
        ("a capture was taken away", bool(was.keys() - now.keys())),
        ("a capture was settled otherwise", differs("settlement")),
        ("a capture was placed by hand", differs("placement")),
        ("something was noted", bool(noted - gone)),
        ("something noted was struck out, or is of another time now", bool(gone - noted)),
        ("this application reads or judges anew", newer or differs("measures")),
    ]
    return "; ".join(words for words, so in told if so) or "what is known of its case, vehicle or post changed"


def earlier_verdicts(db: Session, *sessions: int, most: int = 20) -> Sequence[EarlierVerdict]:
    """What was said of sessions before, the latest first."""
    chosen = select(EarlierVerdict).where(EarlierVerdict.session_id.in_(sessions))
    return db.scalars(chosen.order_by(EarlierVerdict.id.desc()).limit(most)).all()


def done(db: Session, claim: Claim) -> None:
    """The claim is answered; what was asked meanwhile still waits."""
    db.execute(
        update(ChargingSession)
        .where(ChargingSession.id == claim.session)
        .values(judged=claim.asked, judge="", judging_since=None)
    )


def judged_of(stored: StoredJudgement) -> Judged | None:
    """The judgement, parsed once; None where the session could not be judged. Raises OldShapeError where it has to be made
    anew."""
    if stored.refusal:
        return None
    kept = _parsed.get(stored.id)
    return kept or _parsed.put(stored.id, judged_from(unpacked(stored.result), stored.format))


def session_to_judge(db: Session, number: int) -> ChargingSession:
    """A session with everything its judgement rests on."""
    return db.get_one(ChargingSession, number, options=[joinedload(ChargingSession.judgement)])


def sessions_led_by(db: Session, cause: str, most: int) -> Sequence[ChargingSession]:
    """Sessions whose judgement names this cause first, the newest first."""
    wanted = (
        select(ChargingSession)
        .join(StoredJudgement)
        .where(StoredJudgement.leads == cause)
        .order_by(ChargingSession.id.desc())
        .limit(most)
    )
    return db.scalars(wanted).all()
