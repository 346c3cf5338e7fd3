"""Two displays of one session, and a session held against another."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gladwire.core.lanes.power.joined import joined
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
