"""The checklist: order of practice, readings judged by published tables, and what an entry changes."""

from __future__ import annotations

import pytest

from gladwire.core.case.checklist.plan import BY_PLAN, PLANS, next_words, walk
from gladwire.core.case.checklist.step import SKIP, Entry
from gladwire.core.case.checklist.steps import BY_KEY, STEPS
from gladwire.core.standards.connectors import BY_KEY as CONNECTORS
from gladwire.core.standards.connectors import pin_named

NOWHERE = BY_PLAN["nowhere"]


def states(entries: dict[str, Entry]) -> dict[str, str]:
    return {p.step.key: p.state for p in walk(NOWHERE, entries)}


def test_every_step_is_whole_and_in_some_plan() -> None:
    used = {key for plan in PLANS for key in plan.steps}
    assert used == set(BY_KEY)
    assert len(BY_KEY) == len(STEPS)
    for step in STEPS:
        assert step.test.do.endswith((".", ":", "?")), step.key
        assert step.expected
        assert step.test.caution
        assert bool(step.unit) != bool(step.answers), step.key
        for contact in step.contacts:
            assert pin_named(CONNECTORS["type2"], contact)
        for other in step.unless:
            assert other in BY_KEY


@pytest.mark.parametrize("plan", PLANS, ids=lambda p: p.key)
def test_the_first_step_is_now_and_answering_everything_well_ends_it(plan: object) -> None:
    entries: dict[str, Entry] = {}
    good = {"Ω": 0.2, "V": 12.0}
    chosen = next(p for p in PLANS if p is plan)
    for _ in range(len(chosen.steps)):
        now = next((p.step for p in walk(chosen, entries) if p.state == "now"), None)
        if now is None:
            break
        values = {"coded": 220.0, "inlet_pp": 4.46, "bus_wiring": 60.0}
        best = next((key for key, _ in now.answers if now.judge(Entry(None, key)).verdict == "good"), "")
        entries[now.key] = Entry(values.get(now.key, good.get(now.unit)), best)
        assert now.judge(entries[now.key]).verdict == "good", now.key
    assert "prove every reported mode" in next_words(chosen, entries)


def test_an_open_core_makes_the_plug_in_wait_and_says_why() -> None:
    entries = {"cp_core": Entry(1e9, "")}
    assert states(entries)["plug_in"] == "waits"
    place = next(p for p in walk(NOWHERE, entries) if p.step.key == "plug_in")
    assert "CP is open" in place.why
    assert states({"cp_core": Entry(0.3, "")})["plug_in"] != "waits"


def test_codes_noted_at_the_start_are_asked_about_at_the_end() -> None:
    assert states({})["codes_after"] == "later"
    assert states({"codes": Entry(None, "no")})["codes_after"] == "not_needed"
    everything = {key: Entry(None, SKIP) for key in NOWHERE.steps if key not in ("codes", "codes_after")}
    noted = {**everything, "codes": Entry(None, "yes", "P0D41")}
    assert states(noted)["codes_after"] == "now"
    assert "Stored codes again" in next_words(NOWHERE, noted)


def test_a_substitute_is_tried_where_it_charges_nowhere() -> None:
    assert states({"other_lead": Entry(None, "yes")})["substitute"] == "not_needed"
    assert states({"other_lead": Entry(None, "no")})["substitute"] in ("now", "later")
    blocked = {"other_lead": Entry(None, "no"), "look": Entry(None, "yes")}
    assert states(blocked)["substitute"] == "waits"


@pytest.mark.parametrize(
    ("step", "value", "verdict", "says"),
    [
        ("coded", 218.0, "good", "32 A"),
        ("coded", 240.0, "good", "32 A"),  # common practice: two of 120 Ω in series must do for 32 A
        ("coded", 350.0, "bad", "wider of the two"),
        ("coded", 9000.0, "bad", "no plug"),
        ("cp_core", 0.4, "good", "passes"),
        ("cp_core", 45.0, "bad", "45 Ω"),
        ("pe_core", 1e9, "bad", "open"),
        ("inlet_pp", 4.46, "good", "no plug"),
        ("inlet_pp", 2.76, "bad", "pressed"),
        ("post_alone", 12.1, "good", "steady"),
        ("post_alone", 11.1, "bad", "outside"),
        ("post_alone", 0.0, "bad", "no pilot"),
        ("post_alone", -12.0, "bad", "not available"),
        ("post_alone", 5.2, "bad", "no level an empty post may show"),
    ],
)
def test_readings_are_judged_by_the_tables(step: str, value: float, verdict: str, says: str) -> None:
    judged = BY_KEY[step].judge(Entry(value, ""))
    assert (judged.verdict, says in judged.text) == (verdict, True), judged


def test_a_missing_reading_decides_nothing() -> None:
    for step in STEPS:
        assert step.judge(Entry(None, "")).verdict == "unclear", step.key


@pytest.mark.parametrize(
    ("ohm", "verdict", "says"),
    [(53.9, "bad", "no bus"), (54.0, "good", "two ends"), (66.0, "good", "two ends"), (66.1, "bad", "no bus"),
     (108.0, "bad", "one end"), (120.0, "bad", "one end"), (132.0, "bad", "one end"), (40.0, "bad", "no bus")],
)  # fmt: skip
def test_termination_of_a_bus(ohm: float, verdict: str, says: str) -> None:
    """ISO 11898-2: 120 Ω at each of two ends."""
    told = BY_KEY["bus_wiring"].judge(Entry(ohm, ""))
    assert told.verdict == verdict
    assert says in told.text


def test_a_plug_that_is_stuck_is_released_by_hand_only_when_proven() -> None:
    plan = BY_PLAN["stuck"]

    def state(key: str, entries: dict[str, Entry]) -> str:
        return next(p.state for p in walk(plan, entries) if p.step.key == key)

    still = {"stuck_stop": Entry(None, "no")}
    assert state("lock_does_not_release", still) == "waits"
    held = {"stuck_stop": Entry(None, "yes"), "lock_does_not_release": Entry(None, "no")}
    assert state("stuck_safe", held) == "now"
    assert "60 V" in BY_KEY["lock_does_not_release"].judge(held["lock_does_not_release"]).text
    assert state("stuck_safe", {**held, "lock_does_not_release": Entry(None, "yes")}) == "not_needed"
