"""Faults put into a simulated circuit come out as the right finding, stage and cause."""

from __future__ import annotations

from typing import NamedTuple

import pytest

from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.script import PilotScript, Scope
from tests.build import HEALTHY, QUIET, Analysis, analysed, codes, pilot, session


class Field(NamedTuple):
    """A fault: its capture, the finding and the cause that must lead, the stage that fails, the outcome."""

    script: PilotScript
    code: str
    cause: str
    failed: str = ""
    outcome: str = "unknown"
    scope: Scope = QUIET
    rate_hz: float = 103e3


def hunting() -> PilotScript:
    script = pilot().hold(12, ms=200).hold(9, ms=300)
    for _ in range(5):
        script.pwm(9, duty=26.7, ms=700).pwm(6, duty=26.7, ms=400)
    return script.pwm(9, duty=26.7, ms=600)


def bouncing() -> PilotScript:
    script = session(asking_ms=700)
    for gap in (4, 12, 7):
        script.circuit(HEALTHY, "asking", 500, 26.7).circuit(HEALTHY, "none", gap, 26.7)
    return script.circuit(HEALTHY, "asking", 900, 26.7)


def withdrawn() -> PilotScript:
    return session(asking_ms=1500).circuit(HEALTHY, "asking", 800, 26.7).circuit(HEALTHY, "asking", 4000)


FIELDS: dict[str, Field] = {
    "oscillates with nothing connected": Field(
        pilot().circuit(HEALTHY, "none", 3000, 26.7), "oscillating_without_vehicle",
        "oscillating_with_nothing_connected", "pilot", "failed_to_start"),
    "post not available": Field(
        pilot().hold(-12, ms=3000), "post_not_available", "post_dead_or_unavailable", "pilot", "failed_to_start"),
    "pilot shorted to PE": Field(
        pilot().hold(0.05, ms=3000), "pilot_stuck_at_zero", "pilot_shorted_to_pe", "pilot", "failed_to_start"),
    "diode shorted": Field(
        session(PilotCircuit(diode_shorted=True)), "low_side_pulled_up", "diode_shorted", "pilot", "failed_to_start"),
    "corroded contact": Field(
        session(PilotCircuit(series_ohm=250)), "series_resistance", "corroded_contact"),
    "corroded beyond the band": Field(
        session(PilotCircuit(series_ohm=900)), "pilot_level_between_states", "corroded_contact", "pilot",
        "failed_to_start"),
    "weak source": Field(
        session(PilotCircuit(source_high_v=11.1, source_low_v=-11.2)), "source_level_out", "pilot_source_weak"),
    "frequency off": Field(
        pilot().hold(12, ms=200).hold(9, ms=200).pwm(9, 30, 500, hz=1031).pwm(6, 30, 900, hz=1031), "frequency_out",
        "pilot_frequency_off", "offer", "failed_to_start"),
    "forbidden duty": Field(
        session(duty=98.5), "duty_forbidden", "duty_outside_table", "offer", "failed_to_start", QUIET, 1e6),
    "hunting": Field(hunting(), "hunting", "vehicle_refuses_and_retries", "request", "failed_to_start"),
    "loose contact": Field(bouncing(), "pilot_interrupted", "loose_contact", "hold", "dropped_out"),
    "offer withdrawn": Field(withdrawn(), "offer_withdrawn", "site_withdraws_offer", "hold", "dropped_out"),
    "drawn while charging": Field(
        session(asking_ms=3000).circuit(HEALTHY, "asking", 3000, 26.7).circuit(HEALTHY, "none", 2000),
        "pilot_lost_while_asking", "plug_drawn_while_charging", "hold", "dropped_out"),
    "slow edges": Field(
        session(PilotCircuit(capacitance_f=12e-9)), "slow_edges", "too_much_capacitance", "", "unknown", QUIET, 1e6),
    "never asks": Field(
        pilot().hold(12, ms=500).hold(9, ms=900).pwm(9, 26.7, 9000), "never_asked", "vehicle_not_asking", "",
        "failed_to_start"),
    "never asks at five percent": Field(
        pilot().hold(12, ms=500).hold(9, ms=900).pwm(9, 5, 9000), "digital_communication", "talk_not_finished"),
    "never offered": Field(
        pilot().hold(12, ms=500).hold(9, ms=9000), "no_offer", "not_authorised", "", "failed_to_start"),
    "post stops with an error": Field(
        session(asking_ms=3000).circuit(HEALTHY, "asking", 3000, 26.7).hold(0, ms=2500), "pilot_withdrawn",
        "post_stopped_with_error", "hold", "dropped_out"),
    "ventilation": Field(
        session().circuit(HEALTHY, "ventilated", 1500, 26.7), "ventilation_asked", "ventilation_demanded"),
    "ac coupled": Field(
        session(), "capture_ac_coupled", "capture_misleads", "", "unknown", Scope(0.05, bits=10, coupling_s=0.02)),
    "clipped": Field(
        session(), "capture_clipped", "capture_misleads", "", "unknown", Scope(0.1, bits=8, range_v=8.0)),
    "healthy": Field(session(), "request", "pilot_well"),
}  # fmt: skip


_SEEN: dict[int, Analysis] = {}


def seen(field: Field) -> Analysis:
    """Analysed once: the captures are long and several tests look at each."""
    if id(field) not in _SEEN:
        _SEEN[id(field)] = analysed(field.script, field.rate_hz, field.scope)
    return _SEEN[id(field)]


def failed(analysis: Analysis) -> str:
    return next((s.stage for s in analysis.stages if s.state == "failed"), "")


@pytest.mark.parametrize("field", FIELDS.values(), ids=FIELDS)
def test_each_fault_is_found_and_its_cause_leads(field: Field) -> None:
    analysis = seen(field)
    assert field.code in codes(analysis)
    assert analysis.causes[0].code == field.cause
    assert (failed(analysis), analysis.outcome) == (field.failed, field.outcome)
    assert analysis.causes[0].evidence
    assert analysis.causes[0].next_test
    assert analysis.verdict.endswith(".")


def test_a_healthy_session_is_told_without_a_fault() -> None:
    analysis = analysed(session(), 487e3)
    assert {f.severity for f in analysis.findings} == {"normal"}
    assert {s.stage: s.state for s in analysis.stages if s.state == "proven"}.keys() == {
        "pilot", "offer", "request", "end"}  # fmt: skip


def test_a_pilot_never_speaks_for_seat_proximity_or_lock() -> None:
    for field in FIELDS.values():
        assert {s.state for s in seen(field).stages[:3]} == {"not_captured"}


def test_confidence_leaves_room_for_a_cause_nobody_listed() -> None:
    for field in FIELDS.values():
        shares = [c.confidence for c in seen(field).causes]
        assert sum(shares) < 1
        assert shares == sorted(shares, reverse=True)


def test_a_restart_of_matching_is_no_fault() -> None:
    """ISO 15118-3, from memory: a post in E or F for at least 4 s asks to be matched anew."""
    script = pilot().hold(12, ms=300).pwm(9, 5, 900).hold(-12, ms=4500).pwm(9, 5, 900).pwm(6, 5, 2000)
    analysis = analysed(script)
    assert [f.severity for f in analysis.findings if f.code == "pilot_withdrawn"] == ["note"]


def test_every_finding_belongs_to_a_stage_of_its_session() -> None:
    for field in FIELDS.values():
        stages = {s.stage for s in seen(field).stages}
        assert {f.stage for f in seen(field).findings} <= stages


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
