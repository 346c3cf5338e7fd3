"""A transaction that MariaDB ends because two wait for each other is done again; anything else is not."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from gladwire.store.database import Sessions, in_one
from gladwire.store.judgements import Claim, ask, keep_refusal
from gladwire.store.models import Case, ChargingSession, Observation


def at_once(*acts: Callable[[], None]) -> None:
    """Each in a thread of its own; what one of them raised is raised here."""
    with ThreadPoolExecutor(len(acts)) as pool:
        for done in [pool.submit(act) for act in acts]:
            done.result(60)


def test_two_that_wait_for_each_other_both_pass(sessions: Sessions) -> None:
    with sessions.begin() as db:
        made = [Case(title="a"), Case(title="b")]
        db.add_all(made)
        db.flush()
        a, b = (c.id for c in made)
    both_hold_one = threading.Barrier(2, timeout=10)

    def crossing(first: int, second: int, word: str) -> None:
        tries = 0

        def act(db: Session) -> None:
            nonlocal tries
            tries += 1
            db.execute(update(Case).where(Case.id == first).values(complaint=Case.complaint + word))
            if tries == 1:
                both_hold_one.wait()
            db.execute(update(Case).where(Case.id == second).values(complaint=Case.complaint + word))

        in_one(sessions, act)

    at_once(lambda: crossing(a, b, "x"), lambda: crossing(b, a, "y"))
    with sessions() as db:
        told = db.scalars(select(Case.complaint).where(Case.id.in_([a, b]))).all()
    assert [sorted(words) for words in told] == [["x", "y"], ["x", "y"]]


def test_what_is_no_deadlock_is_not_done_again(sessions: Sessions) -> None:
    tries = 0

    def act(db: Session) -> None:
        nonlocal tries
        tries += 1
        raise OperationalError("SELECT 1", {}, Exception(1205, "Lock wait timeout exceeded"))

    with pytest.raises(OperationalError):
        in_one(sessions, act)
    assert tries == 1


def test_one_who_notes_and_a_worker_who_judges_never_wait_for_each_other(sessions: Sessions) -> None:
    """Both write the session's row and a row that points at it. Done the other way round they would end in a deadlock,
    and what somebody noted would be lost; the order is that of InnoDB's shared locks of foreign keys."""
    with sessions.begin() as db:
        case = Case(title="a", sessions=[ChargingSession(title="one"), ChargingSession(title="two")])
        db.add(case)
        db.flush()
        number, first = case.id, case.sessions[0].id
    rounds = 60
    together = threading.Barrier(2, timeout=10)

    def noting() -> None:
        for n in range(rounds):
            together.wait()
            with sessions.begin() as db:
                of_case = db.get_one(Case, number).sessions
                ask(*reversed(of_case))
                db.add(Observation(session_id=first, case_id=number, kind="note", text=str(n), by_name="x"))
                db.flush()

    def judging() -> None:
        for n in range(rounds):
            together.wait()
            with sessions.begin() as db:
                keep_refusal(db, Claim(first, n), "not judged", 1, {})
                db.flush()

    at_once(noting, judging)
    with sessions() as db:
        one, two = db.get_one(Case, number).sessions
        assert (one.asked, two.asked, len(one.observations)) == (rounds, rounds, rounds)


def test_who_holds_a_session_reads_the_judgement_it_has_now(sessions: Sessions) -> None:
    """A worker may replace it between the first look at the session and the moment it is held."""
    with sessions.begin() as db:
        session = ChargingSession(title="one")
        db.add(session)
        db.flush()
        number = session.id
    with sessions.begin() as db:
        keep_refusal(db, Claim(number, 1), "first", 1, {})
    with sessions.begin() as db:
        held = db.get_one(ChargingSession, number)
        assert held.judgement
        assert held.judgement.refusal == "first"
        with sessions.begin() as worker:
            keep_refusal(worker, Claim(number, 1), "second", 1, {})
        ask(held)
        assert held.judgement.refusal == "second"
        assert held.judgement.result == b""  # a column that is read on its own, where the row still is
