"""Counts of the plays: true of what is judged today, bounded, and blended with what is declared."""

from __future__ import annotations

import math

import pytest

from gladwire.benchmarks.blind.plays import WELL
from gladwire.benchmarks.diagnosis import calibration, is_right, seen
from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.causes import BY_CODE, CAUSES
from gladwire.core.diagnosis.likelihood import DECLARED, Count, Measured
from gladwire.core.measured import MEASURES
from gladwire.core.session.judgement import JUDGES

DUE = "python scripts/likelihoods/count.py"


def test_counts_are_of_what_is_judged_today() -> None:
    made_of = likelihood.table()["made_of"]
    assert (made_of["judges"], made_of["measures"]) == (JUDGES, MEASURES), f"counts are stale: {DUE}"
    declared = {code for cause in CAUSES for code in (*cause.speaks_for, *cause.speaks_against)}
    assert set(likelihood.table()["counts"]) <= declared, f"counts of codes nobody declares: {DUE}"
    assert set(likelihood.table()["plays"]) <= set(BY_CODE), f"counts of causes there are no more: {DUE}"


def test_counts_add_up() -> None:
    for code, causes in likelihood.table()["counts"].items():
        for cause, (loud, soft, could) in causes.items():
            assert 0 <= loud + soft <= could <= likelihood.plays_of(cause), (code, cause)


@pytest.mark.parametrize("cause", CAUSES, ids=lambda c: c.code)
def test_no_count_weighs_more_than_the_simulator_may(cause: object) -> None:
    for code in cause.speaks_for:  # type: ignore[attr-defined]
        for found in (likelihood.seen(cause.code, code, False), likelihood.seen(cause.code, code, True)):  # type: ignore[attr-defined]
            assert found is None or abs(found.weight) <= math.log(50) + 1e-9
        gone = likelihood.absent(cause.code, code)  # type: ignore[attr-defined]
        assert gone is None or -math.log(8) - 1e-9 <= gone.weight <= 0


def test_what_is_declared_counts_as_a_few_plays() -> None:
    assert likelihood.blended(2.0, None) == 2.0
    measured = Measured(-1.0, Count(0, 0, int(DECLARED)), 0.0)
    assert likelihood.blended(2.0, measured) == pytest.approx(0.5)
    many = Measured(-1.0, Count(0, 0, 1000), 0.0)
    assert likelihood.blended(2.0, many) == pytest.approx(-1.0, abs=0.02)


def test_held_out_plays_are_told_healthy_ones_blame_nobody_and_shares_are_as_often_right_as_they_say() -> None:
    """One play of every class, whole and cut, of a seed that was never counted; in one test, as playing them takes long."""
    held_out = seen(1, 4711)
    whole = [s for s in held_out if not s.cut and s.cause != WELL]
    missed = [(s.name, s.first) for s in whole if not is_right(s.cause, s.first)]
    assert len(missed) <= 0.05 * len(whole), missed
    assert [s.name for s in held_out if s.cause == WELL and s.blames] == []
    assert len([s for s in held_out if s.is_wrong_and_sure]) <= 0.01 * len(held_out)
    assert calibration(held_out, likelihood.sharpness()).error < 0.08
