"""Complaints as people say them: which plan they ask for, when none does, what is taken along, and what can hurt. The
sentences are made up; what they ask for is common practice."""

from __future__ import annotations

from datetime import date

import pytest

from gladwire.core.case.checklist.plan import BY_PLAN, PLANS
from gladwire.core.case.checklist.step import Entry
from gladwire.core.case.checklist.walk import walk
from gladwire.core.case.instruments import AC_LIVE, DC_LIVE, categories_in, out_of_calibration, out_of_category
from gladwire.core.case.intake import kit_of, suggested, warned_by
from gladwire.core.power.equipment import InstrumentSpec


@pytest.mark.parametrize(
    ("said", "modes", "plan"),
    [
        ("DC charging stops after ten minutes", [], "dc_stops"),
        ("Only 7 kW on the rapid charger, promised 150", [], "dc_slow"),
        ("It starts, then stops after a minute on the wall box", [], "stops"),
        ("The plug is stuck in the car after charging", [], "stuck"),
        ("the vehicle won't wake and the plug will not come out", [], "stuck"),
        ("Card declined at post 3", [], "refused"),
        ("The post does not accept my card", ["mode3_socket"], "refused"),
        ("Charges slowly at home", [], "ac_slow"),
        ("The fast post refuses to switch on", [], "dc_nothing"),
        ("Display stuck at “preparing”", ["dc"], "dc_nothing"),
        ("App says start not accepted, my app does not work", ["mode3_socket"], "refused"),
        ("Crawls along at a third of the power", ["dc"], "dc_slow"),
        ("The post died at 40 %", ["dc"], "dc_stops"),
        ("slow lead works, the post does not start", ["mode3_socket"], "post_only"),
        ("does not charge", ["mode2", "mode3_tethered"], "nowhere"),
        ("Charges on the portable lead; the DC post does not start", [], "dc_nothing"),
        ("Charges well at home, the post does nothing", ["mode3_tethered"], "post_only"),
        ("the portable lead does nothing, posts are fine", ["mode2"], "slow_only"),
        ("Nothing happens when plugged in", ["dc"], "dc_nothing"),
        ("Neither posts and slow lead start, nothing happens", [], "nowhere"),
        ("RCD trips when it rains", ["mode3_tethered"], "stops"),
        ("retrofit controller, does not start on DC", ["dc"], "bus"),
    ],
)
def test_a_complaint_that_is_plain_has_its_plan_first(said: str, modes: list[str], plan: str) -> None:
    assert suggested(said, modes).plans[0] == BY_PLAN[plan]


@pytest.mark.parametrize(
    ("said", "modes", "missing"),
    [
        ("does not start", [], "Tick on which it fails"),
        ("Lädt nicht", [], "Say whether"),  # words of another language are no guess
        ("", ["dc"], "Say whether"),
        ("does not start", ["mode3_socket"], "charges on the other"),  # the portable lead was not spoken of
        ("does not charge on the portable lead", ["mode2"], "charges on the other"),
        ("does not charge at home", ["mode3_tethered"], "charges on the other"),
        ("slow, and it drops out", ["dc"], "several things"),
        ("won't start", ["mode2", "dc"], "AC and DC both fail"),
        ("AC or DC, it does not start", [], "It speaks of AC and of DC"),
    ],
)
def test_what_is_not_plain_is_said_and_nothing_is_chosen(said: str, modes: list[str], missing: str) -> None:
    found = suggested(said, modes)
    assert len(found.plans) != 1
    assert missing in found.missing


@pytest.mark.parametrize(
    "said", ["It never stops charging", "It is not slow", "does not stop charging", "no drop-outs"]
)
def test_a_denied_word_says_nothing(said: str) -> None:
    assert not suggested(said, ["dc"]).by[:-1]


@pytest.mark.parametrize(
    "said",
    ["smell of burning", "the plug gets very hot", "I got a shock from the door", "sparks at the inlet", "melted contact",
     "Display: isolation fault", "cable was run over", "the handle is hot plug and all",
     "not charging smoke from the plug", "won't start smells burnt", "never started, sparks once",
     "the plug is too hot to touch",
     "Lamp red. Smell of plastic", "no lamp but a bang"],
)  # fmt: skip
def test_what_can_hurt_is_told_from_the_complaint_alone(said: str) -> None:
    found = warned_by(said)
    assert found is not None
    assert "nobody plugs in" in found.says


@pytest.mark.parametrize(
    "said",
    ["does not start", "no smoke, no fire", "nothing is burnt", "hotel post, slow", "offered", "lamp flashes red",
     "the LED burns green", "no smell of burning", "slow on very hot days", "post at the fire station", "exposed to rain",
     "cracked display", "no sign of any smoke", "it doesn't smell"],
)  # fmt: skip
def test_what_says_nothing_of_danger_warns_of_none(said: str) -> None:
    assert warned_by(said) is None


def test_a_denial_holds_for_its_own_clause_alone() -> None:
    assert warned_by("no display, but smoke") is not None
    assert warned_by("It does not start. Smoke came out") is not None


@pytest.mark.parametrize("plan", PLANS)
def test_every_plan_has_a_kit_and_something_to_ask_for(plan: object) -> None:
    kit = kit_of(plan, walk(plan, {}))  # type: ignore[arg-type]
    assert kit.ask
    assert any("protective equipment" in taken.words for taken in kit.take)


def test_what_was_answered_needs_nothing_more_taken_along() -> None:
    plan = BY_PLAN["dc_nothing"]
    before = kit_of(plan, walk(plan, {}))
    after = kit_of(plan, walk(plan, {"swap_vehicle": Entry(None, "not_so")}))
    tools = [{t.tool for t in kit.take} for kit in (before, after)]
    assert "other_vehicle" in tools[0] - tools[1]


@pytest.mark.parametrize(
    ("printed", "found"),
    [
        ("CAT III 1000 V / CAT IV 600 V", ((3, 1000.0), (4, 600.0))),
        ("cat.iii 300V", ((3, 300.0),)),
        ("CAT 3, 600 V", ((3, 600.0),)),
        ("1000 V CAT III / 600 V CAT IV", ((3, 1000.0), (4, 600.0))),
        ("600V CATIII", ((3, 600.0),)),
        ("600 V", ()),
    ],
)
def test_categories_are_read_as_they_are_printed(printed: str, found: tuple[tuple[int, float], ...]) -> None:
    assert categories_in(printed) == found


@pytest.mark.parametrize(
    ("printed", "ac", "dc"),
    [("CAT III 300 V", True, False), ("CAT II 1000 V", False, False), ("CAT IV 1000 V", True, True),
     ("CAT III 299 V", False, False), ("CAT III 1000 V", True, True), ("", True, True)],
)  # fmt: skip
def test_a_category_below_what_is_measured_live_is_told(printed: str, ac: bool, dc: bool) -> None:
    """IEC 61010-2-030, from memory: III for the installation of a building. What nobody noted is not told as too low."""
    spec = InstrumentSpec(category=printed)
    assert (not out_of_category(spec, AC_LIVE), not out_of_category(spec, DC_LIVE)) == (ac, dc)


def test_calibration_holds_through_its_last_day() -> None:
    spec = InstrumentSpec(calibrated_until=date(2026, 9, 30))
    assert not out_of_calibration(spec, date(2026, 9, 30))
    assert "30 Sep 2026" in out_of_calibration(spec, date(2026, 10, 1))
