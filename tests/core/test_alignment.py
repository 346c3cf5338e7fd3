"""Putting captures on one clock: shift, drift, missing events, and what cannot be placed."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.lanes.lane import Landmark
from gladwire.core.moments import Clock, on_clock
from gladwire.core.session.alignment import by_events, by_recorded_start, landmarks_of
from tests.build import analysed, session

KINDS = ("A1>B1", "B1>B2", "B2>C2", "C2>B2", "offer falls", "plug in", "lock driven", "mains on")


def a_session(seed: int, count: int) -> list[Landmark]:
    """Events at irregular moments, as people and machines make them."""
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(0.4, 9.0, count))
    return [Landmark(float(t), KINDS[int(rng.integers(len(KINDS)))]) for t in times]


def seen(
    moments: list[Landmark], offset_s: float, drift: float, keep: list[bool], noise_s: float, seed: int
) -> list[Landmark]:
    """The same events by another clock: shifted, drifting, some missed, each known to within noise_s."""
    rng = np.random.default_rng(seed)
    return [
        m._replace(time_s=(m.time_s - offset_s) / (1 + drift) + float(rng.uniform(-noise_s, noise_s)))
        for m, kept in zip(moments, keep, strict=True)
        if kept
    ]


@settings(deadline=None, max_examples=60)
@given(
    seed=st.integers(0, 10_000),
    count=st.integers(6, 30),
    offset_s=st.floats(-4000, 4000),
    drift=st.floats(-1e-4, 1e-4),
    missing=st.floats(0, 0.4),
)
def test_shift_and_drift_are_found_though_events_are_missing(
    seed: int, count: int, offset_s: float, drift: float, missing: float
) -> None:
    moments = a_session(seed, count)
    keep = list(np.random.default_rng(seed + 1).uniform(size=count) >= missing)
    if sum(keep) < 4:
        return
    other = seen(moments, offset_s, drift, keep, 1e-3, seed + 2)
    found = by_events(moments, other)
    assert found is not None
    assert found.matched >= 0.7 * sum(keep)
    for before, after in zip([m for m, k in zip(moments, keep, strict=True) if k], other, strict=True):
        assert found.clock.on_session(after.time_s) == pytest.approx(before.time_s, abs=5e-3 + 1e-4 * count)
    assert found.doubt_s is not None
    assert found.doubt_s < 0.02


def test_sessions_of_different_plug_ins_are_not_forced_together() -> None:
    one, other = a_session(3, 4), [Landmark(float(t), "C2>E") for t in (3, 9)]
    assert by_events(one, other) is None


def test_equal_events_at_equal_distances_are_ambiguous_until_the_clocks_help() -> None:
    regular = [Landmark(float(t), "B2>C2") for t in range(0, 400, 10)]
    later = [m._replace(time_s=m.time_s - 5.0) for m in regular[10:30]]
    assert by_events(regular, later) is None
    helped = by_events(regular, later, near_s=5.0)
    assert helped is None or helped.offset_s == pytest.approx(5.0, abs=0.01)


def test_one_shared_event_says_that_nothing_checks_it() -> None:
    found = by_events([Landmark(4.0, "lock driven")], [Landmark(1.5, "lock driven")])
    assert found is not None
    assert found.offset_s == pytest.approx(2.5)
    assert "no second one checks it" in found.text


def test_a_request_and_the_mains_that_answers_it_tie_loosely() -> None:
    found = by_events(
        [Landmark(10.0, ">C"), Landmark(70.0, "C>")], [Landmark(8.4, "mains on"), Landmark(68.03, "mains off")]
    )
    assert found is not None
    assert found.offset_s == pytest.approx(2.0, abs=0.15)
    assert found.doubt_s is not None
    assert found.doubt_s >= 0.05


@pytest.mark.parametrize(
    ("one", "other", "offset_s"),
    [
        ("2026-11-03 05:41:10.000", "2026-11-03 05:41:08.250", -1.75),
        ("Tue Nov  3 05:41:10 2026", "3 Nov 2026 05:42:10", 60.0),
        ("03/11/2026 05:41:10", "03/11/2026 05:41:12", 2.0),
        ("11/03/2026 05:41:10", "03.11.2026 05:41:12", 2.0),
        ("2026-11-03T05:41:10Z", "2026-11-03T06:41:10+01:00", 0.0),
    ],
)
def test_recorded_starts_are_read_as_instruments_write_them(one: str, other: str, offset_s: float) -> None:
    found = by_recorded_start(one, other)
    assert found is not None
    assert found.offset_s == pytest.approx(offset_s)


@pytest.mark.parametrize(
    ("one", "other"), [("", "2026-11-03 05:41:10"), ("noon", "noon"), ("2026-11-03", "2026-11-03")]
)
def test_what_is_no_moment_places_nothing(one: str, other: str) -> None:
    assert by_recorded_start(one, other) is None


def test_moving_a_record_moves_moments_and_nothing_else() -> None:
    analysis = analysed(session())
    assert analysis.pilot is not None
    moved = on_clock(analysis.pilot, Clock(100.0, 1e-5))
    for before, after in zip(analysis.pilot.segments, moved.segments, strict=True):
        assert after.start_s == pytest.approx(100.0 + before.start_s * (1 + 1e-5))
        assert (after.high_v, after.duty_percent, after.rise_us) == (before.high_v, before.duty_percent, before.rise_us)
    assert Clock(100.0, 1e-5).in_file(moved.segments[3].start_s) == pytest.approx(analysis.pilot.segments[3].start_s)
    assert {m.kind for m in landmarks_of(analysis.records)} >= {"A1>B1", "B2>C2", "C2>B2", "A>B", ">C"}
