"""Mains beside the pilot, made by the simulator: contactor, current, offer, and the whole AC story to its end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gladwire.core.lanes.mains.measure import measure_mains
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.mains import mains
from gladwire.core.simulate.script import PilotScript
from tests.build import HEALTHY, QUIET, Analysis, analyse, codes, pilot

RATE = 40e3
Rows = list[tuple[float, float]]


def asks_from_1_to_15(duty: float = 26.7, then: float | None = None) -> PilotScript:
    script = pilot().hold(12, 300).hold(9, 300).pwm(9, duty, 400)
    script.pwm(6, duty, 14_000)
    return script.hold(then, 2000) if then is not None else script.pwm(9, duty, 500).hold(9, 500).hold(12, 1000)


def seen(script: PilotScript, volts: Rows, amps: Rows, phases: int = 1) -> Analysis:
    cp = script.record(RATE, QUIET)
    waves = [cp, *mains(volts, amps, cp.duration_s, RATE, phases)]
    return analyse(Recording(tuple(waves), "test"))


def stage(analysis: Analysis, name: str) -> str:
    return next(s.state for s in analysis.stages if s.stage == name)


ON: Rows = [(1.4, 230), (15.05, 0)]
FLOWS: Rows = [(3.0, 15.5), (14.8, 0)]


@pytest.mark.parametrize("phases", [1, 3])
def test_a_whole_charge_is_proven_from_pilot_to_end(phases: int) -> None:
    analysis = seen(asks_from_1_to_15(), ON, FLOWS, phases)
    assert analysis.outcome == "charged"
    assert [stage(analysis, s) for s in ("pilot", "offer", "request", "energise", "draw", "hold", "end")] == [
        "proven"
    ] * 7
    assert analysis.mains is not None
    span = analysis.mains.amps[0]
    assert (span.rms, span.phases) == (pytest.approx(15.5, abs=0.2), phases)
    assert (span.start_s, span.end_s) == (pytest.approx(3.0, abs=0.02), pytest.approx(14.8, abs=0.02))
    assert analysis.mains.volts[0].rms == pytest.approx(230, abs=2)
    assert "drew 15.5 A" in analysis.verdict
    assert analysis.causes[0].owner == "none"


@pytest.mark.parametrize(
    ("script", "volts", "amps", "code", "failed", "outcome", "cause"),
    [
        (asks_from_1_to_15(), [], [], "mains_missing", "energise", "failed_to_start", "contactor_not_closing"),
        (asks_from_1_to_15(), [(0.0, 230)], FLOWS, "mains_without_request", "energise", "charged", "contactor_welded"),
        (asks_from_1_to_15(), ON, [], "current_missing", "draw", "failed_to_start", "charger_not_starting"),
        (asks_from_1_to_15(10), ON, FLOWS, "current_over_offer", "draw", "charged", "offer_not_followed"),
        (asks_from_1_to_15(), [(1.4, 230), (8, 0)], [(3, 15.5), (8, 0)], "current_lost", "hold", "dropped_out",
         "supply_dropped"),
        (asks_from_1_to_15(then=0), [(1.4, 230), (15.0, 0)], [(3, 15.5), (15.0, 0)], "mains_lost_with_pilot", "hold",
         "dropped_out", "post_stopped_with_error"),
    ],
)  # fmt: skip
def test_each_fault_of_the_ac_story(
    script: PilotScript, volts: Rows, amps: Rows, code: str, failed: str, outcome: str, cause: str
) -> None:
    analysis = seen(script, volts, amps)
    assert code in codes(analysis)
    assert (stage(analysis, failed), analysis.outcome) == ("failed", outcome)
    assert cause in {c.code for c in analysis.causes[:2]}


def test_closing_late_and_opening_late_are_said() -> None:
    """IEC 61851-1 Annex A, from memory: on within 3 s of C, off within 100 ms of losing it."""
    late = seen(asks_from_1_to_15(), [(4.8, 230), (15.5, 0)], [(6, 15), (14.8, 0)])
    found = {f.code: f for f in late.findings}
    assert (found["mains_on"].severity, found["mains_on"].measured) == ("suspect", "3.8 s")
    assert found["mains_off_late"].measured.startswith("5")


def test_a_lower_offer_may_take_five_seconds() -> None:
    """IEC 61851-1 Annex A, from memory."""
    script = pilot().hold(12, 300).hold(9, 300).pwm(9, 26.7, 400).pwm(6, 26.7, 6000).pwm(6, 10, 9000)
    good = seen(script, [(1.4, 230)], [(3, 15.5), (10, 5.8)])
    assert "current_over_offer" not in codes(good)
    assert [round(level.rms) for level in good.mains.levels] == [16, 6]  # type: ignore[union-attr]
    bad = seen(script, [(1.4, 230)], [(3, 15.5), (15, 5.8)])
    assert "current_over_offer" in codes(bad)


def test_a_loggers_rms_values_read_the_same() -> None:
    times = np.arange(0, 20, 0.5)
    amps = np.where((times > 3) & (times < 15), 15.5, 0.0).astype(np.float32)
    record = measure_mains([], [Waveform("I_L1", amps, 2.0, 0.0, "A")])
    assert [(s.rms, s.phases) for s in record.amps] == [(pytest.approx(15.5, rel=0.01), 1)]
    assert record.amps[0].start_s == pytest.approx(3.0, abs=0.6)


def test_pick_up_on_a_dead_phase_is_not_counted() -> None:
    dead = Waveform("I_L2", np.random.default_rng(1).normal(0, 0.2, int(4 * RATE)).astype(np.float32), RATE, 0.0, "A")
    waves = [*mains([(0, 230)], [(1, 15.5)], 4, RATE, 1), dead]
    record = measure_mains([waves[0]], waves[1:])
    assert [s.phases for s in record.amps] == [1]


def test_nothing_flows_nothing_is_found() -> None:
    waves = mains([], [], 3, RATE)
    record = measure_mains(waves[:1], waves[1:])
    assert (record.volts, record.amps, record.levels) == ((), (), ())


def test_a_healthy_circuit_needs_no_mains_to_be_judged() -> None:
    script = pilot().circuit(HEALTHY, "waiting", 500).circuit(HEALTHY, "asking", 4000, 26.7)
    assert analyse(Recording((script.record(RATE, QUIET),), "test")).mains is None


def sine(volts: np.ndarray, rate_hz: float = RATE, name: str = "L1", unit: str = "V") -> Waveform:
    """A wave whose RMS follows the given values."""
    turns = np.sin(2 * np.pi * 50.0 * np.arange(len(volts)) / rate_hz)
    return Waveform(name, (np.sqrt(2) * volts * turns).astype(np.float32), rate_hz, 0.0, unit)


@pytest.mark.parametrize("tau_s", [0.2, 1.0, 4.0])
def test_what_a_filter_keeps_behind_an_open_contact_is_no_mains(tau_s: float) -> None:
    """The capacitor holds the volts of the moment and its bleeder takes them down, one way only."""
    t = np.arange(int(6 * RATE)) / RATE
    on = sine(np.where((t > 1) & (t < 3), 230.0, 0.0))
    left = np.where(t >= 3, 300.0 * np.exp(-(t - 3) / tau_s), 0.0)
    record = measure_mains([Waveform("L1", (on.samples + left).astype(np.float32), RATE, 0.0, "V")], [])
    assert [(s.start_s, s.end_s) for s in record.volts] == [
        (pytest.approx(1.0, abs=0.02), pytest.approx(3.0, abs=0.03))
    ]
    assert record.dips == ()


@pytest.mark.parametrize(("lasts_s", "flows"), [(0.06, False), (0.2, True)])
def test_a_filter_s_charging_is_no_charge(lasts_s: float, flows: bool) -> None:
    t = np.arange(int(3 * RATE)) / RATE
    record = measure_mains([], [sine(np.where((t > 1) & (t < 1 + lasts_s), 9.0, 0.0), unit="A")])
    assert bool(record.amps) is flows


@pytest.mark.parametrize(("zero_a", "noise_a"), [(2.5, 0.02), (0.0, 0.6)])
def test_a_clamp_s_zero_and_its_noise_are_no_current(zero_a: float, noise_a: float) -> None:
    rng = np.random.default_rng(4)
    idle = (zero_a + rng.normal(0, noise_a, int(4 * RATE))).astype(np.float32)
    assert measure_mains([], [Waveform("I L1", idle, RATE, 0.0, "A")]).amps == ()
    flowing = sine(np.full(int(4 * RATE), 14.0), unit="A").samples + idle
    assert len(measure_mains([], [Waveform("I L1", flowing, RATE, 0.0, "A")]).amps) == 1


@pytest.mark.parametrize("ohm", [0.2, 1.0, 3.0])
def test_the_resistance_before_the_probe_is_ohm_s_law(ohm: float) -> None:
    t = np.arange(int(8 * RATE)) / RATE
    amps = np.where(t > 5, 16.0, np.where(t > 2, 6.0, 0.0))
    (sag,) = measure_mains([sine(231.0 - ohm * amps)], [sine(amps, name="I L1", unit="A")]).sags
    assert sag.ohm == pytest.approx(ohm, rel=0.05)
    assert sag.share == pytest.approx(16.0 * ohm / 231.0, rel=0.05)


def test_what_two_levels_of_one_current_differ_by_tells_no_resistance() -> None:
    t = np.arange(int(6 * RATE)) / RATE
    amps = np.where(t > 3, 16.0, 14.0)
    assert measure_mains([sine(231.0 - amps)], [sine(amps, name="I L1", unit="A")]).sags == ()


def test_mains_that_goes_and_comes_back_breaks_the_hold() -> None:
    found = seen(
        asks_from_1_to_15(), [(1.4, 230), (6.0, 0), (7.2, 230), (15.05, 0)], [(3, 15.5), (6, 0), (9, 15.5), (14.8, 0)]
    )
    assert "mains_broken_off" in codes(found)
    assert (stage(found, "hold"), found.causes[0].code) == ("failed", "supply_dropped")


def test_current_that_sinks_to_the_end_is_a_pack_that_gets_full() -> None:
    steps: Rows = [(2.0, 15.5), (5.0, 12.0), (7.5, 9.0), (10.0, 6.5), (14.8, 0)]
    full = seen(asks_from_1_to_15(), ON, steps)
    assert "current_tapers" in codes(full)
    assert (full.outcome, full.causes[0].owner) == ("charged", "none")
    once = seen(asks_from_1_to_15(), ON, [(2.0, 15.5), (7.5, 9.0), (14.8, 0)])
    assert "current_reduced" in codes(once)


@pytest.mark.parametrize(
    ("dead_v", "code", "cause"), [(0.0, "phase_gone", "phase_missing"), (230.0, "phase_current_ended", "")]
)
def test_a_phase_that_goes_while_the_others_stay_is_told_with_its_voltage(dead_v: float, code: str, cause: str) -> None:
    """As a logger tells it, once a second."""
    t = np.arange(600)
    on = np.where((t > 20) & (t < 560), 15.6, 0.0)
    lost = np.where(t < 300, on, 0.0)
    u2 = np.where(t < 300, 230.0, dead_v)
    table = {"U1": t * 0 + 230.0, "U2": u2, "U3": t * 0 + 231.0, "I1": on, "I2": lost, "I3": on}
    waves = [
        Waveform(name, v.astype(np.float32), 1.0, 0.0, "V" if name[0] == "U" else "A") for name, v in table.items()
    ]
    found = analyse(Recording(tuple(waves), "test"))
    told = next(f for f in found.findings if f.code == code)
    assert told.start_s == pytest.approx(300, abs=2)
    assert {"phase_gone", "phase_current_ended"} & set(codes(found)) == {code}
    assert found.causes[0].code == (cause or found.causes[0].code)
    assert found.causes[0].owner != "none"


def test_a_capture_begun_in_a_charge_does_not_say_when_mains_was_switched_on() -> None:
    script = pilot().pwm(6, 26.7, 6000).pwm(9, 26.7, 500).hold(9, 500).hold(12, 600)
    found = seen(script, [(0.0, 230), (6.05, 0)], [(0.0, 15.5), (5.9, 0)])
    text = next(f.text for f in found.findings if f.code == "mains_on")
    assert "from the first sample" in text
    assert "after the vehicle asks" not in text
    assert (stage(found, "energise"), found.outcome, found.causes[0].owner) == ("proven", "charged", "none")


@pytest.mark.parametrize("gone_s", [0.0, 4.0, 8.0])
def test_a_line_that_is_gone_neither_sags_nor_dips(gone_s: float) -> None:
    """Its volts were not lost on the way: they are not there."""
    lanes = mains([(1.0, 230.0), (12.0, 0.0)], [(2.0, 16.0), (12.0, 0.0)], 13.0, 10e3, 3, seed=4)
    times = np.arange(len(lanes[0].samples)) / 10e3
    quiet = np.random.default_rng(5).normal(0, 0.05, len(times))
    taken = [
        replace(w, samples=np.where(times >= gone_s, quiet, w.samples).astype(np.float32)) if w.name[-1] == "2" else w
        for w in lanes
    ]
    record = measure_mains([w for w in taken if w.unit == "V"], [w for w in taken if w.unit == "A"])
    assert all(sag.share < 0.02 for sag in record.sags)
    assert not record.dips
