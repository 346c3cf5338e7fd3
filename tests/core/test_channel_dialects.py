"""Channels of many scopes: under names of eleven languages each is what it is; under names that mean nothing what leaves no
doubt is told, what may be is proposed, and the rest is asked. None is taken for another."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.benchmarks.dialects import lanes
from gladwire.core.channels import recognise
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.unnamed.record import UnnamedRecord
from gladwire.core.measured import measure_recording
from gladwire.core.session.session import judge_alone
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Floats, Recording, Waveform

RATE = 20_000.0
T = np.arange(round(6 * RATE)) / RATE


def wave(name: str, values: Floats, unit: str = "V", rate: float = RATE) -> Waveform:
    return Waveform(name, np.asarray(values, np.float32), rate, 0.0, unit)


def sine(peak: float) -> Floats:
    return np.where((T > 2.0) & (T < 5.0), peak * np.sin(2 * np.pi * 50 * T), 0.0)


PILOT = np.where((T < 1.5) | ((T * 1000) % 1 < 0.25), np.where(T < 1.0, 12.0, np.where(T < 2.0, 9.0, 6.0)), -12.0)


def outcomes(named: bool, with_units: bool, seeds: range) -> set[str]:
    found: set[str] = set()
    for seed in seeds:
        _, made, measured = lanes.told(seed, named, with_units)
        found |= {outcome for outcome in lanes.outcome(made, measured).values()}
    return found


@pytest.mark.parametrize("with_units", [True, False])
def test_under_names_of_any_language_every_channel_is_what_it_is(with_units: bool) -> None:
    assert outcomes(True, with_units, range(60)) == {"right"}


@pytest.mark.parametrize("with_units", [True, False])
def test_under_names_that_mean_nothing_none_is_taken_for_another(with_units: bool) -> None:
    assert outcomes(False, with_units, range(60)) == {"right", "proposed", "asked"}


@pytest.mark.parametrize("seed", range(12))
def test_a_pilot_that_oscillates_is_found_without_a_name(seed: int) -> None:
    which, made, measured = lanes.told(seed, named=False, with_units=False)
    has_pilot = any(lane.role == "cp" for lane in made)
    assert (measured.channel_index is not None) == has_pilot, which


def asked_of(measured_of: Recording, given: Settled | None = None) -> dict[str, tuple[str, str]]:
    measured = measure_recording(measured_of, given)
    return {c.channel: (c.proposed, c.does) for r in measured.of(UnnamedRecord) for c in r.channels}


def test_two_temperatures_of_a_logger_are_a_question_not_a_verdict() -> None:
    t = np.arange(600.0)
    two = Recording((wave("CH1", 24 + 0.05 * t, "", 1.0), wave("CH2", 22 + 0.03 * t, "", 1.0)), "scope-csv")
    assert {name: role for name, (role, _) in asked_of(two).items()} == {"CH1": "", "CH2": ""}
    judgement = judge_alone(measure_recording(two))
    assert (judgement.outcome, judgement.causes) == ("unknown", ())
    assert judgement.verdict.startswith("Nothing tells what 2 channels show")


def test_pulses_and_a_line_are_proposed_and_what_rests_on_no_guess_is_told() -> None:
    drive = sum(
        np.where((t0 < T) & (t0 + 0.3 > T), 0.4 + 0.8 * np.exp(-(T - t0) / 0.02), 0.0) for t0 in (1.0, 2.0, 3.0)
    )
    both = Recording((wave("A", drive, "A"), wave("B", np.full_like(T, 0.01))), "scope-csv")
    asked = asked_of(both)
    assert asked["A"] == ("lock_current", "3 pulses, with nothing between")
    assert asked["B"][1].endswith("and never changes")
    assert measure_recording(both).of(LockRecord) == ()
    settled = Settled(roles={"A": "lock_current", "B": "lock_position"})
    assert [a.result for a in measure_recording(both, settled).of(LockRecord)[0].attempts] == ["obstructed"]


def test_a_lock_s_clamp_in_volts_tells_no_amperes() -> None:
    drive = sum(np.where((t0 < T) & (t0 + 0.3 > T), 0.04 + 0.08 * np.exp(-(T - t0) / 0.02), 0.0) for t0 in (1.0, 2.0))
    for unit, amperes in (("V", False), ("A", True)):
        both = Recording((wave("Lock current", drive, unit), wave("Lock position", np.full_like(T, 0.01))), "scope-csv")
        found = judge_alone(measure_recording(both)).findings
        text = next(f.text for f in found if f.code == "lock_obstructed")
        assert (" A, " in text) == amperes


@pytest.mark.parametrize("unit", ["V", ""])
def test_a_mains_clamp_in_volts_is_asked_for_its_factor_before_its_amperes_are_told(unit: str) -> None:
    capture = Recording((wave("CP", PILOT), wave("I L1", sine(0.226), unit)), "scope-csv")
    assert "how many amperes" in asked_of(capture)["I L1"][1]
    assert measure_recording(capture).of(MainsRecord) == ()
    with_factor = measure_recording(capture, Settled(factors={"I L1": 100.0}))
    assert with_factor.of(MainsRecord)[0].amps[0].rms == pytest.approx(16.0, rel=0.01)
    assert with_factor.of(UnnamedRecord) == ()


@pytest.mark.parametrize(("peak", "asked"), [(3.25, True), (0.325, True), (2.3, False), (325.0, False)])
def test_mains_behind_a_probe_nobody_told_of_is_no_missing_mains(peak: float, asked: bool) -> None:
    """1:100 and 1:1000 of 230 V; 2.3 V that never comes and goes is pick-up on an open line."""
    values = sine(peak) if asked or peak > 100 else peak * np.sin(2 * np.pi * 50 * T)
    capture = Recording((wave("CP", PILOT), wave("L1", values)), "scope-csv")
    assert ("L1" in asked_of(capture)) == asked
    assert (measure_recording(capture).of(MainsRecord) == ()) == asked


@pytest.mark.parametrize(
    ("values", "is_pilot"),
    [(np.full_like(T, 9.0), True), (np.full_like(T, 12.0), True), (np.where(T < 3, 12.0, 9.0), True),
     (np.where(T < 3, 12.4, 14.1), False), (np.full_like(T, 0.0), False), (24 + 5 * T, False), (np.full_like(T, 5.0), False),
     (np.where(T < 3, 0.0, 5.0), False)],
)  # fmt: skip
def test_of_one_channel_without_a_name_only_a_pilot_s_levels_make_a_pilot(values: Floats, is_pilot: bool) -> None:
    found = recognise([wave("CH1", values)], Settled())
    assert (found.pilot is not None, found.guessed) == (is_pilot, is_pilot)


def test_one_level_among_other_channels_is_no_pilot() -> None:
    """Of several channels one that stands at 9 V may be a supply as well."""
    measured = measure_recording(Recording((wave("A", np.full_like(T, 9.0)), wave("B", 24 + 5 * T)), "scope-csv"))
    assert measured.of(PilotRecord) == ()
    assert measured.of(UnnamedRecord)[0].channels[0].proposed == "cp"


def test_a_name_outweighs_looks() -> None:
    found = recognise([wave("CP", 24 + 5 * T), wave("Aux battery", PILOT)], Settled())
    assert [r.role for r in found.roles] == ["cp", "other"]


def test_a_unit_no_lane_has_is_something_else_and_no_question() -> None:
    found = recognise([wave("CH1", PILOT), wave("CH2", 24 + 5 * T, "°C")], Settled())
    assert [(r.role, r.asked) for r in found.roles] == [("cp", None), ("other", None)]


@pytest.mark.parametrize("unit", ["volts dc", "Spannung", "U~"])
def test_a_unit_nobody_knows_says_nothing(unit: str) -> None:
    measured = measure_recording(Recording((wave("CP", PILOT, unit),), "scope-csv"))
    assert (measured.channels[0].role, measured.channels[0].unit) == ("cp", "V")


@pytest.mark.parametrize("count", [4, 20, 40])
def test_many_channels_are_asked_about_not_refused(count: int) -> None:
    """More combinations than can be tried: each channel may be a lock's drive, and only one of them is."""
    many = [
        wave(f"X{i}", np.where((1 + i / 50 < T) & (1.3 + i / 50 > T), 0.4 + np.exp(-T), 0.0), "A") for i in range(count)
    ]
    assert set(asked_of(Recording(tuple(many), "scope-csv"))) == {f"X{i}" for i in range(count)}


def test_many_channels_with_names_are_all_told() -> None:
    many = [wave(f"Relay {i}", np.where(1 + i / 50 < T, 12.0, 0.0)) for i in range(24)]
    found = recognise([wave("CP", PILOT), *many], Settled())
    assert [r.role for r in found.roles] == ["cp", *["contactor"] * 24]


@pytest.mark.parametrize(
    ("name", "values", "role"),
    [
        ("Main voltage", sine(325.0), "mains_v"),
        ("Line voltage", sine(325.0), "mains_v"),
        ("CP line", np.full_like(T, 9.02), "cp"),
        ("K1 coil line", np.where(T < 2.0, 0.0, 12.0), "contactor"),
        ("Lock feedback line", np.where(T < 2.0, 0.0, 5.0), "lock_position"),
        ("Tensión de red", sine(325.0), "mains_v"),
        ("Netspænding", sine(325.0), "mains_v"),
        ("Red", PILOT, "cp"),
    ],
)
def test_a_word_of_two_meanings_is_read_by_what_stands_beside_it(name: str, values: Floats, role: str) -> None:
    assert recognise([wave(name, values), wave("T", T, "°C")], Settled()).roles[0].role == role


@pytest.mark.parametrize("on_from_s", [0.0, 0.8, 1.4])
def test_a_divided_mains_is_asked_about_wherever_it_is_on(on_from_s: float) -> None:
    """Two seconds at 1 MS/s: most of the recording it is off."""
    t = np.arange(2_000_000) / 1e6
    on = (t > on_from_s) & (t < on_from_s + 0.5)
    mains = np.where(on, 1.625 * np.sin(2 * np.pi * 60 * t), 0.0) + np.random.default_rng(1).normal(0, 2e-3, len(t))
    assert "too little for mains" in asked_of(Recording((wave("L1", mains, rate=1e6),), "scope-csv"))["L1"][1]


def test_counts_of_a_proximity_tell_no_volts() -> None:
    both = Recording((wave("CP", PILOT), wave("PP", np.where(T < 1.0, 1023.0, 300.0), "")), "scope-csv")
    assert "how many volts that is, is not told" in asked_of(both)["PP"][1]
