"""Waveforms of an independent circuit simulator (tests/fixtures/pilot_circuit/ORIGIN) against its own measurements."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from gladwire.core.lanes.pilot.record import Segment
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.build import Analysis, analyse, codes

FOLDER = Path(__file__).parents[1] / "fixtures" / "pilot_circuit"
NAMES = sorted(p.stem for p in FOLDER.glob("*.json"))


def load(name: str) -> tuple[Analysis, dict[str, Any]]:
    analysis = analyse(read_capture(Source(FOLDER / f"{name}.csv.gz")))
    return analysis, json.loads((FOLDER / f"{name}.json").read_text())


def asking(analysis: Analysis) -> Segment:
    """The stretch from 120 to 180 ms in which the netlist closes the vehicle's request switch."""
    return next(s for s in analysis.pilot.segments if s.start_s < 0.150 < s.end_s)


@pytest.mark.parametrize("name", NAMES)
def test_levels_duty_and_moments_agree_with_the_simulator(name: str) -> None:
    analysis, spice = load(name)
    first, steady, waiting = analysis.pilot.segments[:3]
    c = asking(analysis)
    assert first.high_v == pytest.approx(spice["a_v"], abs=0.02)
    assert steady.high_v == pytest.approx(spice["b_steady_v"], abs=0.02)
    for segment, letter in ((waiting, "b"), (c, "c")):
        assert segment.high_v == pytest.approx(spice[f"{letter}_high_v"], abs=0.03)
        assert segment.low_v == pytest.approx(spice[f"{letter}_low_v"], abs=0.03)
        assert segment.frequency_hz == pytest.approx(1000, abs=0.5)
    assert c.duty_percent == pytest.approx(spice["width_s"] * 1e5, abs=c.duty_doubt_percent)
    assert steady.start_s == pytest.approx(0.020, abs=0.0002)
    assert c.start_s == pytest.approx(0.120, abs=0.0015)
    assert c.end_s == pytest.approx(0.180, abs=0.0015)


@pytest.mark.parametrize(
    ("name", "code"),
    [
        ("series_470_ohm", "pilot_level_between_states"),
        ("diode_shorted", "low_side_pulled_up"),
        ("slow_10_nf", "slow_edges"),
        ("five_percent", "digital_communication"),
    ],
)
def test_each_fault_of_the_netlist_is_named(name: str, code: str) -> None:
    assert code in codes(load(name)[0])


def test_a_healthy_netlist_raises_no_fault() -> None:
    assert {f.severity for f in load("healthy")[0].findings} <= {"normal", "note"}


def test_the_resistance_that_explains_the_shift_is_the_netlists() -> None:
    text = next(f.text for f in load("series_470_ohm")[0].findings if f.code == "pilot_level_between_states")
    assert any(f"About {ohm} Ω" in text for ohm in range(420, 530, 10))


def test_edge_times_and_the_capacitance_behind_them() -> None:
    analysis, spice = load("slow_10_nf")
    c = asking(analysis)
    assert c.fall_us == pytest.approx(spice["c_fall_s"] * 1e6, rel=0.05)
    assert c.rise_us == pytest.approx(spice["c_rise_s"] * 1e6, rel=0.12)
    assert "About 10 nF" in next(f.text for f in analysis.findings if f.code == "slow_edges")


def test_edges_too_fast_for_the_sampling_are_not_given_a_number() -> None:
    c = asking(load("healthy")[0])
    assert (c.rise_us, c.fall_us) == (None, None)
    assert c.edge_below_us == pytest.approx(10.0)
