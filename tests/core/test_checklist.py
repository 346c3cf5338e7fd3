"""The checklist: order of practice, readings judged by published tables, and what an entry changes."""

from __future__ import annotations

import pytest

from gladwire.core.answers import Answer
from gladwire.core.case.checklist.plan import BY_PLAN, PLANS, SLOW, Plan
from gladwire.core.case.checklist.step import SKIP, Entry
from gladwire.core.case.checklist.steps import BY_KEY, STEPS, answer_of
from gladwire.core.case.checklist.walk import Known, Walk, next_words, walk
from gladwire.core.diagnosis.causes import BY_CODE as CAUSES
from gladwire.core.diagnosis.evidence import observed
from gladwire.core.diagnosis.situation import Situation
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.findings import Finding
from gladwire.core.standards.connectors import BY_KEY as CONNECTORS
from gladwire.core.standards.connectors import pin_named

NOWHERE = BY_PLAN["nowhere"]


def states(entries: dict[str, Entry], plan: Plan = NOWHERE) -> dict[str, str]:
    return {p.step.key: p.state for p in walk(plan, entries).places}


def now(found: Walk) -> str:
    return found.now.step.key if found.now else ""


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


def test_what_tests_name_exists() -> None:
    for test in TESTS.values():
        assert test.tells <= set(CAUSES), test.key
        assert {*test.unless, *test.after, *((test.only_if[0],) if test.only_if else ())} <= set(TESTS), test.key
    assert set(CAUSES) >= SLOW


@pytest.mark.parametrize("plan", PLANS, ids=lambda p: p.key)
def test_the_first_step_is_now_and_answering_everything_well_ends_it(plan: Plan) -> None:
    entries: dict[str, Entry] = {}
    good = {"Ω": 0.2, "V": 12.0}
    for _ in range(len(plan.steps) + 4):
        found = walk(plan, entries)
        if found.now is None:
            break
        step = found.now.step
        values = {"coded": 220.0, "inlet_pp": 4.46, "bus_wiring": 60.0}
        best = next((key for key, _ in step.answers if step.judge(Entry(None, key)).verdict == "good"), "")
        entries[step.key] = Entry(values.get(step.key, good.get(step.unit)), best)
        assert step.judge(entries[step.key]).verdict == "good", step.key
    else:
        raise AssertionError("it does not end")
    assert "prove every reported mode" in next_words(found)


def test_a_complaint_is_about_what_can_cause_it() -> None:
    """Field guide's own groups of causes, by where they show; common practice."""
    assert {"pilot_open", "lock_blocked", "not_authorised", "vehicle_not_asking"} <= NOWHERE.complaint
    assert {"modem_silent", "precharge_output_low", "authorisation_not_given"} <= BY_PLAN["dc_nothing"].complaint
    assert {"pack_cold", "cabinet_shared", "adapter_limits"} <= BY_PLAN["dc_slow"].complaint
    assert {"bus_wiring", "pin_sensor_open"} <= BY_PLAN["bus"].complaint
    assert not BY_PLAN["dc_slow"].complaint & NOWHERE.complaint
    for plan in PLANS:
        assert len(plan.complaint) >= 5, plan.key


def test_an_open_core_makes_the_plug_in_wait_and_says_why() -> None:
    entries = {"cp_core": Entry(1e9, "")}
    assert states(entries)["plug_in"] == "waits"
    place = next(p for p in walk(NOWHERE, entries).places if p.step.key == "plug_in")
    assert "CP is not sound" in place.why
    assert states({"cp_core": Entry(0.3, "")})["plug_in"] != "waits"


def test_a_lead_without_earth_is_told_first_and_nothing_live_is_asked_for() -> None:
    found = walk(NOWHERE, {"pe_core": Entry(1e9, "")})
    assert "out of use" in found.hurts
    assert next_words(found) == found.hurts
    live = [p for p in found.places if p.step.test.act in ("probe", "energise")]
    assert live
    assert all(p.state in ("waits", "not_needed") for p in live)
    assert found.ranked[0].cause.code == "pe_open"


def test_looking_comes_before_dead_tests_and_these_before_live_ones() -> None:
    """Common practice, no source; what tells next to nothing may come later."""
    tiers = {"look": 0, "dead": 1, "probe": 2, "energise": 2}
    for plan in PLANS:
        steps = [p for p in walk(plan, {}).places if p.state in ("now", "later") and p.proposal]
        worth = [p for p in steps if p.proposal and p.proposal.bits >= 0.05 and not p.step.test.only_if]
        order = [tiers[p.step.test.act] for p in worth if not p.step.test.after]
        assert order == sorted(order), plan.key
        keys = [p.step.key for p in steps]
        for p in steps:
            assert all(keys.index(k) < keys.index(p.step.key) for k in p.step.test.after if k in keys), plan.key


def test_every_entry_changes_what_follows() -> None:
    first = walk(NOWHERE, {"codes": Entry(None, "not_so")})
    assert now(first) == "elsewhere"
    fails = walk(NOWHERE, {"codes": Entry(None, "not_so"), "elsewhere": Entry(None, "so")})
    charges = walk(NOWHERE, {"codes": Entry(None, "not_so"), "elsewhere": Entry(None, "not_so")})
    share = {found is fails: {w.cause.code: w.share for w in found.ranked} for found in (fails, charges)}
    assert share[True]["vehicle_not_asking"] > 3 * share[False]["vehicle_not_asking"]
    assert share[False]["post_dead_or_unavailable"] > 3 * share[True]["post_dead_or_unavailable"]


def test_a_sure_cause_that_its_own_test_confirms_is_to_be_mended() -> None:
    entries = {
        "look": Entry(None, "not_so"),
        "coded": Entry(220.0, ""),
        "cp_core": Entry(1e9, ""),
        "pe_core": Entry(0.2, ""),
        "elsewhere": Entry(None, "not_so"),
        "post_alone": Entry(12.0, ""),
    }
    found = walk(NOWHERE, entries)
    assert found.ranked[0].cause.code == "pilot_open"
    assert found.decided
    assert found.now is None
    assert CAUSES["pilot_open"].repair in next_words(found)


def off_frequency() -> Known:
    """What a capture shows of a pilot of 1012 Hz."""
    told = {
        "code": "frequency_out",
        "severity": "fault",
        "stage": "offer",
        "text": "1012 Hz",
        "start_s": 0.0,
        "end_s": 1.0,
    }
    finding = Finding.model_validate(told)
    return Known(seen=observed([finding]), findings=(finding,))


def test_what_captures_make_sure_is_mended_only_once_its_test_says_so() -> None:
    known = off_frequency()
    test = CAUSES["pilot_frequency_off"].test
    assert walk(NOWHERE, {test: Entry(None, SKIP)}, known).decided is None
    assert walk(NOWHERE, {test: Entry(None, "not_so")}, known).decided is None
    assert walk(NOWHERE, {test: Entry(None, "so")}, known).decided


def test_what_was_captured_counts_and_its_step_is_done() -> None:
    known = off_frequency()
    found = walk(NOWHERE, {}, known)
    assert found.ranked[0].cause.code == "pilot_frequency_off"
    assert now(walk(NOWHERE, {"codes": Entry(None, "not_so")}, known)) == CAUSES["pilot_frequency_off"].test


def test_no_step_that_tells_nothing_comes_before_the_test_of_what_was_captured() -> None:
    finding = Finding.model_validate(
        {"code": "current_missing", "severity": "fault", "stage": "draw", "text": "0 A", "start_s": 0.0, "end_s": 1.0}
    )
    known = Known(seen=observed([finding]), findings=(finding,))
    entries = {"codes": Entry(None, "not_so"), "mode2_ok": Entry(None, "not_so"), "look": Entry(None, "not_so")}
    found = walk(BY_PLAN["slow_only"], entries, known)
    assert found.ranked[0].cause.code == "charger_not_starting"
    assert found.now
    assert found.now.proposal
    assert found.now.step.key == found.ranked[0].cause.test or found.now.proposal.bits >= 0.05


def test_a_tool_that_is_not_there_and_a_way_to_go_are_counted() -> None:
    plan = BY_PLAN["slow_only"]
    bare = Known(situation=Situation(frozenset({"meter"}), 20, 15))
    here = {p.step.key: p.proposal for p in walk(plan, {}).places if p.proposal}
    far = {p.step.key: p.proposal for p in walk(plan, {}, bare).places if p.proposal}
    assert far["mode2_ok"].minutes == here["mode2_ok"].minutes  # asked from anywhere
    assert far["cp_core"].minutes == here["cp_core"].minutes + 20
    assert far["swap_post"].minutes == here["swap_post"].minutes + 35
    assert far["swap_lead"].missing == ("another lead",)
    assert far["swap_lead"].minutes > here["swap_lead"].minutes + 40
    assert far["swap_lead"].bits == here["swap_lead"].bits


def test_codes_noted_at_the_start_are_asked_about_at_the_end() -> None:
    assert states({})["codes_after"] == "later"
    assert states({"codes": Entry(None, "not_so")})["codes_after"] == "not_needed"
    everything = {key: Entry(None, SKIP) for key in NOWHERE.steps if key not in ("codes", "codes_after")}
    noted = {**everything, "codes": Entry(None, "other", "P0D41")}
    assert states(noted)["codes_after"] == "now"
    assert "Stored codes again" in next_words(walk(NOWHERE, noted))


def test_a_substitute_is_tried_where_it_charges_nowhere() -> None:
    assert states({"elsewhere": Entry(None, "not_so")})["substitute"] == "not_needed"
    assert states({"elsewhere": Entry(None, "so")})["substitute"] in ("now", "later")
    blocked = {"elsewhere": Entry(None, "so"), "look": Entry(None, "debris")}
    assert states(blocked)["substitute"] == "waits"


@pytest.mark.parametrize(
    ("step", "entry", "points_at"),
    [
        ("cp_core", Entry(1e9, ""), "pilot_open"),
        ("cp_core", Entry(45.0, ""), "corroded_contact"),
        ("pe_core", Entry(30.0, ""), "corroded_contact"),
        ("coded", Entry(5200.0, ""), "cable_code_wrong"),
        ("post_alone", Entry(-12.0, ""), "post_dead_or_unavailable"),
        ("post_alone", Entry(11.1, ""), "pilot_source_weak"),
        ("post_alone", Entry(5.2, ""), "oscillating_with_nothing_connected"),
        ("look", Entry(None, "debris"), "lock_blocked"),
        ("access", Entry(None, "short"), "cable_does_not_reach"),
        ("codes", Entry(None, "leak"), "earth_fault_trip"),
        ("weather", Entry(None, "wet"), "water_or_leakage"),
        ("test_load", Entry(None, "no"), "not_authorised"),
    ],
)
def test_a_reading_reaches_the_ranking(step: str, entry: Entry, points_at: str) -> None:
    """What a reading is a sign of: common practice, no source."""
    plan = BY_PLAN["dc_nothing"] if step == "access" else BY_PLAN["stops"] if step == "codes" else NOWHERE
    before = {w.cause.code: w.share for w in walk(plan, {}).ranked}
    after = walk(plan, {step: entry}).ranked
    assert after[0].cause.code == points_at
    assert after[0].share > 2 * before.get(points_at, 0.0)


def test_a_reading_left_out_or_not_to_be_told_moves_nothing() -> None:
    shares = [(w.cause.code, w.share) for w in walk(NOWHERE, {}).ranked]
    for entry in (Entry(None, SKIP), Entry(None, "unclear")):
        assert [(w.cause.code, w.share) for w in walk(NOWHERE, {"look": entry, "weather": entry}).ranked] == shares
    # 350 Ω: the remembered bands disagree, so it names no fault.
    assert answer_of("coded", Entry(350.0, "")).result == "open"


def test_what_was_noted_on_a_session_is_done_on_the_checklist() -> None:
    known = Known(answers=(Answer(test="post_alone", result="dead"),))
    place = next(p for p in walk(NOWHERE, {}, known).places if p.step.key == "post_alone")
    assert place.state == "done"
    assert place.judged
    assert place.judged.verdict == "bad"


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
        return states(entries, plan)[key]

    still = {"stuck_stop": Entry(None, "no")}
    assert state("lock_does_not_release", still) == "waits"
    held = {"stuck_stop": Entry(None, "yes"), "lock_does_not_release": Entry(None, "no")}
    assert state("stuck_safe", held) == "now"
    assert "60 V" in BY_KEY["lock_does_not_release"].judge(held["lock_does_not_release"]).text
    assert state("stuck_safe", {**held, "lock_does_not_release": Entry(None, "yes")}) == "not_needed"
