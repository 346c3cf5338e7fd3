"""The world: what its parts do to each other, held against circuit laws and the order of IEC 61851-1 Annex A (from memory),
and what is told of it by a judge that knows nothing of it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.measured import measure_recording
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.session import judge_alone
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.world.acts import ACTS, Between, do
from gladwire.core.simulate.world.course import Course
from gladwire.core.simulate.world.probes import PROBES, pilot, times_of
from gladwire.core.simulate.world.script import Done, Player, Script, played, script_of, text_of
from gladwire.core.simulate.world.world import World

PLUG, OUT = Done(at_s=1.0, do="plug", to="home"), Done(at_s=14.0, do="plug", to="out")
ENDS = (Done(at_s=11.0, do="wants", to=False), OUT)


def script(*acts: Done, seed: int = 3, lasts_s: float = 16.0) -> Script:
    return Script(title="a play", seed=seed, lasts_s=lasts_s, act=acts)


def before(key: str, value: bool | float | str) -> Done:
    return Done(at_s=0.0, do=key, to=value)


def seen(world: World, rate_hz: float = 50e3, but: tuple[str, ...] = ("CP at vehicle",)) -> Recording:
    """All probes at once, as a quiet instrument has them."""
    count = int(world.now * rate_hz)
    times, dice = times_of(0, count, rate_hz), np.random.default_rng(1)
    waves = []
    for probe in PROBES:
        if probe.name not in but:
            volts = probe.sees(world, times) + dice.normal(0.0, 0.03, count)
            waves.append(Waveform(probe.name, volts.astype(np.float32), rate_hz, 0.0, probe.unit))
    return Recording(tuple(waves), "scope-csv")


def told(*acts: Done, seed: int = 3) -> Judgement:
    return judge_alone(measure_recording(seen(played(script(*acts, seed=seed)))))


TOLD = [
    ("charged", ("pilot_well",), (PLUG, *ENDS)),
    ("failed_to_start", ("plug_not_fully_seated", "pilot_open"), (Done(at_s=1.0, do="plug", to="half"),)),
    ("failed_to_start", ("lock_blocked",), (before("blocked", True), PLUG)),
    ("failed_to_start", ("lock_feedback_dead",), (before("feedback", False), PLUG)),
    ("failed_to_start", ("diode_shorted",), (before("diode_shorted", True), PLUG)),
    ("failed_to_start", ("corroded_contact",), (before("corroded", 1500.0), PLUG)),
    ("failed_to_start", ("supply_missing", "contactor_not_closing"), (before("mains", 0.0), PLUG)),
    ("failed_to_start", ("supply_missing", "contactor_not_closing"), (before("contactor", "stuck open"), PLUG)),
    ("failed_to_start", ("plug_not_fully_seated", "pilot_open"), (before("pilot_wire", "open"), PLUG)),
    ("failed_to_start", ("pilot_shorted_to_pe",), (before("pilot_wire", "short"), PLUG)),
    ("failed_to_start", ("vehicle_not_asking",), (before("wants", False), PLUG)),
    ("charged", ("contactor_welded",), (before("contactor", "welded"), PLUG, *ENDS)),
    ("derated", ("offer_lowered_by_site",), (PLUG, Done(at_s=7.0, do="offer", to=10.0), *ENDS)),
    ("dropped_out", ("plug_drawn_while_charging", "pilot_open"), (PLUG, Done(at_s=8.0, do="pilot_wire", to="open"))),
    ("dropped_out", ("site_withdraws_offer",), (PLUG, Done(at_s=8.0, do="stop_at_post"))),
    ("dropped_out", ("emergency_stop_pressed", "post_stopped_with_error"), (PLUG, Done(at_s=8.0, do="stop_button", to=True))),
    (
        "dropped_out",
        ("stop_not_followed",),
        (PLUG, Done(at_s=5.0, do="ignores_stop", to=True), Done(at_s=8.0, do="stop_at_post")),
    ),
    (
        "dropped_out",
        ("latch_pressed_or_broken",),
        (before("inlet", "latch"), PLUG, Done(at_s=8.0, do="latch", to=True), Done(at_s=9.0, do="latch", to=False)),
    ),
]  # fmt: skip


@pytest.mark.parametrize(("outcome", "causes", "acts"), TOLD, ids=[causes[0] for _, causes, _ in TOLD])
def test_what_was_done_is_what_is_told(outcome: str, causes: tuple[str, ...], acts: tuple[Done, ...]) -> None:
    judgement = told(*acts)
    assert judgement.outcome == outcome
    assert judgement.causes[0].code in causes
    assert not [f for f in judgement.findings if "swapped" in f.text]


@pytest.mark.parametrize("seed", range(4))
def test_a_welded_contactor_is_a_danger_whoever_is_quick(seed: int) -> None:
    assert told(before("contactor", "welded"), PLUG, *ENDS, seed=seed).is_dangerous


def test_levels_are_those_of_ohms_law() -> None:
    world = played(script(PLUG, lasts_s=6.0))
    volts = pilot(world, times_of(0, 600_000, 100e3))
    # 12 V behind 1 kΩ, a diode's 0.7 V, 2.74 kΩ, and 1.30 kΩ beside it while it asks.
    waits, asks = 2740.0, 1.0 / (1 / 2740.0 + 1 / 1300.0)
    for ohm in (waits, asks):
        level = 12.0 - (12.0 - 0.7) * 1000.0 / (1000.0 + ohm)
        assert np.any(np.abs(volts - level) < 1e-3), level
    assert volts[0] == pytest.approx(12.0)
    assert volts.min() == pytest.approx(-12.0)


@pytest.mark.parametrize("amps", [6.0, 10.0, 16.0, 32.0, 51.0, 63.0, 80.0])
def test_the_offer_s_duty_is_that_of_the_standard(amps: float) -> None:
    # IEC 61851-1, Table A.7, from memory: 0.6 A a percent up to 51 A, above (duty - 64) times 2.5 A.
    percent = amps / 0.6 if amps <= 51 else amps / 2.5 + 64
    world = played(script(before("offer", amps), PLUG, lasts_s=3.0))
    high = pilot(world, times_of(243_000, 48_000, 97_331.0)) > 0  # no multiple of a period, so that none is favoured
    assert 100.0 * high.mean() == pytest.approx(percent, abs=0.3)


@given(st.lists(st.integers(1, 4000), min_size=1, max_size=12), st.sampled_from([9973.0, 50e3, 250e3]))
@settings(max_examples=25, deadline=None)
def test_samples_are_the_same_however_time_is_cut(pieces: list[int], rate_hz: float) -> None:
    world = played(script(PLUG, lasts_s=4.0))
    first = int(1.4 * rate_hz)
    whole = times_of(first, sum(pieces), rate_hz)
    for probe in PROBES:
        at, parts = first, []
        for count in pieces:
            parts.append(probe.sees(world, times_of(at, count, rate_hz)))
            at += count
        assert np.allclose(np.concatenate(parts), probe.sees(world, whole), atol=1e-9), probe.name


def test_nothing_flows_before_it_is_asked_for_and_no_plug_is_drawn_out_of_its_lock() -> None:
    world = played(script(PLUG, lasts_s=9.0))
    do(world, "plug", "out")
    world.run(1.0)
    assert world.hands.seat == "home"
    assert "the plug is held by its lock" in [words for _, words in world.said]
    first = next(start for start, _, volts in world.seen.mains_v.between(0.0, 10.0) if volts)
    asked = next(start for start, _, w in world.seen.circuit.between(0.0, 10.0) if w.branch_ohm and w.branch_ohm < 1000)
    flows = next(start for start, _, amps in world.seen.amps.between(0.0, 10.0) if amps)
    assert asked < first < flows
    do(world, "wants", False)
    world.run(4.0)
    do(world, "plug", "out")
    world.run(1.0)
    assert world.hands.seat == "out"
    assert world.seen.mains_v.now == 0.0


def test_a_world_that_forgets_does_not_grow_and_goes_on_alike() -> None:
    worlds = [World(5), World(5)]
    for world in worlds:
        do(world, "plug", "home")
    for _ in range(20):
        for world in worlds:
            world.run(1.0)
        worlds[1].forget(worlds[1].now - 1.0)
    assert len(worlds[1].seen.amps) <= 520
    times = times_of(int(19.5 * 1e4), 4000, 1e4)
    for probe in PROBES:
        assert np.array_equal(probe.sees(worlds[0], times), probe.sees(worlds[1], times)), probe.name


def test_the_same_seed_gives_the_same_world_and_another_a_slower_or_quicker_one() -> None:
    same = [played(script(PLUG, seed=seed, lasts_s=6.0)).said for seed in (7, 7, 8)]
    assert same[0] == same[1]
    assert [words for _, words in same[0]] == [words for _, words in same[2]]
    assert same[0] != same[2]


@pytest.mark.parametrize("act", ACTS, ids=[act.key for act in ACTS])
def test_every_act_takes_what_it_says_and_nothing_else(act: object) -> None:
    key, takes = act.key, act.takes  # type: ignore[attr-defined]
    good: list[bool | float | str] = [""]
    if isinstance(takes, Between):
        good = [takes.low, takes.high]
        bad: list[bool | float | str] = [math.nextafter(takes.high, math.inf), takes.low - 1, "x", True, math.nan]
    elif isinstance(takes, tuple):
        good, bad = list(takes) or [""], ["x"] if takes else []
    else:
        good, bad = [True, False], ["x", 1.0]
    for value in good:
        world = World()
        do(world, key, value)
        world.run(0.1)
    for value in bad:
        with pytest.raises(ValueError, match=key):
            do(World(), key, value)


def test_a_script_is_read_from_its_text_and_written_back() -> None:
    whole = script(before("offer", 13.0), PLUG, Done(at_s=3.5, do="stop_at_post"), *ENDS)
    titled = whole.model_copy(update={"title": 'The "half" plug \\ at dusk', "about": "two\nlines"})
    assert script_of(text_of(titled)) == titled


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("title = ", "no TOML"),
        ('title = "x"', "lasts_s"),
        ('title = "x"\nlasts_s = 3.0\n[[act]]\nat_s = 1.0\ndo = "explode"', "no act"),
        ('title = "x"\nlasts_s = 3.0\n[[act]]\nat_s = 4.0\ndo = "stop_at_post"', "after the script's end"),
        ('title = "x"\nlasts_s = 3.0\n[[act]]\nat_s = 1.0\ndo = "offer"\nto = 500.0', "takes 6 to 80 A"),
        ('title = "x"\nlasts_s = 3.0\nwhat = 1', "what"),
    ],
)
def test_what_is_no_script_is_refused_in_a_sentence(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        script_of(text)


def test_a_player_may_be_stopped_anywhere() -> None:
    whole = script(PLUG, *ENDS)
    once, pieces = Player(whole), Player(whole)
    once.run_to(16.0)
    for n in range(1, 161):
        pieces.run_to(n / 10)
    assert once.world.said == pieces.world.said


def test_a_course_is_what_it_was() -> None:
    course = Course("a")
    course.set(1.0, "b")
    course.set(1.0, "c")
    course.set(2.0, "c")
    course.set(3.0, "d")
    course.set(2.5, "e")  # nothing is set into the past: what was set for later holds from then on
    assert [course.at(t) for t in (-1.0, 0.0, 1.0, 2.9, 3.0, 9.0)] == ["a", "a", "c", "c", "e", "e"]
    assert list(course.between(0.5, 3.5)) == [(0.5, 1.0, "a"), (1.0, 3.0, "c"), (3.0, 3.5, "e")]
    course.forget(2.0)
    assert course.at(0.0) == "c"
    assert len(course) == 2
