"""Arithmetic of records held against scipy, a units library, and figures of the trade (common practice, no source)."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pint
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import integrate

from gladwire.core.lanes.power.record import PowerRecord, completed, energy_kwh, energy_so_far
from gladwire.core.lanes.power.splice import splice
from gladwire.core.lanes.power.windows import ten_percent_pairs, window_of_soc, window_of_time
from gladwire.core.power.chain import Context, nameplate
from gladwire.core.power.distance import UNITS, distance, km_per_kwh
from gladwire.core.power.tariff import Tariff, energy_from_price, price

powers = st.lists(st.floats(0.0, 400.0), min_size=3, max_size=60)
steps = st.floats(0.5, 90.0)


def record(times: list[float] | np.ndarray, **values: list[float] | np.ndarray) -> PowerRecord:
    arrays = {key: np.asarray(v, dtype=float) for key, v in values.items()}
    return PowerRecord(np.asarray(times, dtype=float), arrays)


@settings(deadline=None)
@given(powers, st.data())
def test_energy_is_the_integral_of_power(kw: list[float], data: st.DataObject) -> None:
    times = np.cumsum([data.draw(steps) for _ in kw])
    found = energy_kwh(record(times, power_kw=kw))
    assert found == pytest.approx(integrate.trapezoid(kw, times) / 3600.0, rel=1e-12, abs=1e-12)


def test_energy_of_a_smooth_course_agrees_with_a_finer_rule() -> None:
    times = np.arange(0.0, 3601.0)
    kw = 40.0 + 90.0 * np.sin(times / 700.0) ** 2
    assert energy_kwh(record(times, power_kw=kw)) == pytest.approx(integrate.simpson(kw, x=times) / 3600.0, rel=1e-6)


@settings(deadline=None)
@given(powers, st.floats(0.01, 0.99), st.floats(0.01, 0.99))
def test_windows_that_meet_add_up(kw: list[float], a: float, b: float) -> None:
    times = np.arange(len(kw)) * 10.0
    whole = record(times, power_kw=kw)
    low, high = sorted((a * times[-1], b * times[-1]))
    cuts = [0.0, low, max(high, low + 1e-3), times[-1] + 0.0]
    parts = [window_of_time(whole, x, y).energy_kwh for x, y in pairwise(cuts) if y - x > 1e-6]
    assert sum(parts) == pytest.approx(energy_kwh(whole), rel=1e-9, abs=1e-9)


def test_power_and_volts_and_amperes_are_worked_out_where_two_are_known() -> None:
    steady = completed(record([0, 1, 2], power_kw=[163.0, 170.0, 183.0], amps_a=[500.0, 500.0, 500.0]))
    assert steady.values["volts_v"].tolist() == pytest.approx([326.0, 340.0, 366.0])
    assert completed(record([0, 1], volts_v=[800, 800], amps_a=[700, 700])).values["power_kw"].tolist() == [560, 560]
    assert "÷" in steady.derived[0]
    read = completed(record([0, 1, 2], volts_v=[400, 400, 400], amps_a=[100, 100, 100], power_kw=[41.0, np.nan, 39.0]))
    assert read.values["power_kw"].tolist() == [41.0, 40.0, 39.0]


def test_power_from_a_counter_holds_its_energy_and_stops_with_it() -> None:
    times = np.arange(0.0, 1200.0, 10.0)
    counter = np.minimum(np.round(times / 3600.0 * 60.0, 2), 10.0)
    found = completed(record(times, energy_kwh=counter))
    assert energy_kwh(found) == pytest.approx(10.0, abs=0.3)
    assert found.values["power_kw"][-1] == 0.0


def test_nothing_is_counted_over_a_gap_but_what_a_counter_says() -> None:
    times = [0.0, 10, 20, 30, 40, 50, 2000, 2010, 2020]
    kw = [100.0] * 9
    assert energy_kwh(record(times, power_kw=kw)) == pytest.approx(100.0 * 70 / 3600)
    counter = [t / 3600 * 100.0 for t in times]
    assert energy_kwh(record(times, power_kw=kw, energy_kwh=counter)) == pytest.approx(100.0 * 2020 / 3600)


def test_windows_of_charge_follow_the_trade() -> None:
    """0 to 90 in 63 min less 0 to 10 in 5 min is 10 to 90 in 58 min; 327 kWh in 30 min are 654 kW on average."""
    drive = record([0, 300, 3780], soc_percent=[0, 10, 90], power_kw=[60, 60, 60])
    assert (window_of_soc(drive, 0, 90).minutes, window_of_soc(drive, 0, 10).minutes) == (63.0, 5.0)
    assert window_of_soc(drive, 10, 90).minutes == 58.0
    big = record([0, 1800], power_kw=[654, 654])
    assert window_of_time(big, 0, 1800).energy_kwh == pytest.approx(327.0)
    assert window_of_time(big, 0, 1800).average_kw == pytest.approx(654.0)
    assert window_of_soc(drive, 5, 95) is None


def test_a_window_implies_the_packs_size_within_its_doubt() -> None:
    times = np.arange(0.0, 3000.0)
    soc = 12.3 + times / 3000.0 * 70.0
    kw = np.full(3000, 70.0 * 0.64 / 3000 * 3600)
    for every in (1, 60):
        r = record(times[::every], power_kw=kw[::every], soc_percent=np.floor(soc)[::every])
        window = window_of_soc(r, 20, 80)
        assert abs(window.capacity_kwh - 64.0) < 2.5 * window.capacity_doubt_kwh
        assert window.c_rate == pytest.approx(window.average_kw / window.capacity_kwh)
    pairs = {(w.from_soc, w.to_soc) for w in ten_percent_pairs(r)}
    assert pairs == {(a, b) for a in range(20, 90, 10) for b in range(20, 90, 10) if a < b}


@settings(deadline=None)
@given(powers, powers, st.one_of(st.none(), st.floats(1.0, 5000.0)))
def test_a_splice_never_invents_energy(a: list[float], b: list[float], pause: float | None) -> None:
    one, two = (record(np.arange(len(kw)) * 20.0, power_kw=kw) for kw in (a, b))
    joined, joints = splice([one, two], [pause])
    assert energy_kwh(joined) == pytest.approx(energy_kwh(one) + energy_kwh(two), rel=1e-9, abs=1e-9)
    assert len(joints) == 1
    assert (np.diff(joined.time_s) > 0).all()


def test_a_splice_shows_overlap_gap_and_carries_the_counter_on() -> None:
    one = record([0, 60, 120], power_kw=[50, 50, 50], soc_percent=[10, 20, 30], energy_kwh=[0, 0.8, 1.7])
    two = record([0, 60, 120], power_kw=[50, 50, 50], soc_percent=[28, 38, 48], energy_kwh=[0, 0.8, 1.7])
    joined, (joint,) = splice([one, two])
    assert (joint.overlap_points, joint.missing_points, joint.pause_s) == (2.0, 0.0, None)
    assert joined.values["energy_kwh"][-1] == pytest.approx(3.4)
    assert window_of_soc(joined, 20, 40).splices == 1
    _, (apart,) = splice([one, record([0, 60], power_kw=[50, 50], soc_percent=[35, 40])], [300.0])
    assert (apart.missing_points, apart.pause_s) == (5.0, 300.0)
    assert "unseen" in apart.words


def test_tariffs_and_energy_from_a_price_paid() -> None:
    """10.63 at 0.43 a kWh is 24.7 kWh (common practice, no source)."""
    assert energy_from_price(Tariff(per_kwh=0.43), 10.63) == pytest.approx(24.72, abs=0.01)
    full = Tariff(per_kwh=0.5, per_min=0.1, per_start=1.0, idle_per_min=0.2, idle_free_min=10)
    assert price(full, 30.0, 20.0, 25.0) == pytest.approx(1 + 15 + 2 + 3)
    assert energy_from_price(full, price(full, 30.0, 20.0, 25.0), 20.0, 25.0) == pytest.approx(30.0)
    with pytest.raises(ValueError, match="no price for energy"):
        energy_from_price(Tariff(per_min=1), 5.0)
    with pytest.raises(ValueError, match="more than was paid"):
        energy_from_price(full, 1.0, 20.0)


@pytest.mark.parametrize("unit", UNITS)
@pytest.mark.parametrize("amount", [3.7, 18.4, 212.0])
def test_consumption_agrees_with_a_units_library(unit: str, amount: float) -> None:
    units = pint.UnitRegistry()
    said = {
        "kWh/100 km": units.kWh / (100 * units.km), "Wh/km": units.Wh / units.km, "Wh/mi": units.Wh / units.mile,
        "kWh/100 mi": units.kWh / (100 * units.mile), "mi/kWh": units.mile / units.kWh, "km/kWh": units.km / units.kWh,
    }[unit]  # fmt: skip
    value = amount * said
    expected = value if "kWh" in unit.split("/")[1] else 1 / value
    assert km_per_kwh(amount, unit) == pytest.approx(expected.to(units.km / units.kWh).magnitude, rel=1e-9)


def test_distance_is_told_in_the_length_the_consumption_uses() -> None:
    assert distance(20.0, 16.0, "kWh/100 km") == (pytest.approx(125.0), "km")
    assert distance(20.0, 4.0, "mi/kWh") == (pytest.approx(80.0), "mi")
    with pytest.raises(ValueError, match="above zero"):
        distance(1.0, 0.0, "Wh/km")


def test_a_label_means_nothing_without_volts() -> None:
    """700 A at 800 V is 560 kW; the same amperes at 350 V are 245 (common practice, no source)."""
    truth = nameplate(Context(announced_kw=350, post_a=700), 350.0)
    assert truth.possible_kw == pytest.approx(245.0)
    assert truth.needed_a == pytest.approx(1000.0)
    assert nameplate(Context(post_a=700, announced_kw=600), 800.0).possible_kw == pytest.approx(560.0)
    assert nameplate(Context(post_a=700)) is None


def test_energy_so_far_starts_at_nought_and_never_falls_while_charging() -> None:
    _, total = energy_so_far(record([0, 5, 9], power_kw=[0, 10, 20]))
    assert total[0] == 0.0
    assert (np.diff(total) >= 0).all()
