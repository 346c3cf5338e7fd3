"""Lock and proximity lanes, made by the simulator (which knows parts, not bands) and read back."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.channels import recognise
from gladwire.core.findings import apply
from gladwire.core.lanes.lock.measure import measure_lock
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.lock.rules import RULES
from gladwire.core.lanes.proximity.measure import measure_proximity
from gladwire.core.lanes.records import Records
from gladwire.core.session.locking import with_locks_as_used
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Waveform
from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from tests.core.records import stays


def seen(
    script: LockScript, rate_hz: float = 5e3, seconds: float = 12.0, position: bool = True, seed: int = 0
) -> LockRecord:
    current, pin = script.record(seconds, rate_hz, seed)
    return measure_lock(current, pin if position else None)


@pytest.mark.parametrize("rate_hz", [1e3, 5e3, 100e3])
def test_a_good_lock_is_one_pulse_and_a_change(rate_hz: float) -> None:
    record = seen(LockScript().drive(1.0).drive(9.0, way=-1), rate_hz)
    assert [(a.result, a.pulses, a.position_changed) for a in record.attempts] == [
        ("engaged", 1, True),
        ("released", 1, True),
    ]
    assert record.attempts[0].start_s == pytest.approx(1.0, abs=0.01)


def test_three_attempts_without_movement_mean_something_is_in_the_way() -> None:
    """Common practice, no source."""
    record = seen(LockScript().drive(1, through=False).drive(2.5, through=False).drive(4, through=False))
    assert [(a.result, a.pulses, a.position_changed) for a in record.attempts] == [("obstructed", 3, False)]


@pytest.mark.parametrize("tries", [2, 3])
def test_backing_off_between_tries_is_no_release(tries: int) -> None:
    """Common practice, no source: a motor that meets something turns back before it tries again."""
    script = LockScript()
    for n in range(tries):
        script.drive(1 + 2 * n, through=False).drive(1.8 + 2 * n, way=-1, through=False)
    assert [(a.result, a.pulses, a.to_lock) for a in seen(script).attempts] == [("obstructed", tries, True)]
    blind = seen(script, position=False)
    assert [(a.result, a.pulses, a.to_lock) for a in blind.attempts] == [("obstructed", tries, True)]


def test_a_release_soon_after_a_lock_that_went_home_is_a_release() -> None:
    record = seen(LockScript().drive(1).drive(1.9, way=-1))
    assert [a.result for a in record.attempts] == ["engaged", "released"]


def test_a_retry_that_gets_through_is_engaged() -> None:
    record = seen(LockScript().drive(1, through=False).drive(3))
    assert [(a.result, a.pulses) for a in record.attempts] == [("engaged", 2)]


def test_dead_feedback_is_told_from_an_obstruction() -> None:
    good, dead = seen(LockScript().drive(1)), seen(LockScript(feedback=False).drive(1))
    assert [a.result for a in dead.attempts] == ["no_feedback"]
    assert dead.attempts[0].plateau == pytest.approx(good.attempts[0].plateau, rel=0.1)


def test_a_stall_stands_higher_and_lasts_longer() -> None:
    run, stall = seen(LockScript().drive(1)).attempts[0], seen(LockScript().drive(1, through=False)).attempts[0]
    assert stall.longest_s > 2 * run.longest_s
    assert stall.plateau > 1.5 * run.plateau


def test_a_release_that_does_not_answer_is_not_called_released() -> None:
    record = seen(LockScript().drive(1).drive(8, way=-1, through=False))
    assert [a.result for a in record.attempts] == ["engaged", "no_feedback"]


@pytest.mark.parametrize("seed", range(5))
def test_nothing_happens_nothing_is_found(seed: int) -> None:
    assert seen(LockScript(), seed=seed).attempts == ()


def test_without_a_position_one_pulse_is_taken_for_engaged_but_marked() -> None:
    attempt = seen(LockScript().drive(1), position=False).attempts[0]
    assert (attempt.result, attempt.positioned) == ("engaged", False)


def test_a_latch_pressed_in_the_middle_is_seen() -> None:
    wave = latch_volts([("absent", 1), ("latched", 3), ("pressed", 0.4), ("latched", 2)], 2e3)
    record = measure_proximity(wave)
    assert [(s.state, round(s.start_s, 1)) for s in record.segments] == [
        ("absent", 0.0), ("latched", 1.0), ("pressed", 4.0), ("latched", 4.4)]  # fmt: skip


@pytest.mark.parametrize(
    ("states", "read"),
    [(["shorted"], ["low"]), (["latched", "shorted"], ["latched", "low"]), (["absent", "open"], ["absent", "high"]),
     (["latched"], ["latched"]), (["absent"], ["absent"])],
)  # fmt: skip
def test_each_latch_fault_is_read(states: list[str], read: list[str]) -> None:
    assert [s.state for s in measure_proximity(latch_volts([(state, 2) for state in states], 1e3)).segments] == read


def coded_volts(*, supply_v: float, pull_up_ohm: float, ohms: list[float]) -> Waveform:
    """A coded inlet: a plug's resistance to PE through a pull-up; infinite where no plug is. Ohm's law."""
    levels = [supply_v if np.isinf(r) else supply_v * r / (r + pull_up_ohm) for r in ohms]
    return Waveform("PP", np.repeat(levels, 2000).astype(np.float32), 1e3)


@pytest.mark.parametrize(
    ("supply_v", "pull_up_ohm"), [(5.0, 330.0), (5.0, 1000.0), (3.3, 1000.0), (12.0, 3300.0), (5.0, 470.0)]
)
@pytest.mark.parametrize("ohm", [1500.0, 680.0, 220.0, 100.0])
def test_a_coded_plug_through_any_pull_up_is_there_and_no_latch_s_fault(
    supply_v: float, pull_up_ohm: float, ohm: float
) -> None:
    """5 V over 470 ohm and 680 ohm make 2.96 V, which at a latch inlet would be a pressed latch."""
    wave = coded_volts(supply_v=supply_v, pull_up_ohm=pull_up_ohm, ohms=[np.inf, ohm, np.inf])
    assert [s.state for s in measure_proximity(wave).segments] == ["absent", "made", "absent"]


@pytest.mark.parametrize(
    ("low_v", "state"), [(0.0, "low"), (0.03, "low"), (0.05, "unread"), (0.09, "unread"), (0.11, "made")]
)
def test_a_short_is_told_only_where_no_resistor_stands_so_low(low_v: float, state: str) -> None:
    """5 V through 10 kOhm to a plug of 100 ohm stands at 50 mV, and a probe may be off by as much."""
    volts = np.concatenate([np.full(2000, 5.0), np.full(2000, low_v)]).astype(np.float32)
    assert [s.state for s in measure_proximity(Waveform("PP", volts, 1e3, 0.0, "V")).segments] == ["absent", state]


def test_one_level_of_an_inlet_nobody_knows_is_not_read() -> None:
    """It may be a coded plug, an empty inlet's supply, or a latch that is pressed."""
    for ohm in (680.0, np.inf):
        wave = coded_volts(supply_v=5.0, pull_up_ohm=470.0, ohms=[ohm])
        assert [s.state for s in measure_proximity(wave).segments] == ["unread"]


def test_ohms_are_read_as_codes() -> None:
    ohms = np.concatenate([np.full(3000, 1e5), np.full(3000, 221.0), np.full(3000, 160.0)]).astype(np.float32)
    record = measure_proximity(Waveform("PP", ohms, 1e3, 0.0, "ohm"))
    assert [s.state for s in record.segments] == ["absent", "coded", "doubtful"]
    assert "32 A" in record.segments[1].meaning


def test_gaps_and_tiny_lanes_do_not_crash() -> None:
    wave = latch_volts([("latched", 1)], 1e3)
    wave.samples[100:300] = np.nan
    assert [s.state for s in measure_proximity(wave).segments] == ["latched"]
    tiny = Waveform("PP", np.array([1.5], np.float32), 1e3)
    assert len(measure_proximity(tiny).segments) == 1
    assert measure_lock(Waveform("I", np.zeros(3, np.float32), 1e3, 0.0, "A"), None).attempts == ()


@pytest.mark.parametrize(
    ("name", "unit", "role"),
    [
        ("PP", "V", "pp"), ("Proximity", "V", "pp"), ("CH2", "ohm", "pp"), ("Lock current", "A", "lock_current"),
        ("lock_motor", "A", "lock_current"), ("Lock position", "V", "lock_position"), ("lock_fb", "V", "lock_position"),
        ("CH3", "V", "other"), ("L1", "A", "mains_a"), ("U_L2", "V", "mains_v"), ("Irms", "A", "mains_a"),
    ],
)  # fmt: skip
def test_roles_by_name_and_unit(name: str, unit: str, role: str) -> None:
    waves = [Waveform("CP", np.zeros(4, np.float32), 1e3), Waveform(name, np.zeros(4, np.float32), 1e3, 0.0, unit)]
    assert [r.role for r in recognise(waves, Settled()).roles] == ["cp", role]
    assert [r.role for r in recognise(waves, Settled(roles={name: "other"})).roles] == ["cp", "other"]


def with_pilot(script: LockScript, *states: tuple[str, float]) -> list[tuple[str, bool]]:
    """Results of a lock beside a pilot that stays so long in each state."""
    lock = seen(script)
    (used,) = with_locks_as_used(Records.of_all([stays(*states), lock])).of(LockRecord)
    return [(a.result, a.to_lock) for a in used.attempts]


def test_a_capture_begun_in_a_charge_first_shows_the_release() -> None:
    """Whoever locks does so before anybody asks (field guide's order of stages)."""
    stuck, frees = LockScript().drive(8, through=False), LockScript().drive(8)
    begun_in_c = (("C", 7.5), ("B", 4.5))
    assert [a.result for a in seen(frees).attempts] == ["engaged"]  # by itself it cannot be told
    assert with_pilot(frees, *begun_in_c) == [("released", False)]
    assert with_pilot(stuck, *begun_in_c)[0][1] is False
    assert with_pilot(frees, ("C", 8.2), ("B", 3.8)) == [("released", False)]  # together with the end


@pytest.mark.parametrize(
    "states",
    [
        (("A", 7.0), ("B", 2.0), ("C", 3.0)),  # locked, then asked
        (("B", 12.0),),  # never asked
        (("C", 12.0),),  # asked throughout
        (("C", 3.0), ("B", 6.0), ("C", 3.0)),  # asked again after it
        (("A", 2.0), ("B", 2.0), ("C", 2.9), ("B", 5.1)),  # woke the post, then locked
    ],
)
def test_a_pulse_that_may_be_one_to_lock_stays_one(states: tuple[tuple[str, float], ...]) -> None:
    assert with_pilot(LockScript().drive(8), *states) == [("engaged", True)]


def test_a_lock_is_turned_once() -> None:
    records = Records.of_all([stays(("C", 7.5), ("B", 4.5)), seen(LockScript().drive(8))])
    once = with_locks_as_used(records)
    assert with_locks_as_used(once) == once


def test_a_position_alone_that_changes_after_the_request_proves_no_lock() -> None:
    _, pin = LockScript().drive(8).record(12.0, 5e3, 0)
    lock = measure_lock(None, pin)
    (used,) = with_locks_as_used(Records.of_all([stays(("C", 7.5), ("B", 4.5)), lock])).of(LockRecord)
    assert used.lets_go
    told = {f.code for f in apply(RULES, used)}
    assert told == {"lock_released"}
    assert {f.code for f in apply(RULES, lock)} == {"lock_moved"}
