"""Currents above continuous ratings, told whatever else held; labels of adapters in kW. The ratings are examples, the share
and the times common practice, no source."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.findings import apply
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import PowerReport, report_of
from gladwire.core.lanes.power.rules import RULES
from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import chain_of, spec_of

T = np.arange(0.0, 1800.0, 2.0)


def with_amps(amps: np.ndarray, **known: float) -> PowerReport:
    values = {"volts_v": 350.0 + T / 60.0, "amps_a": amps, "soc_percent": np.floor(20 + T / 60)}
    return report_of(PowerRecord(T, values), Context.model_validate(known))


def for_seconds(high: float, seconds: float, low: float = 180.0) -> np.ndarray:
    return np.where((T >= 300.0) & (300.0 + seconds > T), high, low)


@pytest.mark.parametrize(
    ("amps", "seconds", "told"), [(205.0, 600, False), (207.0, 600, True), (260.0, 28, False), (260.0, 34, True)]
)
def test_more_than_a_continuous_rating_for_longer_than_a_moment_is_told(
    amps: float, seconds: float, told: bool
) -> None:
    report = with_amps(for_seconds(amps, seconds), adapter_a_continuous=200)
    found = [f for f in apply(RULES, report) if f.code == "power_over_rating"]
    assert bool(found) == told
    if told:
        assert found[0].severity == "suspect"
        assert report.exceeded[0].minutes == pytest.approx(seconds / 60, abs=0.1)
        assert f"{amps:.0f} A flowed through the adapter rated 200 A continuous" in found[0].text


def test_it_is_told_beside_a_session_in_order_and_never_as_fewer_modules() -> None:
    report = with_amps(np.full(len(T), 300.0), adapter_a_continuous=200, post_kw=400, module_kw=50, post_a=500)
    assert report.exceeded
    assert not {e.limiter for e in report.entries} & {"adapter", "evse_power"}
    assert any("is the limit to plan with" in f.text for f in apply(RULES, report))


@pytest.mark.parametrize(
    ("known", "seconds", "severity"),
    [
        ({"cable_a": 200, "cable_boost_a": 280, "cable_boost_min": 5}, 300, "note"),
        ({"cable_a": 200, "cable_boost_a": 280, "cable_boost_min": 5}, 400, "suspect"),
        ({"cable_a": 200, "cable_boost_a": 240, "cable_boost_min": 5}, 300, "suspect"),
        ({"cable_a": 200}, 600, "note"),
        ({"cable_a": 200}, 1000, "suspect"),
        ({"connector_a": 200}, 300, "suspect"),
        ({"adapter_a_continuous": 200, "adapter_a_peak": 300}, 300, "suspect"),
    ],
)
def test_a_boost_that_is_known_or_usual_is_a_remark(known: dict[str, float], seconds: float, severity: str) -> None:
    found = [f for f in apply(RULES, with_amps(for_seconds(270.0, seconds), **known)) if f.code == "power_over_rating"]
    assert [f.severity for f in found] == [severity]


def test_the_end_of_a_boost_is_the_cables_rating() -> None:
    report = with_amps(np.where(T < 360, 280.0, 200.0), cable_a=200, post_a=500, post_kw=350)
    assert report.entries[-1].limiter == "cable_rating"
    assert "280 A flowed for a while" in report.entries[-1].evidence[0]


def test_measured_above_what_ratings_allow_is_a_contradiction_not_a_limit() -> None:
    report = with_amps(np.full(len(T), 300.0), post_kw=150, post_a=200)
    assert "more than the" in report.label
    assert "a rating entered is not what" in report.label


def test_an_adapters_label_in_kw_counts_at_the_volts_it_is_stated_at() -> None:
    """100 kW at 400 V are 250 A; at a pack of 350 V that is 87.5 kW. Source: P = V × I."""
    spec = spec_of("adapter", {"label_kw": 100.0, "label_v": 400.0})
    assert chain_of([spec]).adapter_a_continuous == pytest.approx(250.0)
    printed = spec_of("adapter", {"label_kw": 100.0, "label_v": 400.0, "adapter_a_continuous": 180.0})
    assert chain_of([printed]).adapter_a_continuous == 180.0
    with pytest.raises(ValueError, match="needs the volts"):
        spec_of("adapter", {"label_kw": 100.0})


def test_a_step_down_before_which_no_amperes_were_read_is_judged() -> None:
    """Amperes that begin only after the step: no boost can be told, and nothing breaks."""
    amps = np.where(T < 360, np.nan, 200.37)
    kw = np.where(T < 360, 100.0, 0.20037 * (345.0 + T / 90.0))
    values = {"power_kw": kw, "volts_v": np.where(T < 360, np.nan, 345.0 + T / 90.0), "amps_a": amps}
    report = report_of(PowerRecord(T, {**values, "soc_percent": np.floor(20 + T / 60)}))
    assert report.entries
