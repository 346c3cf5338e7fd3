"""The ledger: sums that must hold for any course, and each limiter found in what instruments of several kinds write."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.lanes.power.ledger import keep_ledger
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import report_of
from gladwire.core.power.chain import Context
from gladwire.core.power.limiters import BY_KEY, LIMITERS
from gladwire.core.simulate.charge import Car, Spell
from tests.core.power.build import CAR, POST, at, ledger, minutes, played, seen

KNOWN = Context(post_kw=200, post_a=300, post_v=920, vehicle_kw=130, vehicle_a=420, pack_kwh=60, pack_class_v=400)
INSTRUMENTS = [
    pytest.param({"every_s": 1}, id="logger"),
    pytest.param({"every_s": 1, "noise": 0.004}, id="noisy"),
    pytest.param({"every_s": 5, "kw_only": True}, id="display"),
    pytest.param({"every_s": 30, "kw_only": True}, id="typed"),
]


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0.0, 300.0), st.integers(1, 40)), min_size=2, max_size=14),
    st.sampled_from([1.0, 7.0, 60.0]),
    st.sampled_from(
        [None, KNOWN, Context(post_kw=150, vehicle_kw=100), Context(ac_phases=3, offer_a=16, onboard_a=16)]
    ),
)
def test_for_any_course_shortfalls_add_up_and_entries_cover_the_time(
    levels: list[tuple[float, int]], step: float, context: Context | None
) -> None:
    kw = np.concatenate([np.full(length, level) for level, length in levels])
    times = np.arange(len(kw)) * step
    record = PowerRecord(times, {"power_kw": kw, "soc_percent": np.linspace(10, 60, len(kw))})
    kept = keep_ledger(record, context)
    if kept is None:
        return
    assert sum(e.shortfall_kwh for e in kept.entries) == pytest.approx(kept.expected_kwh - kept.energy_kwh, abs=1e-6)
    assert sum(e.energy_kwh for e in kept.entries) == pytest.approx(kept.energy_kwh, abs=1e-9)
    assert kept.entries[0].start_s == times[0]
    assert kept.entries[-1].end_s == times[-1]
    assert all(a.end_s == b.start_s for a, b in zip(kept.entries, kept.entries[1:], strict=False))
    for entry in kept.entries:
        assert entry.limiter in BY_KEY
        assert entry.evidence
        assert 0 < entry.confidence <= 1
        assert entry.headroom_kwh is None or entry.headroom_kwh >= 0
        assert entry.minutes_cost is None or 0 <= entry.minutes_cost <= entry.minutes + 1e-6


@pytest.mark.parametrize("how", INSTRUMENTS)
def test_a_plain_session_is_ramp_then_current_then_taper(how: dict[str, object]) -> None:
    kept = ledger(seen(played(POST), **how), KNOWN)
    held = minutes(kept)
    assert set(held) <= {"none", "ramp", "evse_current", "vehicle_taper"}
    assert next(e.limiter for e in kept.entries if e.limiter not in ("none", "ramp")) == "evse_current"
    assert held["vehicle_taper"] > 5
    report = report_of(seen(played(POST), **how), KNOWN)
    assert (report.verdict, report.by) == ("normal", "none")


@pytest.mark.parametrize("how", INSTRUMENTS)
@pytest.mark.parametrize("context", [None, KNOWN], ids=["nothing known", "ratings known"])
def test_a_neighbours_part_is_sharing_and_comes_back(how: dict[str, object], context: Context | None) -> None:
    course = played(POST, spells=(Spell(5.0, 11.0, 55.0),))
    record = seen(course, **how)
    entry = at(ledger(record, context), 8 * 60.0)
    assert entry.limiter == "shared_cabinet"
    every = float(np.diff(record.time_s)[0])
    assert entry.start_s == pytest.approx(300.0, abs=every + 1)
    assert entry.end_s == pytest.approx(660.0, abs=every + 1)
    report = report_of(record, context)
    assert (report.verdict, report.by) == ("derated", "site")
    free = played(POST)
    missing = float(np.interp(480, free.time_s, free.kw)) - 55.0
    assert entry.shortfall_kwh == pytest.approx(missing * 0.1, rel=0.2)


def test_a_fall_when_the_neighbour_plugs_in_is_sharing() -> None:
    """204 to 183 kW at the moment the neighbour plugs in (common practice, no source), though it never comes back."""
    times = np.arange(0.0, 2400.0)
    kw = np.where(times < 900, 204.0, 183.0) * np.clip(times / 60.0, 0, 1)
    record = PowerRecord(times, {"power_kw": kw, "soc_percent": np.floor(20 + times / 80)})
    entry = at(ledger(record, neighbours=(898.0,)), 1500.0)
    assert entry.limiter == "shared_cabinet"
    assert entry.start_s == pytest.approx(900.0, abs=2)
    assert entry.confidence > at(ledger(record), 1500.0).confidence


@pytest.mark.parametrize("how", INSTRUMENTS)
def test_a_high_voltage_pack_at_a_post_of_lower_volts_is_its_converter(how: dict[str, object]) -> None:
    """A steady level up to 71 % on a 500 V-class post (common practice, no source)."""
    big = Car(cells=192, kwh=100.0, curve=((0, 200), (75, 200), (100, 10)), converter_kw=84.0)
    record = seen(played(POST, car=big, volts=500.0, start_soc=8.0, target_soc=71.0, amps=400.0), **how)
    context = Context(post_v=500, post_kw=150, converter_kw=84, pack_class_v=800, vehicle_kw=200)
    held = minutes(ledger(record, context))
    assert max(held, key=lambda k: held[k]) == "vehicle_converter"
    assert report_of(record, context).verdict == "normal"


def test_a_cold_pack_creeps_up_and_is_no_fault() -> None:
    course = played(POST, pack_c=2.0, amps=500.0)
    values = seen(course).values | {"pack_c": np.round(course.pack_c)}
    report = report_of(PowerRecord(course.time_s, values), KNOWN.model_copy(update={"post_a": 500.0}))
    assert at(ledger(PowerRecord(course.time_s, values)), 600.0).limiter == "vehicle_cold"
    assert (report.verdict, report.by) == ("normal", "none")


def test_a_cable_that_warms_is_named_with_its_temperature() -> None:
    course = played(POST, heats_c=220.0, fold_c=70.0, target_soc=70.0)
    values = seen(course).values | {"connector_c": np.round(course.connector_c, 1)}
    report = report_of(PowerRecord(course.time_s, values), KNOWN)
    assert (report.verdict, report.by) == ("derated", "cable")
    assert "°C" in " ".join(report.of("cable_thermal")[0].evidence)


def test_a_buffer_that_runs_dry_is_the_sites() -> None:
    course = played(POST, buffer_kwh=14.0, grid_kw=40.0)
    report = report_of(seen(course), KNOWN.model_copy(update={"grid_kw": 40.0, "buffer_kwh": 14.0}))
    assert (report.verdict, report.by) == ("derated", "site")
    assert report.of("site_supply")


def test_an_adapters_rating_is_told_from_the_posts() -> None:
    course = played(POST, amps=200.0)
    known = KNOWN.model_copy(update={"post_a": 500.0, "adapter_a_continuous": 200.0})
    report = report_of(seen(course), known)
    assert (report.verdict, report.by) == ("derated", "adapter")


def test_equal_ratings_are_both_named() -> None:
    known = KNOWN.model_copy(update={"cable_a": 300.0})
    entry = at(ledger(seen(played(POST)), known), 400.0)
    assert {entry.limiter, *entry.also} >= {"evse_current", "cable_rating"}


@pytest.mark.parametrize(("phases", "limiter"), [(1, "phase_lost"), (2, "phase_lost"), (3, "evse_current")])
def test_phases_of_an_ac_charge(phases: int, limiter: str) -> None:
    times = np.arange(0.0, 1800.0, 10.0)
    kw = phases * 0.23 * 16 * np.clip(times / 30.0, 0, 1)
    context = Context(ac_phases=3, offer_a=16, onboard_a=32, onboard_phases=3)
    assert at(ledger(PowerRecord(times, {"power_kw": kw}), context), 900.0).limiter == limiter


def test_a_stop_in_the_middle_is_an_interruption_and_a_stop_at_eighty_is_not() -> None:
    broken = report_of(seen(played(POST, spells=(Spell(6.0, 9.0, 0.0),))))
    assert broken.verdict == "interrupted"
    assert broken.of("stop_fault")[0].start_s == pytest.approx(360, abs=6)
    assert report_of(seen(played(POST, stop_min=4.0, after_s=60.0))).verdict == "interrupted"
    assert report_of(seen(played(POST, after_s=120.0))).verdict == "normal"


def test_stairs_of_a_vehicle_are_its_taper() -> None:
    held = minutes(ledger(seen(played(POST, amps=500.0, stairs=6.0))))
    assert "shared_cabinet" not in held
    assert held["vehicle_taper"] > 5


def test_what_messages_say_decides_whose_limit_it_is() -> None:
    course = played(POST, amps=250.0)
    asked = np.minimum(course.amps * 1.3 + 10, 420.0)
    posts = np.full(len(course.time_s), 250.0)
    base = seen(course).values
    by_post = ledger(PowerRecord(course.time_s, base | {"asked_a": asked, "post_max_a": posts}))
    assert at(by_post, 400.0).limiter == "evse_current"
    by_car = ledger(PowerRecord(course.time_s, base | {"asked_a": course.amps, "post_max_a": posts + 150}))
    assert at(by_car, 400.0).limiter == "vehicle_limit"
    lowered = np.where((course.time_s > 300) & (course.time_s < 600), 120.0, 250.0)
    amps = np.minimum(course.amps, lowered)
    shared = ledger(PowerRecord(course.time_s, base | {"amps_a": amps, "asked_a": asked, "post_max_a": lowered}))
    assert at(shared, 450.0).limiter == "shared_cabinet"


def test_minutes_cost_is_what_the_same_energy_would_have_taken_less() -> None:
    """90 kW where 180 would have flowed: the energy of 20 min takes 10, so 10 min were lost."""
    times = np.arange(0.0, 3000.0)
    kw = np.where((times > 600) & (times < 1800), 90.0, 180.0)
    entry = at(ledger(PowerRecord(times, {"power_kw": kw, "soc_percent": np.floor(10 + times / 100)})), 1200.0)
    assert entry.minutes_cost == pytest.approx(10.0, abs=0.15)
    assert entry.shortfall_kwh == pytest.approx(30.0, abs=0.2)
    assert entry.headroom_kwh == pytest.approx(30.0, abs=0.3)


def test_too_little_is_no_ledger() -> None:
    assert keep_ledger(PowerRecord(np.arange(3.0), {"soc_percent": np.arange(3.0)})) is None
    assert keep_ledger(PowerRecord(np.arange(9.0), {"power_kw": np.zeros(9)})) is None
    with pytest.raises(ValueError, match="power was read"):
        report_of(PowerRecord(np.arange(3.0), {"soc_percent": np.arange(3.0)}))


def test_limiters_are_those_of_the_contract() -> None:
    assert {limiter.key for limiter in LIMITERS} == {
        "none", "ramp", "vehicle_taper", "vehicle_cold", "vehicle_hot", "vehicle_converter", "vehicle_limit",
        "evse_current", "evse_power", "evse_voltage", "cable_rating", "cable_thermal", "adapter", "shared_cabinet",
        "site_supply", "phase_lost", "stop_fault", "unexplained",
    }  # fmt: skip


def test_the_car_of_these_tests_differs_from_the_models_own() -> None:
    """The expectation must not be right only because simulator and model share their tables."""
    from gladwire.core.power.pack import open_circuit_v

    course = played(POST)
    model = open_circuit_v(400.0, course.soc)
    assert np.abs(model - course.volts).max() > 2.0
    assert CAR.kwh == 60.0
