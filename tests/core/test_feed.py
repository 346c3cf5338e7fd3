"""A capture fed piece by piece yields the very records a file of it does, wherever the pieces end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.can.log import CanLog
from gladwire.core.feed import Feed, Piece
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.measured import measure_capture
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.can_bus import RetrofitPlan
from gladwire.core.simulate.mains import mains
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import ac, bus
from tests.core.power.build import POST, played, seen


def sampled() -> Recording:
    """A pilot with the mains beside it."""
    cp = ac.whole().record(20e3, ac.SCOPE, 3)
    return Recording((cp, *mains([(3.4, 230)], [(4.0, 15.0), (7.9, 0.0)], cp.duration_s, 20e3)), "live")


def logged() -> CanLog:
    found = read_capture(Source(bus.log(RetrofitPlan().play(), bus.dbc().decode(), "log")))
    assert isinstance(found, CanLog)
    return found


WHOLE: dict[str, Piece] = {
    "samples": sampled(),
    "frames": FrameCapture(tuple(play(Plan(loop_s=2.0)).frames), "live", first_at=1_790_000_000.0),
    "bus": logged(),
    "power": seen(played(POST), 5),
}


def size(whole: Piece) -> int:
    if isinstance(whole, Recording):
        return len(whole.channels[0].samples)
    return len(whole.frames) if isinstance(whole, FrameCapture) else len(whole.time_s)


def cut(whole: Piece, begin: int, end: int) -> Piece:
    if isinstance(whole, Recording):
        waves = [
            Waveform(w.name, w.samples[begin:end], w.rate_hz, w.start_s + begin / w.rate_hz, w.unit)
            for w in whole.channels
        ]
        return replace(whole, channels=tuple(waves))
    if isinstance(whole, FrameCapture):
        return replace(whole, frames=whole.frames[begin:end])
    part = slice(begin, end)
    if isinstance(whole, CanLog):
        return replace(
            whole, time_s=whole.time_s[part], ids=whole.ids[part], lengths=whole.lengths[part], data=whole.data[part]
        )
    return replace(whole, time_s=whole.time_s[part], values={k: v[part] for k, v in whole.values.items()})


@pytest.mark.parametrize("kind", WHOLE)
@settings(max_examples=6, deadline=None)
@given(shares=st.lists(st.floats(0.01, 0.99), min_size=1, max_size=5))
def test_records_are_those_of_the_file_wherever_pieces_end(kind: str, shares: list[float]) -> None:
    whole = WHOLE[kind]
    ends = sorted({max(1, min(size(whole) - 1, int(share * size(whole)))) for share in shares})
    feed = Feed()
    for begin, end in zip([0, *ends], [*ends, size(whole)], strict=True):
        feed.add(cut(whole, begin, end))
    fed, filed = feed.measure().measured, measure_capture(whole).measured
    assert list(fed.records) == list(filed.records)
    assert fed.channels == filed.channels


def test_what_came_so_far_is_measured_as_a_file_of_it() -> None:
    whole, feed = WHOLE["samples"], Feed()
    half = size(whole) // 2
    feed.add(cut(whole, 0, half))
    assert list(feed.measure().measured.records) == list(measure_capture(cut(whole, 0, half)).measured.records)


def test_a_piece_that_does_not_follow_is_refused_and_nothing_of_it_is_kept() -> None:
    whole = WHOLE["samples"]
    assert isinstance(whole, Recording)
    feed = Feed()
    with pytest.raises(ValueError, match="nothing was captured yet"):
        feed.measure()
    feed.add(cut(whole, 0, 5000))
    with pytest.raises(ValueError, match="another kind"):
        feed.add(WHOLE["frames"])
    with pytest.raises(ValueError, match="beside where the piece before ended"):
        feed.add(cut(whole, 5002, 9000))
    with pytest.raises(ValueError, match="other channels"):
        feed.add(replace(whole, channels=(replace(whole.channels[0], name="other"),)))
    feed.add(cut(whole, 5000, 9000))
    assert isinstance(feed.whole, Recording)
    np.testing.assert_array_equal(feed.whole.channels[0].samples, whole.channels[0].samples[:9000])


@pytest.mark.parametrize("kind", ["frames", "bus", "power"])
def test_a_piece_from_before_the_last_one_is_refused(kind: str) -> None:
    whole, feed = WHOLE[kind], Feed()
    feed.add(cut(whole, 20, 40))
    with pytest.raises(ValueError, match="before the last one ended"):
        feed.add(cut(whole, 0, 20))


def test_readings_that_gain_a_quantity_on_the_way_keep_their_gap() -> None:
    first = PowerRecord(np.arange(3.0), {"power_kw": np.ones(3)})
    second = PowerRecord(np.arange(3.0) + 3, {"power_kw": np.ones(3), "soc_percent": np.array([20.0, 21.0, 22.0])})
    feed = Feed()
    feed.add(first)
    feed.add(second)
    whole = feed.whole
    assert isinstance(whole, PowerRecord)
    np.testing.assert_array_equal(whole.values["soc_percent"], [np.nan, np.nan, np.nan, 20, 21, 22])
