"""Two vehicles in one capture, and one vehicle in two captures: told apart by their addresses, each judged for itself."""

from __future__ import annotations

from functools import cache

import pytest

from gladwire.benchmarks.blind import conversations
from gladwire.benchmarks.blind.conversations import _next_door
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.session.session import judge_alone, judge_session
from gladwire.core.session.timeline import Part

ETHERNET_BYTES, RAW_IP = 14, 101


@cache
def frames(name: str) -> tuple[Frame, ...]:
    made = next(m for m in conversations.MAKERS if m.__name__ == name)
    return tuple(made(conversations.random.Random(5))[0].play().frames)


def measured(of: list[Frame]) -> Measured:
    in_order = sorted(of, key=lambda f: f.time_s)
    return measure_capture(FrameCapture(tuple(in_order), "pcapng", first_at=1_790_000_000.0)).measured


@pytest.mark.parametrize(
    ("first", "second", "outcome", "beside"),
    [
        ("healthy", "precharge_low", "failed_to_start", "charged"),
        ("precharge_low", "healthy", "failed_to_start", "charged"),
        ("healthy", "emergency", "dropped_out", "charged"),
        ("check_fails", "emergency", "failed_to_start", "dropped out"),
    ],
)
def test_the_graver_is_told_first_and_the_other_beside(first: str, second: str, outcome: str, beside: str) -> None:
    told = judge_alone(measured([*frames(first), *_next_door(frames(second), 3.0)]))
    assert told.outcome == outcome
    (other,) = [f.text for f in told.findings if f.code == "other_vehicle"]
    assert f"judged for itself: {beside}" in other
    # A stage the other vehicle passed is not passed by this one.
    states = {s.stage: s.state for s in told.stages}
    assert (states["hold"] == "proven") == (outcome == "dropped_out" and states["hold"] != "failed")


def test_one_vehicle_captured_with_and_without_line_addresses_is_one() -> None:
    whole = list(frames("precharge_low"))
    bare = [
        f._replace(data=f.data[ETHERNET_BYTES:], link=RAW_IP) for f in whole if f.data[12:14] == bytes.fromhex("86dd")
    ]
    told = judge_session([Part("whole", measured(whole)), Part("bare", measured(bare))]).judgement
    assert told.outcome == "failed_to_start"
    assert not [f for f in told.findings if f.code == "other_vehicle"]


def test_two_runs_of_matching_with_one_identity_are_two() -> None:
    both = measured([*frames("healthy"), *_next_door(frames("healthy"), 2.0)])
    (record,) = [r for r in both.records if r.lane == "frames"]
    assert len({run.ev_mac for run in record.slac}) == len(record.slac) == 2  # type: ignore[attr-defined]
