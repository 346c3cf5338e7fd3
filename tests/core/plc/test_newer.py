"""Sessions in ISO 15118-20, contracts, pauses and renegotiation: simulated peers, judged blind to how they were made."""

from __future__ import annotations

from datetime import UTC, datetime
from itertools import pairwise

import pytest

from gladwire.core.lanes.frames.plain import speak
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.standards.v2g_codes import stage_of
from gladwire.core.standards.v2g_timers import answer_max_s, precharge_max_s, sequence_max_s
from gladwire.scenarios.conversation_faults import CONVERSATION_FAULTS
from gladwire.scenarios.scenario import Scenario
from tests.build import Analysis, part, take, together


def judged(plan: Plan) -> Analysis:
    frames = play(plan).frames
    return take(FrameCapture(tuple(frames), "sim", first_at=plan.started_at + frames[0].time_s)).analysis


AC20, AC2 = ("iso20_ac",), "AC_three_phase_core"
NEWER = [s for s in CONVERSATION_FAULTS if "-20" in s.key or s.key == "contract"]
# Limits of pre-charge come from another standard than its messages.
STANDARDS = {"contract": "ISO 15118-2", "ISO 15118-20, precharge": "IEC 61851-23"}


@pytest.mark.parametrize("fault", NEWER, ids=lambda s: s.key)
def test_the_first_thing_that_went_wrong_is_told_alone_on_its_stage_with_its_standard(fault: Scenario) -> None:
    code, stage = fault.truth.finding, fault.truth.stage
    analysis = take(fault.makes()).analysis
    faults = [f for f in analysis.findings if f.severity == "fault"]
    assert [(f.code, f.stage) for f in faults] == [(code, stage)]
    assert faults[0].source.startswith(STANDARDS.get(fault.key, "ISO 15118-20"))
    states = {s.stage: s.state for s in analysis.stages}
    assert states[stage] == "failed"
    order = [s.stage for s in analysis.stages]
    assert set(list(states.values())[order.index("link") : order.index(stage)]) <= {"proven", "not_captured"}
    assert set(list(states.values())[order.index(stage) + 1 :]) == {"not_reached"}


@pytest.mark.parametrize(
    "plan",
    [
        Plan(Vehicle20(soc=78, full_at=80), Post20(), loop_s=30.0),
        Plan(Vehicle20(dynamic=True), Post20(), loop_s=6.0),
        Plan(Vehicle20(AC20, max_w=11_000.0), Post20(max_w=11_000.0), loop_s=6.0),
        Plan(Vehicle(mode=AC2, max_a=32.0), Post(mode=AC2, max_a=32.0), loop_s=6.0),
    ],
)
def test_healthy_sessions_are_proven_from_match_to_end(plan: Plan) -> None:
    analysis = judged(plan)
    assert {s.state for s in analysis.stages[5:]} == {"proven"}
    assert not [f for f in analysis.findings if f.severity in ("fault", "suspect")]
    assert analysis.outcome == "charged"


def test_a_schedule_that_takes_long_within_its_timer_is_no_fault() -> None:
    analysis = judged(Plan(Vehicle20(), Post20(ongoing={"ScheduleExchange": 60}), patience=80, loop_s=4.0))
    assert not [f for f in analysis.findings if f.severity == "fault"]


def test_both_ways_a_stop_by_the_post_and_what_was_given_back_are_told() -> None:
    plan = Plan(Vehicle20(gives_a=60.0, dynamic=True, max_a=150.0), Post20(takes_back_after=30, notices={60: "Terminate"}),
                loop_s=60.0)  # fmt: skip
    analysis = judged(plan)
    assert "gave back up to 40.0 A" in analysis.verdict
    found = {f.code: f for f in analysis.findings}
    assert found["gave_back"].measured == "40.0 A back"
    assert "(Terminate)" in found["stop_followed"].text
    assert found["stop_followed"].severity == "note"


@pytest.mark.parametrize(("car", "post"), [(Vehicle20(pauses=True), Post20()), (Vehicle(pauses=True), Post())])
def test_a_pause_taken_up_again_is_one_session_over_two_connections(car: Vehicle, post: Post) -> None:
    analysis = judged(Plan(car, post, loop_s=6.0, resumes_s=40.0))
    found = {f.code: f for f in analysis.findings}
    assert "one session over two connections" in found["paused"].text
    assert "tried_again" not in found
    assert not [f for f in analysis.findings if f.severity in ("fault", "suspect")]
    assert analysis.outcome == "charged"


def test_a_post_that_forgot_the_paused_session_is_suspected() -> None:
    plan = Plan(Vehicle20(pauses=True), Post20(), loop_s=6.0, resumes_s=10.0)
    plan.post.fails["SessionSetup"] = "OK_NewSessionEstablished"
    found = {f.code: f for f in judged(plan).findings}
    assert found["resume_refused"].severity == "suspect"


def test_a_renegotiation_that_goes_on_is_a_note_and_says_how_long_it_took() -> None:
    plan = Plan(Vehicle(mode=AC2, max_a=32.0), Post(mode=AC2, max_a=32.0, renegotiates_after=10), loop_s=8.0)
    found = next(f for f in judged(plan).findings if f.code == "renegotiation")
    assert found.severity == "note"
    assert "the charge went on after" in found.text


def test_a_contract_signed_and_unsigned_and_its_receipts() -> None:
    car, post = Vehicle(contract=("30",), mode=AC2), Post(by_contract=True, mode=AC2)
    found = {f.code: f for f in judged(Plan(car, post, loop_s=8.0)).findings}
    assert found["authorised"].text.startswith("Authorised by contract")
    assert {"contract_taken", "contract_signed", "receipts_signed"} <= set(found)
    car, post = Vehicle(contract=("30",), unsigned=True), Post(by_contract=True)
    found = {f.code: f for f in judged(Plan(car, post, loop_s=4.0)).findings}
    assert "did not sign" in found["contract_unsigned"].text
    assert found["contract_unsigned"].severity == "suspect"


def test_a_clock_days_away_is_named_with_its_side() -> None:
    found = [f for f in judged(Plan(Vehicle20(), Post20(), loop_s=4.0, post_clock_s=-3 * 86_400.0)).findings
             if f.code == "clock_wrong"]  # fmt: skip
    assert [(f.severity, f.measured) for f in found] == [("suspect", "3.0 days")]
    assert found[0].text.startswith("The post's clock")


def test_the_dialogue_speaks_of_services_schedule_and_power() -> None:
    plan = Plan(Vehicle20(AC20, max_w=11_000.0), Post20(max_w=11_000.0, services=(1,)), loop_s=4.0)
    record = judged(plan).conversation
    assert record is not None
    said = {t.stem: speak(t) for t in record.connections[0].exchanges}
    assert said["AuthorizationSetup"].evse == "By contract or at the post. I can install a contract."
    assert said["ServiceDiscovery"].evse == "AC."
    assert said["ScheduleExchange"].ev == "I want 40 kWh and leave in 120 min."
    assert said["AC_ChargeLoop"].ev.startswith("I take 1.5 → 10.8 kW.")
    assert said["AC_ChargeLoop"].evse == "Take up to 11 kW."


def test_services_come_after_authorising_and_timers_are_its_own() -> None:
    """ISO 15118-20:2022, 8.7, from memory of the standard."""
    assert stage_of("ServiceDiscovery", "ISO15118-20") == "parameters"
    assert stage_of("ServiceDiscovery", "ISO15118-2") == "agree"
    assert answer_max_s("ISO15118-20", "DC_ChargeLoop") == 0.5
    assert sequence_max_s("ISO15118-20", "DC_ChargeLoop") == 0.5
    assert (precharge_max_s("ISO15118-20"), precharge_max_s("ISO15118-2")) == (10.0, 7.0)


def test_a_pause_in_one_capture_and_its_resumption_in_the_next_are_one_session() -> None:
    frames = play(Plan(Vehicle20(pauses=True), Post20(), loop_s=6.0, resumes_s=40.0)).frames
    middle = next(n for n, (a, b) in enumerate(pairwise(frames)) if b.time_s - a.time_s > 1.0 and a.time_s > 25.0)
    base = 1_794_300_000.0
    parts = []
    for name, some in (("first", frames[: middle + 1]), ("second", frames[middle + 1 :])):
        start = some[0].time_s
        moved = tuple(f._replace(time_s=f.time_s - start) for f in some)
        recorded = datetime.fromtimestamp(base + start, UTC).isoformat()
        parts.append(part(name, take(FrameCapture(moved, "sim", (), recorded, base + start)).analysis))
    whole = together(parts)
    found = {f.code: f for f in whole.judgement.findings}
    assert "one session, no fault" in found["resumed_elsewhere"].text
    assert not [f for f in whole.judgement.findings if f.severity == "fault"]
    assert whole.judgement.outcome == "charged"


def test_why_the_vehicle_ended_is_quoted_where_it_says_so() -> None:
    found = {f.code: f for f in judged(Plan(Vehicle20(explains="departure moved"), Post20(), loop_s=4.0)).findings}
    assert "“departure moved”" in found["session_stopped"].text
