"""Proximity and lock of an independent circuit simulator (tests/fixtures/plug_in_circuit/ORIGIN)."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gladwire.core.simulate.lock_motor import latch_volts
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.build import Analysis, analyse

FOLDER = Path(__file__).parents[1] / "fixtures" / "plug_in_circuit"


def load(name: str) -> tuple[Analysis, dict[str, float]]:
    analysis = analyse(read_capture(Source(FOLDER / f"{name}.csv.gz")))
    return analysis, json.loads((FOLDER / f"{name}.json").read_text())


@pytest.mark.parametrize("name", ["engaged", "obstructed", "leaned_on"])
def test_proximity_levels_and_moments_agree_with_the_simulator(name: str) -> None:
    analysis, spice = load(name)
    assert analysis.proximity is not None
    absent, pressed, latched = analysis.proximity.segments[:3]
    assert (absent.state, pressed.state, latched.state) == ("absent", "pressed", "latched")
    for segment, key in ((absent, "absent"), (pressed, "pressed"), (latched, "latched")):
        assert segment.value == pytest.approx(spice[f"pp_{key}_v"], abs=0.01)
    assert pressed.start_s == pytest.approx(0.5, abs=0.002)
    assert latched.start_s == pytest.approx(0.65, abs=0.002)


def test_our_own_simulator_agrees_with_it_about_the_latch() -> None:
    spice = load("engaged")[1]
    wave = latch_volts([("absent", 0.1), ("pressed", 0.1), ("latched", 0.1)], 1000.0, noise_v=0.0)
    levels = [float(wave.samples[n]) for n in (50, 150, 250)]
    assert levels == pytest.approx([spice[f"pp_{k}_v"] for k in ("absent", "pressed", "latched")], abs=0.003)


def test_channels_without_names_are_told_by_their_looks() -> None:
    recording = read_capture(Source(FOLDER / "engaged.csv.gz"))
    plain = [replace(w, name=f"CH{n}", unit="V") for n, w in enumerate(recording.channels)]
    sine = 325 * np.sin(2 * np.pi * 50 * np.arange(len(plain[0].samples)) / plain[0].rate_hz)
    plain.append(replace(plain[0], name="CH9", samples=sine.astype(np.float32)))
    analysis = analyse(replace(recording, channels=tuple(plain)))
    roles = {c.name: (c.role, c.told_by) for c in analysis.channels}
    assert (roles["CH0"], roles["CH9"]) == (("pp", "looks"), ("mains_v", "looks"))
    assert analysis.proximity is not None


def test_a_pin_that_reaches_its_stop_engages_and_comes_back() -> None:
    analysis, spice = load("engaged")
    assert (spice["pos_locked_v"], spice["pos_end_v"]) == (5.0, 0.0)
    assert analysis.lock is not None
    locked, released = analysis.lock.attempts
    assert (locked.result, released.result) == ("engaged", "released")
    assert locked.start_s == pytest.approx(1.0, abs=0.004)
    assert released.start_s == pytest.approx(4.5, abs=0.004)
    assert locked.plateau == pytest.approx(spice["stall_a"], rel=0.02)


def test_a_pin_that_meets_something_is_driven_three_times_and_never_arrives() -> None:
    analysis, spice = load("obstructed")
    assert spice["travel"] < 0.5
    assert analysis.lock is not None
    attempt = analysis.lock.attempts[0]
    assert (attempt.result, attempt.pulses, attempt.position_changed) == ("obstructed", 3, False)
    assert attempt.plateau == pytest.approx(spice["stall_a"], rel=0.02)
    assert next(s.state for s in analysis.stages if s.stage == "lock") == "failed"
    assert analysis.causes[0].code == "lock_blocked"


def test_without_a_pilot_nothing_is_said_of_it() -> None:
    analysis, _ = load("leaned_on")
    assert (analysis.pilot, analysis.channel_index) == (None, None)
    assert "No channel of this capture is a pilot" in analysis.channel_why
    assert next(s.state for s in analysis.stages if s.stage == "pilot") == "not_captured"
    assert analysis.causes[0].code == "latch_pressed_or_broken"
