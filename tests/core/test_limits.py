"""Every limit from both sides: a hair inside nothing is told, a hair outside it is.

Records are made by hand here, so that each stands exactly at its limit; limits are those of the tables, whose values stand
against the published ones in test_standards.py.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

import pytest

from gladwire.core.calculations.pilot_circuit import nominal_level_v
from gladwire.core.findings import apply
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.pilot.asking import asking_s, commands, requests
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.rules import RULES as PILOT
from gladwire.core.plc.slac import SlacAnswer
from gladwire.core.scene.stamps import Stamp
from gladwire.core.standards import dc_limits, pilot_timing, practice, slac_limits, supply, v2g_timers
from gladwire.core.standards.limit import Limit
from gladwire.core.standards.limits import LIMITS, TOPICS
from tests.core.records import (
    ASK,
    CLOSED,
    CLOSES,
    OPENS,
    Rulings,
    bus,
    contactor,
    course,
    exchange,
    flows,
    frames,
    home,
    interrupted,
    mains,
    matching,
    pilot,
    pressed_at,
    profile,
    proximity,
    sag,
    scene,
    span,
    stays,
    unanswered,
    with_level,
)


class Case(NamedTuple):
    """rulings: of a record that stands at x. beyond: the side of the limit on which it tells."""

    name: str
    limit: float
    beyond: Literal["above", "below"]
    rulings: Rulings


t, p, s, d, v = pilot_timing, practice, slac_limits, dc_limits, v2g_timers
HZ = pilot_timing.FREQUENCY_HZ


def lowered(lasts: float) -> PilotRecord:
    record = stays(("B2", 2), ("C2", 6), ("C2", lasts))
    last = record.segments[-1].model_copy(update={"duty_percent": 16.7, "advertised_current_a": 10.0})
    return record.model_copy(update={"segments": (*record.segments[:-1], last)})


CASES = [
    # The pilot
    Case("source frequency", t.FREQUENCY_SOURCE_TOLERANCE, "above", pilot(
        "frequency_out", lambda x: stays(("B2", 2), frequency_hz=HZ * (1 + x)))),
    Case("source frequency, low", t.FREQUENCY_SOURCE_TOLERANCE, "above", pilot(
        "frequency_out", lambda x: stays(("B2", 2), frequency_hz=HZ * (1 - x)))),
    Case("frequency a vehicle accepts", t.FREQUENCY_VEHICLE_TOLERANCE, "above", pilot(
        "frequency_out", lambda x: stays(("B2", 2), frequency_hz=HZ * (1 + x)), "fault")),
    # Records here are of 1 MS/s, which leaves a microsecond open.
    *(Case(f"rise in {state}", most + 1.0, "above", pilot(
        "slow_edges", lambda x, state=state: stays((f"{state}2", 2), rise_us=x, fall_us=1.0)))  # type: ignore[misc]
      for state, most in t.RISE_MAX_US.items()),
    Case("fall", t.FALL_MAX_US + 1.0, "above", pilot("slow_edges", lambda x: stays(("B2", 2), rise_us=1.0, fall_us=x))),
    Case("oscillation after the plug is drawn", t.OSCILLATION_AFTER_UNPLUG_MAX_S, "above", pilot(
        "oscillating_without_vehicle", lambda x: stays(("B2", 2), ("A2", x), ("A1", 1)))),
    Case("E by which a post asks to be matched anew", t.RESTART_MATCHING_MIN_S, "below", pilot(
        "pilot_to_zero", lambda x: stays(("B1", 2), ("E1", x), ("B1", 2)), "fault")),
    Case("F by which a post asks to be matched anew", t.RESTART_MATCHING_MIN_S, "above", pilot(
        "matching_restarted", lambda x: stays(("B1", 2), ("F1", x), ("B1", 2)))),
    Case("a lower offer that stays", t.LOWERED_FOR_S, "above", pilot("offer_lowered", lowered)),
    Case("a gap taken for a contact", t.INTERRUPTION_MAX_S, "above", pilot("pilot_lost_while_asking", interrupted)),
    Case("the pilot lost at the end", t.SWITCH_OFF_MAX_S, "above", pilot(
        "pilot_lost_while_asking", lambda x: stays(("B2", 1), ("C2", 3), ("A2", x)))),
    Case("oscillation that stops for longer than a bounce", t.BOUNCE_S, "above", pilot(
        "offer_withdrawn", lambda x: stays(("B2", 1), ("C2", 3), ("C1", x), ("C2", 1)))),
    Case("ventilation for longer than a bounce", t.BOUNCE_S, "above", pilot(
        "ventilation_asked", lambda x: stays(("B2", 1), ("D2", x), ("B2", 1)))),
    Case("an offer that waits in vain", t.PATIENCE_S, "above", pilot(
        "never_asked", lambda x: stays(("A1", 1), ("B2", x)), "suspect")),
    Case("a vehicle that waits in vain", t.PATIENCE_S, "above", pilot(
        "no_offer", lambda x: stays(("A1", 1), ("B1", x)), "suspect")),
    Case("hunting", t.HUNTING_MIN_REQUESTS - 0.5, "above", pilot(
        "hunting", lambda x: stays(("B2", 1), *[("C2", 1.0), ("B2", 1.0)] * int(x + 0.5)))),
    Case("a toggle that wakes", t.TOGGLE_MAX_S, "below", pilot(
        "wake_up_toggle", lambda x: stays(("B2", 1), ("C2", x), ("B2", 1), ("C2", 9)), "normal")),
    Case("a thin margin", 7.0 - t.THIN_MARGIN_V, "above", pilot(
        "pilot_level_thin_margin", lambda x: with_level("C", x))),
    Case("a margin that is thick", 7.0 - t.THIN_MARGIN_V, "below", pilot(
        "pilot_level_in_band", lambda x: stays(("C2", 3)).model_copy(
            update={"segments": (with_level("C", x).segments[-1],)}), "normal")),
    Case("a shift of series resistance", nominal_level_v("C", 12.0) + t.SHIFT_V, "above", pilot(
        "series_resistance", lambda x: with_level("C", x))),
    Case("stuck at zero", t.STUCK_SHARE, "above", pilot(
        "pilot_stuck_at_zero", lambda x: stays(("A1", 100 * (1 - x)), ("E1", 100 * x)))),
    Case("stuck at minus twelve", t.STUCK_SHARE, "above", pilot(
        "post_not_available", lambda x: stays(("A1", 100 * (1 - x)), ("F1", 100 * x)))),
    # Contactor
    Case("the contactor closes", t.SWITCH_ON_MAX_S + p.SLACK_S, "above", contactor(
        "contactor_closes", "suspect", lambda x: (CLOSES + x, OPENS, False))),
    Case("the contactor opens", t.SWITCH_OFF_MAX_S + p.SLACK_S, "above", contactor(
        "contactor_opens", "suspect", lambda x: (CLOSES, OPENS + x, False))),
    Case("the contactor stays closed", p.STAYS_CLOSED_S, "above", contactor(
        "contactor_stays_closed", "suspect", lambda x: (CLOSES, OPENS + x, True))),
    # Mains
    Case("mains after C", t.SWITCH_ON_MAX_S + p.SLACK_S, "above", mains(
        "mains_on", "suspect", lambda x: {"volts": [span(CLOSES + x, OPENS, 230)]})),
    Case("mains never on", t.SWITCH_ON_MAX_S, "above", mains(
        "mains_missing", "fault", lambda x: {"volts": []}, lambda x: stays(("B2", 1), ("C2", x), ("B2", 1)))),
    Case("mains off after C", t.SWITCH_OFF_MAX_S + p.SLACK_S, "above", mains(
        "mains_off_late", "suspect", lambda x: {"volts": [span(CLOSES, OPENS + x, 230)]})),
    Case("mains without a request", p.IDLE_MAINS_S, "above", mains(
        "mains_without_request", "fault", lambda x: {"volts": [span(CLOSES - x, OPENS, 230)]})),
    Case("current that never comes", p.CURRENT_PATIENCE_S, "above", mains(
        "current_missing", "fault", lambda x: {"volts": [span(1, 1 + x, 230)], "amps": []},
        lambda x: stays(("B2", 1), ("C2", x), ("B2", 1)))),
    Case("current over the offer", 16.0 * p.OVER_OFFER_SHARE + p.OVER_OFFER_A, "above", mains(
        "current_over_offer", "fault", lambda x: flows(x, CLOSES, OPENS))),
    Case("time over the offer", t.FOLLOW_OFFER_MAX_S + p.OVER_OFFER_S, "above", mains(
        "current_over_offer", "fault", lambda x: flows(20.0, CLOSES, CLOSES + x))),
    Case("current below the offer", 16.0 * p.LESS_SHARE, "below", mains(
        "draws_below_offer", "note", lambda x: flows(x, CLOSES, OPENS))),
    Case("current that goes while asking", p.CURRENT_PATIENCE_S, "above", mains(
        "draws_no_more", "suspect", lambda x: flows(16.0, CLOSES, OPENS - x))),
    Case("a phase that is dead", p.LINE_DEAD_S, "above", mains("phase_dead", "suspect", lambda x: {
        "lines": ("L1", "L2", "L3"), "volts": [span(CLOSES, CLOSES + x, 230, 2)]})),
    Case("a line that is live", p.LINE_LIVE_V, "above", mains("phase_current_ended", "suspect", lambda x: {
        "ended": [span(CLOSES, OPENS, 0.0).model_copy(update={"each": (x,)})]})),
    Case("volts lost on the way", supply.DROP_SHARE, "above", mains(
        "supply_sags", "note", lambda x: {"sags": [sag(x)]})),
    Case("volts lost that heat", supply.DROP_HOT_SHARE, "above", mains(
        "supply_sags", "suspect", lambda x: {"sags": [sag(x)]})),
    Case("current less than before", 15.0 * p.LESS_SHARE, "below", mains(
        "current_reduced", "suspect", lambda x: {
            "volts": [span(CLOSES, OPENS, 230)], "amps": [span(CLOSES, OPENS, 15)],
            "levels": [span(CLOSES, 12, 15), span(12, OPENS, x)]})),
    Case("a level that is no ramp", p.LEVEL_STAYS_S, "above", mains(
        "current_reduced", "suspect", lambda x: {
            "volts": [span(CLOSES, OPENS, 230)], "amps": [span(CLOSES, OPENS, 15)],
            "levels": [span(CLOSES, 12, 15), span(12, 12 + x, 8)]})),
    Case("a dip before the end", p.DIP_BEFORE_S, "below", mains(
        "mains_dip", "suspect", lambda x: {**flows(16.0, CLOSES, OPENS), "dips": [span(OPENS - x - 1, OPENS - x, 180)]})),
    # Proximity
    Case("a latch pressed for long", p.LATCH_STUCK_S, "above", proximity(
        "latch_pressed", "fault", lambda x: [("absent", 1), ("pressed", x), ("latched", 5)])),
    Case("proximity that opens", p.PROXIMITY_GAP_S, "below", proximity(
        "proximity_intermittent", "fault", lambda x: [("latched", 5), ("absent", x), ("latched", 5)])),
    Case("a value no plug has", p.PROXIMITY_WRONG_S, "above", proximity(
        "proximity_wrong", "fault", lambda x: [("absent", 1), ("between", x), ("latched", 5)])),
    # Across lanes
    Case("a plug that is not home", p.SEAT_S, "above", scene(
        "plug_not_home", "fault", lambda x: ([home(1 + x), stays(("A1", 1 + x))], []))),
    Case("a vehicle that stops for its latch", p.STOPS_WITHIN_S, "below", scene(
        "request_ends_with_plug", "fault", lambda x: ([pressed_at(OPENS - x), ASK], []))),
    Case("a lock nobody drives", p.LOCKS_WITHIN_S, "above", scene(
        "lock_not_driven", "suspect", lambda x: ([home(1 + x), LockRecord(
            start_s=0.0, end_s=1 + x, current_channel="lock A", position_channel="", attempts=())], []))),
    Case("a clunk after C", t.SWITCH_ON_MAX_S + p.HAND_S, "below", scene(
        "heard_contactor", "normal", lambda x: ([ASK], [Stamp(kind="contactor_clunk", at_s=CLOSES + x)]))),
    # A bus
    Case("sides at closing", d.CLOSE_V, "above", bus("can_closed_apart", "note", lambda x: [
        CLOSED, course("pack_v", "V", (0, 350.0)), course("inlet_v", "V", (0, 350.0 - x))])),
    Case("contactors under load", d.OPEN_A, "above", bus("can_opened_loaded", "suspect", lambda x: [
        CLOSED, course("amps", "A", (0, 0.0), (12, 50.0), (39, x))])),
    Case("current that counts", d.FLOWS_A, "above", bus("can_flows", "normal", lambda x: [
        CLOSED, course("amps", "A", (0, 0.0), (12, x), (39, 0.0))])),
    Case("a live side", p.LIVE_V, "above", bus("can_sides_swapped", "fault", lambda x: [
        CLOSED, course("pack_v", "V", (0, 0.0)), course("inlet_v", "V", (0, x))])),
    Case("a hot pin", p.PIN_HOT_C - 1e-9, "above", bus("can_pin_hot", "suspect", lambda x: [
        course("pin_1_c", "°C", (0, 30.0), (9, x))])),
    Case("a pin too cold to be believed", p.PIN_LEAST_C, "below", bus("can_pin_sensor", "fault", lambda x: [
        course("pin_1_c", "°C", (0, 30.0), (9, x))])),
    Case("a pin too hot to be believed", p.PIN_MOST_C, "above", bus("can_pin_sensor", "fault", lambda x: [
        course("pin_1_c", "°C", (0, 30.0), (9, x))])),
    Case("a manager that asks for nothing", p.ASKS_NOTHING_S, "above", bus("can_asks_nothing", "fault", lambda x: [
        course("asked_a", "A", (0, 0.0), end=x)])),
    Case("a post that offers nothing over the bus", p.ASKS_NOTHING_S - 1e-9, "above", bus(
        "can_nothing_offered", "fault", lambda x: [
            course("post_max_a", "A", (0, 0.0), end=x), course("asked_a", "A", (0, 50.0), end=x)])),
    Case("pre-charge by a controller", p.BUS_PRECHARGE_S, "above", bus("can_closed_apart", "fault", lambda x: [
        course("precharge", "", (0, 0.0), (2, 1.0), (2 + x, 0.0), end=2.5 + x)])),
    # Matching
    Case("an answer to matching parameters", s.SEQUENCE_MAX_S, "above", matching(
        "slac_late", "suspect", lambda x: {"answers": (SlacAnswer(time_s=1.0, evse_mac="post", wait_s=x),)})),
    Case("a match confirmation", s.MATCH_RESPONSE_MAX_S, "above", matching(
        "slac_late_match", "suspect", lambda x: {"match_wait_s": x, "match_answered_at_s": 1.9, "result": "matched"})),
    Case("attenuation found", s.FOUND_DB, "above", matching(
        "slac_weak", "note", lambda x: {"profiles": (profile(x),)})),
    Case("attenuation possible", s.POSSIBLE_DB, "above", matching(
        "slac_weak", "suspect", lambda x: {"profiles": (profile(x),)})),
    Case("two posts told apart", s.APART_DB, "below", matching(
        "slac_ambiguous", "note", lambda x: {"profiles": (profile(5.0), profile(5.0 + x, "other"))})),
    Case("retries", s.RETRIES + 1.5, "above", matching("slac_again", "note", lambda x: {"requests": int(x + 0.5)})),
    Case("a capture that can say a match stayed away", v.SETTLED_S, "above", Rulings(
        "slac_broke_off", "fault", lambda x: matching(
            "slac_broke_off", "fault", lambda _: {"sounds_sent": 10}, 2.0 + x).found(x))),
    # Messages
    Case("pre-charge near enough", d.CLOSE_V, "above", frames("precharge_not_reached", "fault", lambda x: ([
        exchange("PreCharge", 1.0, 5.0, {"EVTargetVoltage": 400.0}, {"EVSEPresentVoltage": 400.0 - x})], 20.0))),
    Case("pre-charge reached", d.CLOSE_V, "below", frames("precharge_reached", "normal", lambda x: ([
        exchange("PreCharge", 1.0, 5.0, {"EVTargetVoltage": 400.0}, {"EVSEPresentVoltage": 400.0 - x})], 20.0))),
    Case("pre-charge in time", v.PRECHARGE_S, "above", frames("precharge_not_used", "fault", lambda x: ([
        exchange("PreCharge", 1.0, 1.0 + x, {"EVTargetVoltage": 400.0}, {"EVSEPresentVoltage": 399.0})], 20.0))),
    Case("cable check in time", v.CABLE_CHECK_S, "above", frames("insulation_no_verdict", "fault", lambda x: ([
        exchange("CableCheck", 1.0, 1.0 + x, {}, {"EVSEProcessing": "Ongoing"})], 1.2 + x))),
    Case("the cable after the stop", d.SAFE_V - 1e-9, "above", frames("weld_check", "note", lambda x: ([
        exchange("WeldingDetection", 1.0, 5.0, {}, {"EVSEPresentVoltage": x})], 20.0))),
    Case("a stop that is followed", d.STOP_IGNORED_S, "above", frames("stop_ignored", "suspect", lambda x: ([
        exchange("CurrentDemand", 1.0, 1.0 + x, {}, {"EVSENotification": "StopCharging"})], 40.0))),
    Case("current that never comes in the loop", d.NO_CURRENT_S - 1e-9, "above", frames("no_current", "fault", lambda x: ([
        exchange("CurrentDemand", 1.0, 1.0 + x, {"EVTargetCurrent": 100.0}, {"EVSEPresentCurrent": 0.0})], 40.0))),
    Case("current given of what is asked", d.GIVES_SHARE * 100.0 - d.GIVES_A, "below", frames(
        "gives_less", "suspect", lambda x: ([
        exchange("CurrentDemand", 1.0, 21.0, {"EVTargetCurrent": 100.0}, {"EVSEPresentCurrent": x})], 40.0))),
    Case("an answer to a message", v.answer_max_s("ISO15118-2", "SessionSetup") - 1e-9, "above", frames(
        "post_silent", "fault", lambda x: ([unanswered("SessionSetup")], 1.0 + x))),
    Case("an answer to a slow message", v.answer_max_s("ISO15118-2", "PowerDelivery") - 1e-9, "above", frames(
        "post_silent", "fault", lambda x: ([unanswered("PowerDelivery")], 1.0 + x))),
    Case("an answer in the loop", v.answer_max_s("", "CurrentDemand") - 1e-9, "above", frames(
        "post_silent", "fault", lambda x: ([unanswered("CurrentDemand")], 1.0 + x))),
]  # fmt: skip


@pytest.mark.parametrize("case", CASES, ids=lambda c: c.name)
def test_a_rule_speaks_just_outside_its_limit_and_not_just_inside(case: Case) -> None:
    hair = max(1e-6, 1e-6 * abs(case.limit))
    inside, outside = (-hair, hair) if case.beyond == "above" else (hair, -hair)
    assert not case.rulings.told(case.limit + inside)
    assert case.rulings.told(case.limit + outside)


def test_every_limit_says_itself_with_its_unit_and_names_its_source() -> None:
    for limit in LIMITS:
        assert isinstance(limit, Limit)
        assert limit.unit in ("", "share") or limit.amount in limit.says
        assert limit.about
        assert limit.source.document
    assert len({id(limit) for limit in LIMITS}) == len(LIMITS)
    assert all(topic.limits for topic in TOPICS)


@pytest.mark.parametrize("gap_ms", [20, 40, 60, 80, 150, 300, 500, 800, 950])
def test_what_opens_for_a_moment_is_one_request_everywhere_or_two_everywhere(gap_ms: int) -> None:
    """The pilot away (A) for less than a second is one request; a post has to switch off for more than 100 ms of it."""
    record = stays(("A1", 1.0), ("B2", 1.0), ("C2", 5.0), ("A2", gap_ms / 1e3), ("C2", 5.0), ("B2", 2.0))
    assert len(requests(record)) == 1
    assert len(commands(record.segments)) == (1 if gap_ms < 100 else 2)
    assert asking_s(record) == pytest.approx(10.0)
    told = {f.code for f in apply(PILOT, record)}
    assert "hunting" not in told
    assert "wake_up_toggle" not in told


@pytest.mark.parametrize("gap_ms", [20, 45, 60, 80, 300, 800])
def test_letting_go_to_b_for_longer_than_a_bounce_is_another_request(gap_ms: int) -> None:
    record = stays(("A1", 1.0), ("B2", 1.0), ("C2", 5.0), ("B2", gap_ms / 1e3), ("C2", 5.0), ("B2", 2.0))
    count = 1 if gap_ms < 50 else 2
    assert (len(requests(record)), len(commands(record.segments))) == (count, count)


@pytest.mark.parametrize(("stops", "told"), [(False, True), (True, False)])
def test_what_a_post_gives_after_it_asked_to_stop_is_no_derating(stops: bool, told: bool) -> None:
    notice = {"EVSENotification": "StopCharging"} if stops else {}
    asked = {"EVTargetCurrent": 100.0}
    rulings = frames("gives_less", "suspect", lambda x: ([
        exchange("CurrentDemand", 1.0, 9.0, asked, {"EVSEPresentCurrent": 100.0}),
        exchange("CurrentDemand", 10.0, 30.0, asked, {"EVSEPresentCurrent": x, **notice})], 40.0))  # fmt: skip
    assert rulings.told(2.0) is told


@pytest.mark.parametrize(
    ("kind", "stands"), [("CurrentDemand", "pack voltage stands"), ("ChargingStatus", "mains may stand")]
)
def test_what_stands_at_the_inlet_when_a_stop_is_ignored_is_what_the_loop_carries(kind: str, stands: str) -> None:
    notice = {"EVSENotification": "StopCharging"}
    rulings = frames("stop_ignored", "fault", lambda x: ([exchange(kind, 1.0, 1.0 + x, {}, notice)], 60.0))
    told = next(f for f in rulings.found(30.0) if f.code == "stop_ignored")
    assert stands in told.text


@pytest.mark.parametrize(
    ("kind", "limit", "wanted"),
    [("CurrentDemand", "EVSEMaximumCurrentLimit", True), ("ChargingStatus", "EVSEMaxCurrent", False)],
)
def test_a_lowered_limit_says_what_the_vehicle_would_take_only_where_it_asked(
    kind: str, limit: str, wanted: bool
) -> None:
    asked = {"EVTargetCurrent": 100.0}
    rulings = frames("post_lowers_limit", "suspect", lambda x: ([
        exchange(kind, 1.0, 9.0, asked, {limit: 120.0}), exchange(kind, 10.0, 30.0, asked, {limit: x})], 40.0))  # fmt: skip
    told = next(f for f in rulings.found(20.0) if f.code == "post_lowers_limit")
    assert ("would take more" in told.text) is wanted
