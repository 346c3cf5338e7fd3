"""Any pilot that is synthesised is measured back within the uncertainty the analysis itself states."""

from __future__ import annotations

from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from gladwire.core.lanes.pilot.record import Segment
from gladwire.core.settled import Settled
from gladwire.core.simulate.script import PilotScript, Scope
from tests.build import analyse, recording

LEVELS = {"A": 12.0, "B": 9.0, "C": 6.0, "D": 3.0}
OPTIONS = settings(max_examples=60, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])


def measured(script: PilotScript, rate_hz: float, scope: Scope, seed: int, delay: float) -> Segment:
    wave = script.record(rate_hz, scope, seed, delay / rate_hz)
    segments = analyse(recording(wave)).pilot.segments
    return max(segments, key=lambda s: s.duration_s)


@OPTIONS
@given(
    letter=st.sampled_from("ABCD"),
    duty=st.floats(3.5, 96.5),
    hz=st.floats(980, 1020),
    rate_hz=st.floats(20e3, 2e6),
    noise=st.floats(0, 0.15),
    bits=st.sampled_from([8, 10, 12]),
    offset=st.floats(-0.3, 0.3),
    seed=st.integers(0, 2**16),
    delay=st.floats(0, 1),
)
def test_state_duty_frequency_and_level_come_back(
    letter: str, duty: float, hz: float, rate_hz: float, noise: float, bits: int, offset: float, seed: int, delay: float
) -> None:
    # Under two samples in the shorter half no plateau can be seen at all.
    assume(min(duty, 100 - duty) / 100 / hz * rate_hz > 2.5)
    scope = Scope(noise_v=noise, bits=bits, offset_v=offset)
    s = measured(PilotScript(slew_s=1e-6).pwm(LEVELS[letter], duty, 400, hz=hz), rate_hz, scope, seed, delay)
    assert (s.state, s.oscillating) == (letter, True)
    assert abs(s.duty_percent - duty) <= s.duty_doubt_percent + 0.1  # the generator's own ramp is 0.1 % long
    assert abs(s.frequency_hz - hz) <= s.frequency_doubt_hz + 0.05
    # Without noise to dither it, a level lies up to half a step of the converter beside itself.
    allowed = s.level_doubt_v + abs(offset) + 0.05 + scope.range_v / 2**bits
    assert abs(s.high_v - LEVELS[letter]) <= allowed
    assert abs(s.low_v + 12) <= allowed
    # An uncertainty that is always large would pass anything: it must not exceed what one sample each side gives.
    assert s.duty_doubt_percent <= 2.2 * 100 * hz / rate_hz + 0.15


@OPTIONS
@given(
    letter=st.sampled_from("ABCD"),
    duty=st.floats(8, 90),
    factor=st.sampled_from([1.0, 0.1, 0.01, 10.0]),
    inverted=st.booleans(),
    rate_hz=st.floats(50e3, 500e3),
    seed=st.integers(0, 2**16),
)
def test_probe_factor_and_polarity_are_found(
    letter: str, duty: float, factor: float, inverted: bool, rate_hz: float, seed: int
) -> None:
    # Upside down, A at 50 % looks like itself: nothing in the signal tells.
    assume(not (letter == "A" and inverted))
    signed = -factor if inverted else factor
    scope = Scope(noise_v=0.05, bits=10, factor=signed, range_v=16 * factor)
    script = PilotScript().hold(12.0, 60).pwm(LEVELS[letter], duty, 200)
    wave = script.record(rate_hz, scope, seed)
    record = analyse(recording(wave)).pilot
    longest = max(record.segments, key=lambda s: s.duration_s)
    assert longest.state == letter
    assert abs(record.interpretation.correction.scale * signed - 1) < 1e-6
    assert ("scale" in record.interpretation.guessed) == (factor != 1.0)
    assert ("polarity" in record.interpretation.guessed) == inverted


@settings(OPTIONS, max_examples=20)
@given(scale=st.sampled_from([1.0, 2.0, 10.0]), offset=st.floats(-3, 3))
def test_what_a_person_settles_is_not_guessed_again(scale: float, offset: float) -> None:
    wave = PilotScript().pwm(9, 30, 100).record(100e3, Scope(noise_v=0.05, bits=10))
    reading = analyse(recording(wave), Settled(scale=scale, inverted=False, offset_v=offset)).pilot.interpretation
    assert (reading.scale, reading.inverted, reading.offset_v) == (scale, False, offset)
    assert not {"scale", "polarity", "offset"} & set(reading.guessed)
    assert reading.settled_by_person
