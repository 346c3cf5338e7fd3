"""Faults put into a simulated circuit come out as the right finding, stage and cause."""

from __future__ import annotations

from functools import cache

import pytest

from gladwire.scenarios.pilot_faults import PILOT_FAULTS
from gladwire.scenarios.scenario import Scenario
from tests.build import Analysis, analysed, pilot, session, take


@cache
def seen(fault: Scenario) -> Analysis:
    """Analysed once: the captures are long and several tests look at each."""
    return take(fault.makes()).analysis


def failed(analysis: Analysis) -> str:
    return next((s.stage for s in analysis.stages if s.state == "failed"), "")


@pytest.mark.parametrize("fault", PILOT_FAULTS, ids=lambda s: s.key)
def test_each_cause_says_why_and_what_to_do_next(fault: Scenario) -> None:
    analysis = seen(fault)
    assert analysis.causes[0].evidence
    assert analysis.causes[0].next_test
    assert analysis.verdict.endswith(".")


def test_a_healthy_session_is_told_without_a_fault() -> None:
    analysis = analysed(session(), 487e3)
    assert {f.severity for f in analysis.findings} == {"normal"}
    assert {s.stage: s.state for s in analysis.stages if s.state == "proven"}.keys() == {
        "pilot", "offer", "request", "end"}  # fmt: skip


def test_a_pilot_never_speaks_for_seat_proximity_or_lock() -> None:
    for fault in PILOT_FAULTS:
        assert {s.state for s in seen(fault).stages[:3]} == {"not_captured"}


def test_confidence_leaves_room_for_a_cause_nobody_listed() -> None:
    for fault in PILOT_FAULTS:
        shares = [c.confidence for c in seen(fault).causes]
        assert sum(shares) < 1
        assert shares == sorted(shares, reverse=True)


def test_a_restart_of_matching_is_no_fault() -> None:
    """ISO 15118-3, from memory: a post in E or F for at least 4 s asks to be matched anew."""
    script = pilot().hold(12, ms=300).pwm(9, 5, 900).hold(-12, ms=4500).pwm(9, 5, 900).pwm(6, 5, 2000)
    analysis = analysed(script)
    assert [f.severity for f in analysis.findings if f.code == "matching_restarted"] == ["note"]
    assert "pilot_withdrawn" not in {f.code for f in analysis.findings}


def test_every_finding_belongs_to_a_stage_of_its_session() -> None:
    for fault in PILOT_FAULTS:
        stages = {s.stage for s in seen(fault).stages}
        assert {f.stage for f in seen(fault).findings} <= stages


def test_one_wake_up_toggle_is_healthy() -> None:
    script = pilot().hold(12, ms=300).hold(9, ms=500).pwm(9, 5, 500).pwm(6, 5, 500).pwm(9, 5, 3000)
    found = {f.code: f.severity for f in analysed(script).findings}
    assert found["wake_up_toggle"] == "normal"
    assert "hunting" not in found


def test_too_short_a_look_decides_nothing() -> None:
    for script in (pilot().pwm(6, 26.7, 4), pilot().hold(12, 300).hold(9, 400), pilot().hold(9, 300).pwm(9, 26.7, 900)):
        analysis = analysed(script)
        assert analysis.outcome == "unknown"
        assert "failed" not in {s.state for s in analysis.stages}
        assert {s.stage: s.state for s in analysis.stages}["hold"] == "not_captured"


def test_a_plug_in_that_goes_straight_to_asking_counts_as_a_request() -> None:
    script = pilot().hold(12, 300).pwm(6, 26.7, 900).pwm(12, 26.7, 8).pwm(6, 26.7, 900)
    found = {f.code: f for f in analysed(script).findings}
    assert found["request"].measured == "C2"
    assert "hunting" not in found
    assert "pilot_interrupted" in found
