"""Captures with proximity and lock beside the pilot: their stages, findings and causes."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from tests.build import QUIET, Analysis, analyse, codes, session

RATE = 20e3
SECONDS = 4.0


def plug_in(lock: LockScript, latch: list[tuple[str, float]], settled: Settled | None = None) -> Analysis:
    """A whole short session on 20 kS/s with all four channels."""
    pilot = session(asking_ms=2000).record(RATE, QUIET)
    count = len(pilot.samples)
    current, position = lock.record(SECONDS, RATE)
    waves = [pilot, latch_volts(latch, RATE), current, position]
    cut = [Waveform(w.name, w.samples[:count], RATE, 0.0, w.unit) for w in waves]
    return analyse(Recording(tuple(cut), "test"), settled)


GOOD_LATCH = [("absent", 0.2), ("latched", 3.6), ("absent", 0.4)]


def stage(analysis: Analysis, name: str) -> str:
    return next(s.state for s in analysis.stages if s.stage == name)


def test_a_good_plug_in_proves_proximity_lock_and_pilot() -> None:
    analysis = plug_in(LockScript().drive(0.5).drive(3.5, way=-1), GOOD_LATCH)
    assert [stage(analysis, s) for s in ("seat", "proximity", "lock", "pilot")] == ["proven"] * 4
    assert {"proximity_read", "lock_engaged", "lock_released"} <= codes(analysis)
    assert analysis.causes[0].code == "pilot_well"


@pytest.mark.parametrize(
    ("lock", "latch", "code", "cause", "failed"),
    [
        (LockScript().drive(0.5, through=False).drive(1.5, through=False), GOOD_LATCH, "lock_obstructed",
         "lock_blocked", "lock"),
        (LockScript(feedback=False).drive(0.5), GOOD_LATCH, "lock_no_feedback", "lock_feedback_dead", "lock"),
        (LockScript().drive(0.5), [("absent", 0.2), ("latched", 1.5), ("pressed", 0.5), ("latched", 2)], "latch_pressed",
         "latch_pressed_or_broken", "proximity"),
        (LockScript().drive(0.5), [("absent", 0.2), ("latched", 1.5), ("absent", 0.1), ("latched", 2.4)],
         "proximity_intermittent", "proximity_contact_open", "proximity"),
        (LockScript().drive(0.5), [("shorted", 4.2)], "proximity_wrong", "proximity_contact_open", "proximity"),
    ],
)  # fmt: skip
def test_each_fault_before_the_pilot_is_found(
    lock: LockScript, latch: list[tuple[str, float]], code: str, cause: str, failed: str
) -> None:
    analysis = plug_in(lock, latch)
    assert code in codes(analysis)
    assert cause in {c.code for c in analysis.causes[:2]}
    assert stage(analysis, failed) == "failed"
    assert analysis.verdict == next(f.text for f in analysis.findings if f.code == code)


def test_an_obstruction_does_not_unprove_what_was_seen_after_it() -> None:
    analysis = plug_in(LockScript().drive(0.5, through=False).drive(1.5, through=False), GOOD_LATCH)
    assert [stage(analysis, s) for s in ("pilot", "offer", "request")] == ["proven"] * 3


def test_a_lock_that_is_never_driven_stops_no_later_stage() -> None:
    analysis = plug_in(LockScript(), GOOD_LATCH)
    assert stage(analysis, "lock") == "not_captured"
    assert [stage(analysis, s) for s in ("pilot", "offer", "request", "energise", "hold", "end")] == [
        *["proven"] * 3, "not_captured", "not_captured", "proven"]  # fmt: skip


def test_an_open_proximity_contact_does_not_unreach_what_the_pilot_shows() -> None:
    analysis = plug_in(LockScript().drive(0.5), [("absent", 4.2)])
    assert (stage(analysis, "proximity"), stage(analysis, "request")) == ("not_reached", "proven")
    assert stage(analysis, "hold") == "not_captured"


def test_a_channel_settled_as_something_else_is_not_judged() -> None:
    analysis = plug_in(LockScript().drive(0.5, through=False), GOOD_LATCH, Settled(roles={"Lock current": "other"}))
    assert analysis.lock is not None
    assert (analysis.lock.current_channel, analysis.lock.attempts) == ("", ())
    assert stage(analysis, "lock") == "not_captured"


def test_without_other_channels_nothing_is_claimed() -> None:
    wave = session().record(RATE, QUIET)
    analysis = analyse(Recording((wave, Waveform("CH2", np.zeros(len(wave.samples), np.float32), RATE)), "test"))
    assert (analysis.proximity, analysis.lock) == (None, None)
