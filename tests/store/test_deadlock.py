"""A transaction that MariaDB ends because two wait for each other is done again; anything else is not."""

from __future__ import annotations

import threading

import pytest
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from gladwire.store.database import Sessions, in_one
from gladwire.store.models import Case


def test_two_that_wait_for_each_other_both_pass(sessions: Sessions) -> None:
    with sessions.begin() as db:
        made = [Case(title="a"), Case(title="b")]
        db.add_all(made)
        db.flush()
        a, b = (c.id for c in made)
    both_hold_one = threading.Barrier(2, timeout=10)
    failures: list[BaseException] = []

    def crossing(first: int, second: int, word: str) -> None:
        tries = 0

        def act(db: Session) -> None:
            nonlocal tries
            tries += 1
            db.execute(update(Case).where(Case.id == first).values(complaint=Case.complaint + word))
            if tries == 1:
                both_hold_one.wait()
            db.execute(update(Case).where(Case.id == second).values(complaint=Case.complaint + word))

        try:
            in_one(sessions, act)
        except BaseException as error:  # told to the test's own thread
            failures.append(error)

    threads = [threading.Thread(target=crossing, args=args) for args in ((a, b, "x"), (b, a, "y"))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert failures == []
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
