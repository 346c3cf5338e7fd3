"""Bench logs: what was done, and the states that must be read."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.script import PilotScript, Scope
from tests.build import QUIET, Analysis, analyse, analysed, labels, pilot, recording

SESSION = (
    pilot()
    .hold(12, ms=500)
    .hold(9, ms=800)
    .pwm(9, duty=26.7, ms=400)
    .pwm(6, duty=26.7, ms=900)
    .pwm(9, duty=26.7, ms=300)
)
STATES = [("A1", 0.0), ("B1", 0.5), ("B2", 1.3), ("C2", 1.7), ("B2", 2.6)]


def states(analysis: Analysis) -> list[tuple[str, float]]:
    return [(s.label, round(s.start_s - analysis.pilot.start_s, 2)) for s in analysis.pilot.segments]


@pytest.mark.parametrize("rate_hz", [20e3, 22_050, 100e3, 1e6, 10e6])
def test_a_session_at_every_rate(rate_hz: float) -> None:
    script = SESSION if rate_hz < 5e6 else pilot().hold(12, ms=100).hold(9, ms=100).pwm(9, duty=26.7, ms=100)
    expected = STATES if rate_hz < 5e6 else [("A1", 0.0), ("B1", 0.1), ("B2", 0.2)]
    assert states(analysed(script, rate_hz)) == expected


SCOPES = {
    "eight bits": Scope(bits=8),
    "noise": Scope(noise_v=0.3, bits=10),
    "hum": Scope(hum_v=0.5, noise_v=0.05, bits=10),
    "ringing": Scope(ringing_v=4.0, noise_v=0.05, bits=10),
    "power line bursts": Scope(burst_v=1.2, noise_v=0.05, bits=10),
    "small offset": Scope(offset_v=0.3, bits=10),
    "large offset": Scope(offset_v=1.5, bits=10),
    "probe x10 unscaled": Scope(factor=0.1, noise_v=0.05, bits=10, range_v=2.0),
    "probe x100 unscaled": Scope(factor=0.01, noise_v=0.05, bits=10, range_v=0.2),
    "differential 1:20": Scope(factor=1 / 20, noise_v=0.05, bits=12, range_v=1.0),
    "differential 1:50, upside down": Scope(factor=-1 / 50, noise_v=0.05, bits=12, range_v=0.4),
    "differential 1:200": Scope(factor=1 / 200, noise_v=0.05, bits=12, range_v=0.1),
    "differential 1:500": Scope(factor=1 / 500, noise_v=0.05, bits=12, range_v=0.04),
    "upside down": Scope(factor=-1.0, noise_v=0.05, bits=10),
    "upside down, x10": Scope(factor=-0.1, noise_v=0.05, bits=10, range_v=2.0),
}


@pytest.mark.parametrize("scope", SCOPES.values(), ids=SCOPES)
@pytest.mark.parametrize("rate_hz", [97e3, 2e6])
def test_a_session_through_every_scope(scope: Scope, rate_hz: float) -> None:
    assert states(analysed(SESSION, rate_hz, scope)) == STATES


@pytest.mark.parametrize("skip", [0.13, 0.5, 0.77])
def test_a_capture_may_begin_and_end_in_the_middle_of_a_cycle(skip: float) -> None:
    wave = pilot().pwm(9, duty=40, ms=101).pwm(6, duty=40, ms=100).record(200e3, QUIET)
    cut = round(skip * 200)
    whole = Waveform("CP", wave.samples[cut : -cut - 30], wave.rate_hz)
    analysis = analyse(recording(whole))
    assert labels(analysis) == ["B2", "C2"]
    assert all(s.duty_percent == pytest.approx(40, abs=s.duty_doubt_percent) for s in analysis.pilot.segments)


@pytest.mark.parametrize("cycles", [2, 3, 10])
def test_a_state_of_a_few_cycles_is_seen(cycles: int) -> None:
    script = pilot().pwm(9, duty=30, ms=200).pwm(6, duty=30, ms=cycles).pwm(9, duty=30, ms=200)
    assert labels(analysed(script)) == ["B2", "C2", "B2"]


@pytest.mark.parametrize("gap_ms", [3, 8, 40, 400])
def test_a_contact_that_opens_for_milliseconds_is_counted(gap_ms: float) -> None:
    script = pilot().pwm(6, duty=30, ms=300).pwm(12, duty=30, ms=gap_ms).pwm(6, duty=30, ms=300)
    gaps = [e for e in analysed(script).pilot.events if e.kind == "interruption"]
    assert len(gaps) == 1
    assert gaps[0].time_s == pytest.approx(0.3, abs=0.0015)
    assert gaps[0].end_s - gaps[0].time_s == pytest.approx(gap_ms / 1e3, abs=0.0015)


def test_one_glitch_in_a_long_capture_is_not_lost() -> None:
    script = pilot().pwm(6, duty=50, ms=60_000).pwm(12, duty=50, ms=2).pwm(6, duty=50, ms=60_000)
    events = [e for e in analysed(script, 40e3).pilot.events if e.kind == "interruption"]
    assert [round(e.time_s, 2) for e in events] == [60.0]


def test_a_small_step_of_the_offer_is_seen_and_noise_makes_none() -> None:
    stepped = analysed(pilot().pwm(6, duty=26.7, ms=500).pwm(6, duty=28.4, ms=500), 487e3)
    assert [round(s.duty_percent or 0) for s in stepped.pilot.segments] == [27, 28]
    quiet = analysed(pilot().pwm(6, duty=26.7, ms=5000), 97e3, Scope(noise_v=0.3, bits=8))
    assert labels(quiet) == ["C2"]


@pytest.mark.parametrize("level", [12, 9, 6, 3, 0, -12])
@pytest.mark.parametrize("scope", [QUIET, Scope(hum_v=0.6, noise_v=0.1, bits=8)], ids=["quiet", "hum"])
def test_a_steady_level_is_one_segment(level: float, scope: Scope) -> None:
    analysis = analysed(pilot().hold(level, ms=2000), 50e3, scope)
    assert labels(analysis) == [{12: "A1", 9: "B1", 6: "C1", 3: "D1", 0: "E", -12: "F"}[level]]
    assert analysis.pilot.segments[0].high_v == pytest.approx(level, abs=0.1)


def test_the_pilot_is_found_among_other_channels() -> None:
    cp = SESSION.record(50e3, QUIET, name="CH3")
    n = len(cp.samples)
    rng = np.random.default_rng(3)
    others = [
        Waveform("CH1", np.full(n, 1.51, np.float32) + rng.normal(0, 0.01, n).astype(np.float32), 50e3),
        Waveform("CH2", (325 * np.sin(2 * np.pi * 50 * np.arange(n) / 50e3)).astype(np.float32), 50e3),
        Waveform("CH4", np.zeros(n, np.float32), 50e3),
    ]
    analysis = analyse(Recording((others[0], others[1], cp, others[2]), "test"))
    assert analysis.pilot.channel == "CH3"
    assert "CH3" in analysis.channel_why


def test_missing_samples_neither_break_nor_fake_anything() -> None:
    wave = SESSION.record(100e3, QUIET)
    rng = np.random.default_rng(5)
    wave.samples[rng.integers(0, len(wave.samples), 200)] = np.nan
    wave.samples[:50] = np.nan
    analysis = analyse(recording(wave))
    assert states(analysis) == STATES
    assert "capture_gaps" in {f.code for f in analysis.findings}


@pytest.mark.parametrize("samples", [np.zeros(4), np.full(50, np.nan), np.full(1000, 1e30), np.arange(7.0)])
def test_degenerate_captures_do_not_crash(samples: np.ndarray) -> None:
    analysis = analyse(recording(Waveform("CP", samples.astype(np.float32), 1e5)))
    assert analysis.verdict


def test_too_few_samples_are_refused() -> None:
    with pytest.raises(ValueError, match="samples"):
        analyse(recording(Waveform("CP", np.zeros(3, np.float32), 1e5)))


def test_a_script_is_the_same_every_time() -> None:
    one, two = (PilotScript().pwm(9, 30, 50).record(1e5, QUIET, seed=4).samples for _ in range(2))
    assert np.array_equal(one, two)
