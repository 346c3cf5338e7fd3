"""A plug that makes proximity first and the pilot later, seen from both ends of the cable: 12 V goes on at the post, 0 V at
the inlet (common practice, no source). Pilots by circuit; proximity by the divider of SAE J1772, from memory: 330 Ω to 5 V,
2.7 kΩ and the plug's 150 Ω to PE."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.benchmarks.blind.pilots import Bench, Step, captured
from gladwire.core.findings import Finding
from gladwire.core.measured import measure_recording
from gladwire.core.scene.stamps import Stamp
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.session import judge_session
from gladwire.core.session.timeline import Part
from gladwire.core.signal.waveform import Recording, Waveform

BENCH = Bench(rate_hz=50e3, noise_v=0.05)


def latched_v(ohm: float) -> float:
    return 5.0 * ohm / (330.0 + ohm)


def plugged(late_s: float, at_inlet: bool, made: bool = True, stamps: tuple[Stamp, ...] = ()) -> Judgement:
    """Proximity at 1 s; the pilot late_s later, or never."""
    before = Step(1.0 + late_s, "zero" if at_inlet else "high", "")
    steps = [before, Step(1.0, "high", "B"), Step(2.0, 26.7, "C")] if made else [before]
    pilot = captured(steps, BENCH, 3).channels[0]
    absent, latched = latched_v(2700.0), latched_v(1.0 / (1 / 2700.0 + 1 / 150.0))
    every = 500
    times = np.arange(0.0, len(pilot.samples) / BENCH.rate_hz, every / BENCH.rate_hz)
    proximity = Waveform(
        "PP", np.where(times < 1.0, absent, latched).astype(np.float32), BENCH.rate_hz / every, 0.0, "V"
    )
    measured = measure_recording(Recording((pilot, proximity), "scope-csv"))
    return judge_session([Part("", measured)], stamps).judgement


def seat(told: Judgement) -> list[Finding]:
    return [f for f in told.findings if f.code == "plug_not_home"]


@pytest.mark.parametrize("at_inlet", [False, True], ids=["at the post", "at the inlet"])
@pytest.mark.parametrize(("late_s", "told"), [(0.2, False), (1.8, False), (2.3, True), (6.0, True)])
def test_a_pilot_that_follows_proximity_late_is_a_plug_that_was_not_home(
    late_s: float, told: bool, at_inlet: bool
) -> None:
    found = seat(plugged(late_s, at_inlet))
    assert bool(found) == told
    if told:
        assert found[0].severity == "suspect"
        assert "until then the plug was not fully home" in found[0].text
        # 0 V first are those of a post that was off as well, and nobody says more than that.
        assert ("the post was off" in found[0].text) == at_inlet
        assert found[0].end_s == pytest.approx(1.0 + late_s, abs=0.05)


def test_a_pilot_that_never_follows_fails_the_seat() -> None:
    told = plugged(5.0, at_inlet=False, made=False)
    assert [f.severity for f in seat(told)] == ["fault"]
    assert {s.stage: s.state for s in told.stages}["seat"] == "failed"


def test_zero_volts_all_along_may_be_a_dead_post_and_fail_no_seat() -> None:
    """A plug home at a post that is off reads the same as an inlet whose plug is not home."""
    told = plugged(5.0, at_inlet=True, made=False)
    assert [f.severity for f in seat(told)] == ["suspect"]
    assert "read at the post, it is off or in error, or CP touches PE" in seat(told)[0].text
    assert {s.stage: s.state for s in told.stages}["seat"] != "failed"


def test_a_push_that_somebody_noted_is_named_with_it() -> None:
    told = plugged(6.0, False, stamps=(Stamp(kind="plug_moved", at_s=7.4), Stamp(kind="lamp_steady", at_s=1.2)))
    assert "“Plug or cable moved” was noted at 7.4 s." in seat(told)[0].text
    assert "Lamp" not in seat(told)[0].text
