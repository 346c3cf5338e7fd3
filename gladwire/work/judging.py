"""A stored session judged: what its captures show, what people noticed, and where they placed things, as the core sees it."""

from __future__ import annotations

import traceback
from functools import partial
from typing import Any

from sqlalchemy.orm import Session

from gladwire.core.answers import Answer
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.stamps import BY_KEY, Stamp
from gladwire.core.session.alignment import Alignment, by_hand
from gladwire.core.session.judgement import JUDGES
from gladwire.core.session.session import judge_session
from gladwire.core.session.stored import Judged
from gladwire.core.session.timeline import Part
from gladwire.core.standards.connectors import place_words
from gladwire.store.captures import ask_again
from gladwire.store.database import Sessions, in_one
from gladwire.store.judgements import claim_session, done, keep_judged, keep_refusal, session_to_judge
from gladwire.store.measurements import measured_of, newest_measurement
from gladwire.store.models import Capture, ChargingSession, Observation, StoredMeasurement
from gladwire.store.shapes import OldShapeError
from gladwire.work.cases import answer_noted, steps_noted
from gladwire.work.history import answers_of_record, before_here
from gladwire.work.listing import words_of


def judge_next(sessions: Sessions, worker: str) -> bool:
    """Claim and judge one session; False when none waits."""
    with sessions.begin() as db:
        claim = claim_session(db, worker)
    if claim is None:
        return False
    with sessions() as db:
        session = session_to_judge(db, claim.session)
        found, damaged = measurements_of(session), list[int]()
        made_of = _made_of(session, found)
        try:
            parts = [Part(c.name, measured_of(m), placed_by_hand(c)) for c, m in found]
            result = (
                judge_session(
                    parts,
                    stamps_of(session),
                    inspections_of(session),
                    [*answers_of_record(db, session), *answers_of(session)],
                    before_here(db, session),
                )
                if parts
                else None
            )
        except OldShapeError:
            result = None  # its captures are measured anew, and ask again
            damaged = [c.id for c, m in found if c.state == "analysed" and not _whole(m)]
        except Exception as error:
            traceback.print_exc()
            sentence = f"This session could not be judged ({type(error).__name__}). Its captures are kept."
            refused = partial(keep_refusal, claim=claim, sentence=sentence, judges=JUDGES, made_of=made_of)
            in_one(sessions, refused)
            return True

    words = words_of(result.judgement, [p.measured for p in parts]) if result else ""

    def keep(db: Session) -> None:
        if result is None:
            done(db, claim)
            for number in damaged:
                ask_again(db.get_one(Capture, number))
        else:
            keep_judged(db, claim, Judged.of(result), made_of, words)

    in_one(sessions, keep)
    return True


def _whole(stored: StoredMeasurement) -> bool:
    try:
        measured_of(stored)
    except OldShapeError:
        return False
    return True


def measurements_of(session: ChargingSession) -> list[tuple[Capture, StoredMeasurement]]:
    """Captures that could be read, each with the measurement that holds."""
    return [(c, stored) for c in session.captures if (stored := newest_measurement(c)) is not None]


def _made_of(session: ChargingSession, found: list[tuple[Capture, StoredMeasurement]]) -> dict[str, Any]:
    return {
        "captures": [
            {
                "capture": c.id,
                "sha256": c.sha256,
                "measurement": m.id,
                "measures": m.measures,
                "settlement": m.settlement_id,
                "placement": c.placements[-1].id if c.placements else None,
            }
            for c, m in found
        ],
        "observations": [o.id for o in (*_stamped(session), *_looked(session), *tested(session))],
    }


def placed_by_hand(capture: Capture) -> Alignment | None:
    """Where a person last put a capture, unless they gave it back to the machine."""
    newest = capture.placements[-1] if capture.placements else None
    if newest is None or newest.offset_s is None:
        return None
    return by_hand(newest.offset_s, newest.by_name, newest.why)


def _stamped(session: ChargingSession) -> list[Observation]:
    return [o for o in session.observations if o.at_s is not None and o.kind in BY_KEY and not o.struck_by]


def _looked(session: ChargingSession) -> list[Observation]:
    return [o for o in session.observations if o.kind == "pin" and not o.struck_by]


def tested(session: ChargingSession) -> list[Observation]:
    """Results noted on the case's checklist, then those noted on the session itself, which hold where they differ."""
    asked = steps_noted(session.case, session.created_at).values() if session.case else ()
    return [*asked, *(o for o in session.observations if o.kind == "test" and not o.struck_by)]


def answers_of(session: ChargingSession) -> list[Answer]:
    """What tests showed, on the case's checklist and on the session itself."""
    return [answer_noted(o) for o in tested(session) if o.place in TESTS]


def stamps_of(session: ChargingSession) -> list[Stamp]:
    """What was stamped on the session's clock and holds."""
    return [Stamp(kind=o.kind, at_s=o.at_s or 0.0, detail=o.text, by_name=o.by_name) for o in _stamped(session)]


def inspections_of(session: ChargingSession) -> list[Inspection]:
    """Looks at contacts that hold; `unit` holds a condition's key."""
    found = []
    for o in _looked(session):
        pin, where = place_words(o.place)
        found.append(Inspection(pin=pin, where=where, condition=o.unit, detail=o.text, by_name=o.by_name))
    return found
