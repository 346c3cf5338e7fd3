"""Faults of the pilot's circuit, and of the capture itself, as a scope sees them."""

from __future__ import annotations

from gladwire.core.signal.waveform import Recording
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.scenarios.scenario import Scenario, Truth

HEALTHY = PilotCircuit()
QUIET = Scope(noise_v=0.05, bits=10)


def pilot(slew_s: float = 2e-6) -> PilotScript:
    return PilotScript(slew_s=slew_s)


def session(circuit: PilotCircuit = HEALTHY, duty: float = 26.7, asking_ms: float = 2000) -> PilotScript:
    """A whole session on one circuit: A, B, offer, asking, orderly end, unplugged."""
    script = (
        pilot().circuit(circuit, "none", 300).circuit(circuit, "waiting", 400).circuit(circuit, "waiting", 500, duty)
    )
    script.circuit(circuit, "asking", asking_ms, duty).circuit(circuit, "waiting", 300, duty)
    return script.circuit(circuit, "waiting", 200).circuit(circuit, "none", 300)


def _hunting() -> PilotScript:
    script = pilot().hold(12, ms=200).hold(9, ms=300)
    for _ in range(5):
        script.pwm(9, duty=26.7, ms=700).pwm(6, duty=26.7, ms=400)
    return script.pwm(9, duty=26.7, ms=600)


def _bouncing() -> PilotScript:
    script = session(asking_ms=700)
    for gap in (4, 12, 7):
        script.circuit(HEALTHY, "asking", 500, 26.7).circuit(HEALTHY, "none", gap, 26.7)
    return script.circuit(HEALTHY, "asking", 900, 26.7)


def _withdrawn() -> PilotScript:
    return session(asking_ms=1500).circuit(HEALTHY, "asking", 800, 26.7).circuit(HEALTHY, "asking", 4000)


def _circuit(
    key: str,
    script: PilotScript,
    finding: str,
    cause: str,
    stage: str = "",
    outcome: str = "unknown",
    scope: Scope = QUIET,
    rate_hz: float = 103e3,
) -> Scenario:
    return Scenario(
        key, lambda: Recording((script.record(rate_hz, scope, 1),), "scenario"), Truth(finding, stage, outcome, cause)
    )


PILOT_FAULTS: tuple[Scenario, ...] = (
    _circuit("oscillates with nothing connected", 
        pilot().circuit(HEALTHY, "none", 3000, 26.7), "oscillating_without_vehicle",
        "oscillating_with_nothing_connected", "pilot", "failed_to_start"),
    _circuit("post not available", 
        pilot().hold(-12, ms=3000), "post_not_available", "post_dead_or_unavailable", "pilot", "failed_to_start"),
    _circuit("pilot shorted to PE", 
        pilot().hold(0.05, ms=3000), "pilot_stuck_at_zero", "pilot_shorted_to_pe", "pilot", "failed_to_start"),
    _circuit("diode shorted", 
        session(PilotCircuit(diode_shorted=True)), "low_side_pulled_up", "diode_shorted", "pilot", "failed_to_start"),
    _circuit("corroded contact", 
        session(PilotCircuit(series_ohm=250)), "series_resistance", "corroded_contact"),
    _circuit("corroded beyond the band", 
        session(PilotCircuit(series_ohm=900)), "pilot_level_between_states", "corroded_contact", "pilot",
        "failed_to_start"),
    _circuit("weak source", 
        session(PilotCircuit(source_high_v=11.1, source_low_v=-11.2)), "source_level_out", "pilot_source_weak"),
    _circuit("frequency off", 
        pilot().hold(12, ms=200).hold(9, ms=200).pwm(9, 30, 500, hz=1031).pwm(6, 30, 900, hz=1031), "frequency_out",
        "pilot_frequency_off", "offer", "failed_to_start"),
    _circuit("forbidden duty", 
        session(duty=98.5), "duty_forbidden", "duty_outside_table", "offer", "failed_to_start", QUIET, 1e6),
    _circuit("hunting", _hunting(), "hunting", "vehicle_refuses_and_retries", "request", "failed_to_start"),
    _circuit("loose contact", _bouncing(), "pilot_interrupted", "loose_contact", "hold", "dropped_out"),
    _circuit("offer withdrawn", _withdrawn(), "offer_withdrawn", "site_withdraws_offer", "hold", "dropped_out"),
    _circuit("drawn while charging", 
        session(asking_ms=3000).circuit(HEALTHY, "asking", 3000, 26.7).circuit(HEALTHY, "none", 2000),
        "pilot_lost_while_asking", "plug_drawn_while_charging", "hold", "dropped_out"),
    _circuit("slow edges", 
        session(PilotCircuit(capacitance_f=12e-9)), "slow_edges", "too_much_capacitance", "", "unknown", QUIET, 1e6),
    _circuit("never asks", 
        pilot().hold(12, ms=500).hold(9, ms=900).pwm(9, 26.7, 9000), "never_asked", "vehicle_not_asking", "",
        "failed_to_start"),
    _circuit("never asks at five percent", 
        pilot().hold(12, ms=500).hold(9, ms=900).pwm(9, 5, 9000), "digital_communication", "talk_not_finished"),
    _circuit("never offered", 
        pilot().hold(12, ms=500).hold(9, ms=9000), "no_offer", "not_authorised", "", "failed_to_start"),
    _circuit("post stops with an error", 
        session(asking_ms=3000).circuit(HEALTHY, "asking", 3000, 26.7).hold(0, ms=2500), "pilot_to_zero",
        "post_stopped_with_error", "hold", "dropped_out"),
    _circuit("ventilation", 
        session().circuit(HEALTHY, "ventilated", 1500, 26.7), "ventilation_asked", "ventilation_demanded"),
    _circuit("ac coupled", 
        session(), "capture_ac_coupled", "capture_misleads", "", "unknown", Scope(0.05, bits=10, coupling_s=0.02)),
    _circuit("clipped", 
        session(), "capture_clipped", "capture_misleads", "", "unknown", Scope(0.1, bits=8, range_v=8.0)),
    _circuit("healthy", session(), "request", "pilot_well"),
)  # fmt: skip
