"""Facts of the trade as check values: common practice, no source."""

from __future__ import annotations

from tests.build import analysed, pilot


def test_nine_and_minus_twelve_volts_at_1_khz_is_a_vehicle_waiting() -> None:
    analysis = analysed(pilot().pwm(9, 26.7, 3000))
    assert analysis.pilot.segments[0].label == "B2"
    assert {s.stage: s.state for s in analysis.stages}["pilot"] == "proven"


def test_twelve_and_minus_twelve_volts_at_1_khz_is_a_fault_a_vehicle_may_accept() -> None:
    analysis = analysed(pilot().pwm(12, 26.7, 3000))
    fault = next(f for f in analysis.findings if f.code == "oscillating_without_vehicle")
    assert fault.severity == "fault"
    assert "may even accept it" in fault.text
    assert analysis.causes[0].owner == "evse"


def test_a_healthy_post_with_nothing_plugged_in_shows_twelve_volts_and_no_oscillation() -> None:
    analysis = analysed(pilot().hold(12, 3000))
    assert not {f.severity for f in analysis.findings} & {"fault", "suspect"}


def test_a_plug_that_looks_seated_may_show_no_pilot_until_pushed_fully_in() -> None:
    analysis = analysed(pilot().hold(12, 4000))
    text = next(f.text for f in analysis.findings if f.code == "nothing_connected")
    assert "whatever the lamp says" in text
    assert "plug_not_fully_seated" in {c.code for c in analysis.causes}
    pushed = analysed(pilot().hold(12, 4000).hold(9, 500).pwm(9, 26.7, 500).pwm(6, 26.7, 2000))
    assert {s.stage: s.state for s in pushed.stages}["pilot"] == "proven"


def test_at_the_vehicle_an_open_contact_reads_about_nought() -> None:
    analysis = analysed(pilot().pwm(6, 26.7, 2000).hold(0, 1500))
    said = next(f.text for f in analysis.findings if f.code == "pilot_to_zero")
    assert "with the probe at the vehicle also a contact that opened" in said
