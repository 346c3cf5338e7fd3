"""Captures begun late or ended early: what they no longer show is told as such, and nobody is blamed for it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gladwire.core.lanes.pilot.levels import glance
from gladwire.core.measured import measure_capture, measure_recording
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.session.consequences import within_a_record
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.session import judge_alone
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.simulate.script import PilotScript, Scope
from tests.core.test_next_test import finding

RATE = 50e3
HEALTHY = PilotCircuit()


def codes(told: Judgement, *severities: str) -> set[str]:
    return {f.code for f in told.findings if not severities or f.severity in severities}


def told(script: PilotScript, *more: Waveform, scope: Scope | None = None) -> Judgement:
    pilot = script.record(RATE, scope or Scope(0.05, bits=12), 5)
    return judge_alone(measure_recording(Recording((pilot, *more), "test")))


def ends_at_zero(in_order: bool) -> PilotScript:
    """Begun while it charges, read where 0 V stand without a plug."""
    script = PilotScript().circuit(HEALTHY, "asking", 1500, 26.7)
    if in_order:
        script.circuit(HEALTHY, "waiting", 500, 26.7).circuit(HEALTHY, "waiting", 600)
    return script.hold(0.0, 900)


def test_a_plug_drawn_in_order_is_no_error_of_the_post() -> None:
    orderly, amid = told(ends_at_zero(True)), told(ends_at_zero(False))
    assert "zero_after_the_end" in codes(orderly)
    assert not codes(orderly, "fault", "suspect")
    assert "pilot_to_zero" in codes(amid, "fault")
    assert "zero_after_the_end" not in codes(amid)


def test_0_v_at_the_post_after_the_end_is_an_error_all_the_same() -> None:
    script = PilotScript().circuit(HEALTHY, "none", 500).circuit(HEALTHY, "waiting", 400)
    script.circuit(HEALTHY, "asking", 1000, 26.7).circuit(HEALTHY, "waiting", 500, 26.7).circuit(
        HEALTHY, "waiting", 600
    )
    assert "pilot_to_zero" in codes(told(script.hold(0.0, 900)), "fault")


@pytest.mark.parametrize("source_v", [9.2, 10.0, 10.6])
def test_a_source_low_on_both_sides_is_no_diode_where_only_a_loaded_state_shows(source_v: float) -> None:
    weak = PilotCircuit(source_high_v=source_v, source_low_v=-source_v)
    found = told(PilotScript().circuit(weak, "asking", 2500, 41.7))
    assert "both_sides_low" in codes(found, "fault")
    assert not codes(found) & {"low_side_pulled_up", "ventilation_asked", "capture_offset"}
    assert found.causes[0].code != "diode_shorted"


@pytest.mark.parametrize("leak_ohm", [4e3, 6e3])
@pytest.mark.parametrize("begun", ["before the plug", "waiting", "asking"])
def test_a_leak_is_told_from_a_weak_source_by_the_loaded_levels(leak_ohm: float, begun: str) -> None:
    """Thevenin: a leak lowers the source's resistance with its volts, a weak source only the volts. Written out from 1 kΩ,
    2.74 kΩ, 1.3 kΩ and 0.7 V (IEC 61851-1 Annex A). One loaded level alone does not tell: a source's tolerance is as wide."""
    open_v, inner = 12.0 * leak_ohm / (leak_ohm + 1000.0), 1000.0 * leak_ohm / (leak_ohm + 1000.0)

    def level(load: float, volts: float, ohm: float) -> float:
        return (volts - 0.7) * load / (ohm + load) + 0.7

    waits, asks = 2740.0, 1 / (1 / 2740.0 + 1 / 1300.0)
    for ohm, code in ((inner, "both_sides_leak"), (1000.0, "both_sides_off")):
        script = PilotScript()
        if begun == "before the plug":
            script.hold(open_v, 500).hold(level(waits, open_v, ohm), 500)
        if begun != "asking":
            script.pwm(level(waits, open_v, ohm), 26.7, 500, low_v=-open_v)
        script.pwm(level(asks, open_v, ohm), 26.7, 2000, low_v=-open_v)
        found = codes(told(script), "fault") & {"both_sides_leak", "both_sides_off", "both_sides_low"}
        assert found == {"both_sides_low" if begun == "asking" else code}


def test_a_small_leak_and_a_source_as_weak_are_not_told_apart() -> None:
    """10 kΩ to earth and a source of 10.9 V differ by 0.25 V under load, which another post's tolerance has too."""
    script = PilotScript().hold(10.9, 500).hold(8.35, 500).pwm(8.35, 26.7, 800, low_v=-10.9)
    found = told(script.pwm(5.62, 26.7, 2000, low_v=-10.9))
    assert "both_sides_low" in codes(found, "fault")
    assert not codes(found, "fault") & {"both_sides_leak", "both_sides_off"}


@pytest.mark.parametrize("bits", [8, 10])
def test_a_signal_that_uses_every_code_of_a_converter_is_beyond_its_range(bits: int) -> None:
    """Two's complement: the last code lies one step inside the range, so both sides do not end alike."""
    reach = 6.98
    wave = PilotScript().circuit(PilotCircuit(), "asking", 2500, 26.7).record(20e3, Scope(noise_v=0.1), 3)
    step = 2 * reach / 2**bits
    codes_of = np.clip(np.round(wave.samples / step), -(2 ** (bits - 1)), 2 ** (bits - 1) - 1)
    found = judge_alone(
        measure_recording(Recording((replace(wave, samples=(codes_of * step).astype(np.float32)),), "t"))
    )
    assert "capture_clipped" in codes(found, "fault") | codes(found, "suspect")
    assert found.causes[0].code != "diode_shorted"


def test_a_diode_leaves_the_high_side_where_it_was() -> None:
    found = told(PilotScript().circuit(PilotCircuit(diode_shorted=True), "asking", 2500, 41.7))
    assert "low_side_pulled_up" in codes(found, "fault")
    assert found.causes[0].code == "diode_shorted"


@pytest.mark.parametrize("rate_hz", [20e3, 40e3, 100e3])
def test_a_range_too_small_is_seen_also_at_few_samples_a_cycle(rate_hz: float) -> None:
    """Values on edges lie many steps apart; they are not what an instrument's step is told by."""
    script = PilotScript().circuit(HEALTHY, "none", 400).circuit(HEALTHY, "waiting", 800, 26.7)
    wave = script.circuit(HEALTHY, "asking", 2000, 26.7).record(rate_hz, Scope(0.1, bits=8, range_v=7.5), 4)
    seen = glance(wave)
    assert seen.quantum == pytest.approx(2 * 7.5 / 256, rel=0.1)
    assert seen.clipped_high
    assert seen.clipped_low


def line(closed: list[tuple[float, float]], seconds: float) -> Waveform:
    times = np.arange(int(seconds * RATE)) / RATE
    high = sum(((times >= a) & (times < b)) for a, b in closed)
    return Waveform("K1 coil", (5.0 * np.asarray(high)).astype(np.float32), RATE, 0.0, "V")


@pytest.mark.parametrize("stuck", [False, True])
def test_a_line_captured_from_the_middle_of_a_charge_rests_where_nobody_asks(stuck: bool) -> None:
    script = PilotScript().circuit(HEALTHY, "asking", 4000, 26.7).circuit(HEALTHY, "waiting", 800, 26.7)
    script.circuit(HEALTHY, "waiting", 800).circuit(HEALTHY, "none", 800)
    found = told(script, line([(0.0, 6.3 if stuck else 4.03)], 6.4))
    assert not {c for c in codes(found, "suspect", "fault") if c.startswith("contactor")}
    assert ("contactor_opens" in codes(found)) is not stuck  # nothing shows at which level it rests


def conversation(plan: Plan, upto: float = 1.0) -> Judgement:
    frames = play(plan).frames
    until = frames[0].time_s + upto * (frames[-1].time_s - frames[0].time_s)
    capture = FrameCapture(tuple(f for f in frames if f.time_s <= until), "test")
    return judge_alone(measure_capture(capture).measured)


def test_a_vehicle_silent_in_the_cable_check_is_not_the_post_s_check() -> None:
    found = conversation(Plan(Vehicle(silent_after="CableCheck"), Post()))
    assert "vehicle_silent" in codes(found, "fault")
    assert "insulation_no_verdict" not in codes(found)
    assert found.causes[0].owner == "vehicle"


def test_a_vehicle_that_leaves_the_cable_check_at_once_leaves_for_its_own_reason() -> None:
    found = conversation(Plan(Vehicle(), Post(), hangs_up={"CableCheck": 0}))
    assert "insulation_no_verdict" not in codes(found)
    assert found.causes[0].owner == "vehicle"


def test_a_check_that_never_ends_is_the_post_s() -> None:
    found = conversation(Plan(Vehicle(), Post(ongoing={"CableCheck": -1}), patience=84))
    assert "insulation_no_verdict" in codes(found, "fault")
    assert found.causes[0].code == "insulation_self_test"


def test_a_pin_s_sensor_is_the_reason_of_the_flag_that_came_a_message_before_it() -> None:
    flag = finding("can_flag")
    late = finding("can_pin_sensor").model_copy(update={"start_s": 0.3, "end_s": 9.0})
    told = {f.code: f for f in within_a_record("bus", None, [flag, late])}
    assert told["can_pin_sensor"].severity == "fault"
    assert told["can_flag"].follows
    much_later = late.model_copy(update={"start_s": 2.1})
    told = {f.code: f for f in within_a_record("bus", None, [flag, much_later])}
    assert told["can_pin_sensor"].follows
    assert not told["can_flag"].follows
