"""Captures of the blind corpus, with seeds of their own: what must be told of each class is told, nothing else."""

from __future__ import annotations

import pytest

from gladwire.benchmarks.blind import buses, conversations, outside, outside_ac, pilots, power
from gladwire.benchmarks.blind.truth import Truth, marked
from gladwire.core.lanes.pilot.measure import measure
from gladwire.core.measured import measure_capture, measure_recording
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.session import judge_alone
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

SEED = 41


def held(truth: Truth, told: Judgement) -> None:
    marks = marked(truth, told)
    assert marks.wrong == ()
    assert not marks.blamed
    assert marks.first is not False, [c.code for c in told.causes]
    assert marks.owner is not False


@pytest.mark.parametrize("case", pilots.cases(1, SEED), ids=lambda c: c.name)
def test_a_pilot_s_truth_is_told(case: pilots.Case) -> None:
    held(case.truth, judge_alone(measure_recording(case.recording)))


@pytest.mark.parametrize("case", conversations.cases(1, SEED), ids=lambda c: c.name)
def test_a_conversation_s_truth_is_told(case: conversations.Case) -> None:
    held(case.truth, judge_alone(measure_capture(case.capture).measured))


@pytest.mark.parametrize("case", list(buses.cases(1, SEED)), ids=lambda c: c.name)
def test_a_bus_s_truth_is_told(case: buses.Case) -> None:
    held(case.truth, judge_alone(case.measured))


@pytest.mark.parametrize("case", list(outside.pilots(1, SEED)), ids=lambda c: c.name)
def test_the_truth_of_a_simulated_circuit_is_told(case: outside.Seen) -> None:
    held(case.truth, judge_alone(measure_recording(case.recording)))


@pytest.mark.parametrize("case", list(outside_ac.ac_sessions(1, SEED)), ids=lambda c: c.name)
def test_the_truth_of_a_simulated_ac_session_is_told(case: outside.Seen) -> None:
    held(case.truth, judge_alone(measure_recording(case.recording)))


@pytest.mark.parametrize("case", outside.conversations(), ids=lambda c: c.name)
def test_the_truth_of_another_stack_s_conversation_is_told(case: outside.Heard) -> None:
    held(case.truth, judge_alone(measure_capture(read_capture(Source(case.path))).measured))


def test_the_limiter_of_a_battery_model_s_minutes_is_told() -> None:
    found = power.minutes_of(outside.charges(1, SEED))
    assert found.right > 0.95, found.confused
    assert found.wrong + found.party < 0.02, found.confused


def test_the_limiter_of_each_minute_is_told() -> None:
    classes = power.limiter_minutes(1, SEED)
    assert classes.right > 0.97, classes.confused
    mixed = power.minutes_at_random(40, SEED)
    assert mixed.right > 0.8, mixed.confused
    assert mixed.wrong + mixed.party < 0.07, mixed.confused


@pytest.mark.parametrize("rate_hz", [50e3, 100e3, 200e3, 487e3])
def test_the_duty_is_unbiased_at_coarse_sampling_and_its_doubt_holds(rate_hz: float) -> None:
    """Against the crossing of 0 V by the circuit's own exponential edges: ln(18/6) and ln(18/12) time constants late."""
    off = []
    for seed in range(14):
        bench = pilots.Bench(rate_hz=rate_hz, hertz=1000.0 + 0.7 * (seed - 6.5), noise_v=0.05)
        duty = 11.3 + 3.1 * seed
        wave = pilots.captured([pilots.Step(0.2, "high", ""), pilots.Step(1.2, duty, "C")], bench, seed).channels[0]
        found = [s for s in measure(wave).segments if s.oscillating][-1]
        right = duty - 100 * bench.tau_s * bench.hertz * 0.693
        assert found.duty_percent is not None
        assert found.duty_doubt_percent is not None
        off.append(found.duty_percent - right)
        assert abs(off[-1]) < found.duty_doubt_percent + 0.03
    assert abs(sum(off) / len(off)) < 0.05
