"""Two displays of one session, and a session held against another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from gladwire.core.lanes.power.joined import clocks_apart, joined, same_charge
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import report_of
from gladwire.core.lanes.power.sources import compare_sources
from gladwire.core.power.reference import compare_with, reference_of
from tests.core.power.build import POST, played, seen


@pytest.mark.parametrize("shift", [-140.0, 0.0, 33.0])
@pytest.mark.parametrize(("ratio", "offset"), [(1.0, -1.4), (0.97, 0.0), (1.006, 0.0)])
def test_clock_ratio_and_offset_of_two_displays_are_found(shift: float, ratio: float, offset: float) -> None:
    course = played(POST)
    post = PowerRecord(course.time_s, {"power_kw": course.kw}, {"power_kw": "post"})
    car_kw = np.maximum(ratio * course.kw + offset, 0.0)
    car = PowerRecord(course.time_s[::5] - shift, {"power_kw": np.round(car_kw[::5], 1)}, {"power_kw": "vehicle"})
    found = compare_sources(post, car)
    assert found is not None
    assert found.clock_s == pytest.approx(shift, abs=max(2.0, found.doubt_s))
    assert found.mean_share == pytest.approx((ratio - 1) + offset / 96.0, abs=0.006)
    if abs(offset) > 1:
        assert found.mean_kw < 0
        assert "own use" in found.meanings[0]
    elif ratio > 1:
        assert not any("own use" in m for m in found.meanings)


def test_nothing_is_compared_that_hardly_overlaps() -> None:
    flat = PowerRecord(np.arange(60.0), {"power_kw": np.full(60, 50.0)})
    assert compare_sources(flat, flat) is None
    assert compare_sources(flat, PowerRecord(np.arange(2.0), {"power_kw": np.ones(2)})) is None


def course(t: np.ndarray) -> np.ndarray:
    """Ninety kilowatts that sink from a quarter of an hour on."""
    return np.clip(np.where(t < 900, 90.0, 90.0 - (t - 900) * 0.035), 0, None) * np.clip(t / 90, 0, 1)


def typed(every_s: float, seed: int, factor: float = 1.0, less_kw: float = 0.0, clock_s: float = 0.0) -> PowerRecord:
    """Readings typed now and then, by a display that reads so and a clock that is off."""
    rng = np.random.default_rng(seed)
    at = np.cumsum(np.concatenate([[rng.uniform(20, 120)], rng.uniform(0.7, 1.3, int(2300 / every_s) - 1) * every_s]))
    kw = np.maximum(course(at) * factor - less_kw * (course(at) > 1), 0.0)
    place = "vehicle" if less_kw or factor != 1.0 else "post"
    return PowerRecord(at + clock_s, {"power_kw": np.round(kw, 1)}, {"power_kw": place})


@pytest.mark.parametrize("every_s", [60.0, 120.0])
@pytest.mark.parametrize("seed", range(6))
def test_displays_typed_at_different_moments_are_compared_at_those_moments(every_s: float, seed: int) -> None:
    """What is told holds the truth within its own doubt, though nobody typed both at once."""
    found = compare_sources(typed(every_s, seed), typed(240.0, seed + 50, 0.985, 0.6))
    if found is not None:
        t = np.arange(150.0, 2300.0)
        assert found.mean_kw == pytest.approx(float((course(t) * -0.015 - 0.6).mean()), abs=found.unsure_kw)
        assert not found.refused
        assert found.clock_s == 0.0
        assert "tell no more of two clocks" in found.clock


def test_a_step_between_two_typed_readings_belongs_to_neither() -> None:
    at = np.arange(30.0, 2400.0, 300.0)
    post = PowerRecord(np.arange(0.0, 2400, 5), {"power_kw": np.where(np.arange(0.0, 2400, 5) < 1210, 88.0, 44.0)})
    car = PowerRecord(at, {"power_kw": np.where(at < 1210, 88.0, 44.0)}, {"power_kw": "vehicle"})
    found = compare_sources(post, car)
    assert found is not None
    assert abs(found.mean_kw) <= found.unsure_kw


def test_where_nothing_moves_the_clocks_are_not_told() -> None:
    flat = PowerRecord(np.arange(0.0, 2400, 5), {"power_kw": np.full(480, 48.0)}, {"power_kw": "post"})
    less = PowerRecord(np.arange(75.0, 2475, 5), {"power_kw": np.full(480, 47.0)}, {"power_kw": "vehicle"})
    found = compare_sources(flat, less)
    assert found is not None
    assert (found.clock_s, "nothing in their courses" in found.clock) == (0.0, True)
    assert found.mean_kw == pytest.approx(-1.0, abs=0.01)


def test_what_a_person_placed_stays_there() -> None:
    post = PowerRecord(np.arange(0.0, 2400, 5), {"power_kw": course(np.arange(0.0, 2400, 5))}, {"power_kw": "post"})
    car = PowerRecord(post.time_s + 40.0, {"power_kw": post.values["power_kw"] - 1}, {"power_kw": "vehicle"})
    free, placed = compare_sources(post, car), compare_sources(post, car, by_hand=True)
    assert free is not None
    assert placed is not None
    assert free.clock_s == pytest.approx(-40.0, abs=free.doubt_s)
    assert (placed.clock_s, placed.clock) == (0.0, "Compared where it was placed by hand.")


@pytest.mark.parametrize(
    ("second", "why"),
    [
        (lambda kw: 120.0 - kw, "one rises while the other falls"),
        (lambda kw: kw * 1.6, "one is 60 % more than the other"),
    ],
)
def test_what_cannot_be_one_charge_is_refused_in_words(second: Callable[[np.ndarray], np.ndarray], why: str) -> None:
    at = np.arange(100.0, 2300, 5)
    other = PowerRecord(at, {"power_kw": second(course(at))}, {"power_kw": "vehicle"})
    found = compare_sources(PowerRecord(at, {"power_kw": course(at)}, {"power_kw": "post"}), other, by_hand=True)
    assert found is not None
    assert found.refused
    assert why in found.text


def test_one_charge_read_by_two_clocks_an_hour_apart_is_not_two_charges() -> None:
    first = report_of(seen(played(POST)))
    later = first.model_copy(update={"start_s": first.start_s + 3600, "end_s": first.end_s + 3600})
    whole = joined([first, later])
    assert whole is not None
    assert whole.energy_kwh == pytest.approx(first.energy_kwh)
    assert whole.notes == ()
    assert same_charge(first, later)
    assert "60 min apart" in clocks_apart(first, later)


def test_a_pause_between_two_recordings_is_no_part_of_any_figure() -> None:
    first = report_of(seen(played(POST, stop_min=6.0)))
    later = report_of(seen(played(POST, start_soc=34.0)))
    later = later.model_copy(update={"start_s": later.start_s + 900, "end_s": later.end_s + 900})
    whole = joined([first, later])
    assert whole is not None
    pause = next(e for e in whole.entries if "Between two recordings" in " ".join(e.evidence))
    assert pause.limiter == "none"
    assert pause.energy_kwh < 0.01
    assert pause.shortfall_kwh < 0.5
    assert not [e for e in whole.of("ramp") if e.start_s < later.start_s < e.end_s]
    window = next(w for w in whole.windows if (w.from_soc, w.to_soc) == (20.0, 80.0))
    assert window.splices == 1
    assert window.left_out_minutes == pytest.approx((later.start_s - first.end_s) / 60.0, abs=0.2)
    # The pack is the same whether a window crosses the pause or not: what was charged unseen is not counted either.
    beside = next(w for w in whole.windows if (w.from_soc, w.to_soc) == (40.0, 80.0))
    assert window.capacity_kwh == pytest.approx(beside.capacity_kwh, rel=0.02)
    assert not [w for w in whole.windows if w.from_soc == 30.0]


def _curve(**changes: object) -> tuple[np.ndarray, np.ndarray]:
    record = seen(played(replace(POST, **changes)), 5, kw_only=True)
    return record.values["soc_percent"], record.values["power_kw"]


def test_a_session_is_slower_normal_or_faster_than_its_reference() -> None:
    reference = reference_of("“June”", *_curve(), pack_c=27.0)
    slow = compare_with(*_curve(kw=60.0), reference, 27.0, pack_kwh=60.0)
    assert slow is not None
    assert slow.verdict == "slower"
    assert slow.minutes == pytest.approx(_minutes(kw=60.0) - _minutes(), rel=0.15)
    assert compare_with(*_curve(start_soc=20.0, seed=9), reference, 27.0).verdict == "normal"
    assert (
        compare_with(*_curve(amps=420.0, kw=300.0), reference_of("weak", *_curve(kw=70.0), pack_c=27.0), 27.0).verdict
        == "faster"
    )


def _minutes(**changes: object) -> float:
    course = played(replace(POST, **changes))
    after = course.soc >= 13.5
    return float(course.time_s[after & (course.soc < 79.5)][-1] - course.time_s[after][0]) / 60.0


def test_what_cold_explains_is_not_slower() -> None:
    reference = reference_of("“June”", *_curve(), pack_c=27.0)
    cold = compare_with(*_curve(pack_c=13.0), reference, 13.0)
    assert cold is not None
    assert cold.verdict == "normal"
    assert compare_with(*_curve(kw=60.0), reference, 27.0).band[0] > cold.band[0]


def test_too_little_in_common_is_no_comparison() -> None:
    soc = np.array([10.0, 11, 12])
    assert compare_with(soc, np.full(3, 50.0), reference_of("x", soc, np.full(3, 60.0))) is None
    with pytest.raises(ValueError, match="two states of charge"):
        reference_of("x", np.full(3, 10.0), np.full(3, 50.0))


def test_parts_are_joined_two_displays_are_not_and_what_never_flowed_is_left_aside() -> None:
    first = report_of(seen(played(POST, stop_min=6.0)))
    later = report_of(seen(played(POST, start_soc=34.0)))
    later = later.model_copy(update={"start_s": later.start_s + 900, "end_s": later.end_s + 900})
    idle = report_of(PowerRecord(np.arange(0.0, 300) + 5000, {"power_kw": np.zeros(300)}))
    whole = joined([later, idle, first])
    assert whole is not None
    assert whole.energy_kwh == pytest.approx(first.energy_kwh + later.energy_kwh, rel=0.005)
    assert len(whole.notes) == 1
    assert sum(e.shortfall_kwh for e in whole.entries) == pytest.approx(whole.expected_kwh - whole.energy_kwh, abs=1e-6)
    display = report_of(seen(played(POST, stop_min=6.0), 10, kw_only=True))
    both = joined([first, display])
    assert both in (first, display)
    assert joined([idle]) == idle
    assert joined([]) is None


def test_a_heater_s_share_of_little_power_is_no_other_charge() -> None:
    """Of 7 kW at the post a heater takes three: nearly half, and one charge all the same."""
    at = np.arange(0.0, 2400, 5)
    post = PowerRecord(at, {"power_kw": np.full(480, 7.0)}, {"power_kw": "post"})
    car = PowerRecord(at, {"power_kw": np.where(at < 900, 4.0, 6.5)}, {"power_kw": "vehicle"})
    found = compare_sources(post, car, by_hand=True)
    assert found is not None
    assert not found.refused
