"""Decimation loses no extreme, and single cycles agree with the segment they belong to."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.lanes.pilot.closeup import cycles_between
from gladwire.core.signal.envelope import BLOCK, envelope, summarise
from tests.build import QUIET, analyse, pilot, recording


@settings(deadline=None, max_examples=80)
@given(
    n=st.integers(1, 60_000),
    columns=st.integers(1, 300),
    low=st.floats(0, 1),
    high=st.floats(0, 1),
    seed=st.integers(0, 99),
)
def test_no_extreme_is_lost_at_any_zoom(n: int, columns: int, low: float, high: float, seed: int) -> None:
    samples = np.random.default_rng(seed).normal(0, 1, n).astype(np.float32)
    first, end = sorted((int(low * n), int(high * n)))
    seen = envelope(samples, summarise(samples), first, end, columns)
    assert len(seen.at) <= 2 * columns
    if end > first:
        assert seen.low.min() <= samples[first:end].min()
        assert seen.high.max() >= samples[first:end].max()
        # Widening to whole blocks may show a neighbour, never more than one block's.
        around = samples[max(0, first - BLOCK) : end + BLOCK]
        assert seen.low.min() >= around.min()
        assert seen.high.max() <= around.max()


def test_one_millisecond_in_ten_minutes_stays_visible() -> None:
    samples = np.full(600 * 20_000, 6.0, np.float32)
    samples[7_654_321 : 7_654_321 + 20] = 12.0
    seen = envelope(samples, summarise(samples), 0, len(samples), 1200)
    hit = np.flatnonzero(seen.high > 11)
    assert 1 <= len(hit) <= 2
    assert seen.at[hit[0]] == pytest.approx(7_654_321, abs=len(samples) / 1200)


def test_gaps_do_not_swallow_their_neighbours() -> None:
    samples = np.full(BLOCK * 40, 5.0, np.float32)
    samples[: BLOCK * 20] = np.nan
    samples[BLOCK * 30] = np.nan
    seen = envelope(samples, summarise(samples), 0, len(samples), 4)
    assert np.isnan(seen.high[0])
    assert list(seen.high[2:]) == [5.0, 5.0]


def test_no_columns_is_refused() -> None:
    with pytest.raises(ValueError, match="one column"):
        envelope(np.zeros(9, np.float32), summarise(np.zeros(9, np.float32)), 0, 9, 0)


def test_single_cycles_agree_with_their_segment() -> None:
    wave = pilot().hold(9, 50).pwm(9, 30, 200).record(487e3, QUIET)
    record = analyse(recording(wave)).pilot
    cycles = cycles_between(wave, record, 0.1, 0.11)
    assert 10 <= len(cycles) <= 12
    for cycle in cycles:
        assert cycle.duty_percent == pytest.approx(30, abs=cycle.duty_doubt_percent + 0.1)
        assert (cycle.high_v, cycle.low_v) == (pytest.approx(9, abs=0.1), pytest.approx(-12, abs=0.1))
    assert cycles_between(wave, record, 0.0, 0.04) == ()
    assert cycles_between(wave, record, 0.0, 10.0) == ()


@pytest.mark.parametrize("columns", [40, 700])
def test_noise_is_drawn_about_its_level_and_not_by_its_outer_edge(columns: int) -> None:
    """Means of either half of a normal distribution lie sqrt(2/pi) standard deviations from its mean."""
    rng = np.random.default_rng(3)
    samples = (9.0 + rng.normal(0.0, 0.3, 716_800)).astype(np.float32)
    seen = envelope(samples, summarise(samples), 0, len(samples), columns)
    assert np.abs((seen.upper + seen.lower) / 2 - 9.0).max() < 0.3
    assert np.median(seen.upper - seen.lower) == pytest.approx(2 * 0.3 * np.sqrt(2 / np.pi), rel=0.15)
    assert (seen.high - seen.upper).min() > 0.3


@pytest.mark.parametrize("columns", [40, 700])
def test_both_levels_of_an_oscillation_are_drawn_where_they_are(columns: int) -> None:
    rng = np.random.default_rng(4)
    square = np.where(np.arange(716_800) % 250 < 67, 9.0, -12.0)
    samples = (square + rng.normal(0.0, 0.3, 716_800)).astype(np.float32)
    seen = envelope(samples, summarise(samples), 0, len(samples), columns)
    assert np.abs(seen.upper - 9.0).max() < 0.3
    assert np.abs(seen.lower + 12.0).max() < 0.15


@settings(deadline=None, max_examples=40)
@given(n=st.integers(1, 20_000), columns=st.integers(1, 60), seed=st.integers(0, 99), holes=st.booleans())
def test_sides_lie_between_extremes(n: int, columns: int, seed: int, holes: bool) -> None:
    samples = np.random.default_rng(seed).normal(0, 1, n).astype(np.float32)
    if holes:
        samples[:: max(2, n // 7)] = np.nan
    seen = envelope(samples, summarise(samples), 0, n, columns)
    known = np.isfinite(seen.low)
    order = np.stack([seen.low, seen.lower, seen.upper, seen.high])[:, known]
    assert (np.diff(order, axis=0) >= -1e-6).all()


def test_samples_on_edges_draw_no_level_inwards() -> None:
    """A narrow pulse of few samples, one of them on its edge."""
    cycle = np.full(50, -12.0, np.float32)
    cycle[:3] = 9.0, 9.0, 2.0
    samples = np.tile(cycle, 20_000)
    seen = envelope(samples, summarise(samples), 0, len(samples), 300)
    assert np.abs(seen.upper - 9.0).max() < 0.05
    assert np.abs(seen.lower + 12.0).max() < 0.05
