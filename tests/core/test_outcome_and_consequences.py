"""Outcome and consequences over findings made by hand: which of several faults is the cause, and what the session came to."""

from __future__ import annotations

import pytest

from gladwire.core.findings import Finding, Severity
from gladwire.core.lanes.frames.record import Connection, ConversationRecord
from gladwire.core.lanes.records import Record, Records
from gladwire.core.plc.slac import SlacRun
from gladwire.core.rulebook import ALL, BY_CODE, breaking
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.spine import AC_SPINE
from gladwire.core.session.consequences import (
    FOLLOWS,
    GOT_FURTHER,
    PILOT_FIRST,
    WENT_ON,
    within_a_record,
    within_a_scene,
)
from gladwire.core.session.outcome import outcome_of
from gladwire.core.stage import StageResult, StageState
from gladwire.core.standards.practice import TAKES_WITH_IT_S
from tests.core.test_limits import exchange, stays


def finding(
    code: str, severity: Severity = "fault", at: float = 1.0, stage: str = "", end: float | None = None
) -> Finding:
    rule = BY_CODE[code]
    return Finding(
        code=code, severity=severity, stage=stage or rule.stage, text=f"{code}.", start_s=at,
        end_s=at if end is None else end, measured="", expected="", source="test", from_memory=False,
    )  # fmt: skip


def standing(**states: StageState) -> list[StageResult]:
    return [
        StageResult(stage=s.key, title=s.title, state=states.get(s.key, "not_captured"), short="", why="")
        for s in AC_SPINE
    ]


def scene(*records: Record) -> Scene:
    return Scene(Records.of_all(records))


CHARGING = stays(("A1", 1.0), ("B1", 1.0), ("B2", 1.0), ("C2", 20.0), ("B2", 1.0))


@pytest.mark.parametrize(
    ("stages", "found", "outcome"),
    [
        ({"hold": "proven", "end": "proven"}, [], "charged"),
        ({"hold": "proven", "end": "not_captured"}, [], "unknown"),
        ({"hold": "proven", "end": "failed"}, [], "charged"),
        ({"hold": "failed"}, [finding("pilot_interrupted", at=9.0, stage="hold")], "dropped_out"),
        ({"pilot": "failed"}, [finding("low_side_pulled_up", at=2.0)], "failed_to_start"),
        ({"pilot": "failed"}, [finding("low_side_pulled_up", at=2.0, end=9.0)], "dropped_out"),
        ({"request": "not_reached"}, [finding("never_asked", "suspect")], "failed_to_start"),
        ({"request": "not_reached"}, [finding("never_asked", "note")], "unknown"),
        ({"request": "proven"}, [finding("never_asked", "suspect")], "unknown"),
        ({"hold": "proven", "end": "proven"}, [finding("no_pilot")], "unknown"),
        ({"hold": "proven", "end": "proven"}, [finding("mains_without_request")], "charged"),
        ({"hold": "proven", "end": "proven"}, [finding("current_reduced", "suspect")], "derated"),
    ],
)  # fmt: skip
def test_what_a_session_came_to(stages: dict[str, StageState], found: list[Finding], outcome: str) -> None:
    assert outcome_of(scene(CHARGING), standing(**stages), found) == outcome


def test_of_several_breaks_of_a_stage_the_first_is_told() -> None:
    found = (finding("pilot_interrupted", at=9.0, stage="hold"), finding("offer_withdrawn", "suspect", at=2.0))
    broken = breaking(found, "hold")
    assert broken is not None
    assert broken.code == "offer_withdrawn"
    assert breaking((finding("offer_withdrawn", "note", at=2.0),), "hold") is None
    assert breaking(found, "seat") is None


@pytest.mark.parametrize("rule", [r for r in ALL if r.breaks], ids=lambda r: r.code)
def test_every_rule_that_breaks_a_stage_does_from_its_severity_on_and_not_below(rule: object) -> None:
    order: tuple[Severity, ...] = ("normal", "note", "suspect", "fault")
    for stage in rule.breaks:  # type: ignore[attr-defined]
        for severity in order:
            broken = breaking((finding(rule.code, severity, stage=stage),), stage)  # type: ignore[attr-defined]
            assert (broken is not None) == (order.index(severity) >= order.index(rule.breaks_from))  # type: ignore[attr-defined]


def talked(*starts: float, runs: tuple[float, ...] = (), end: float = 60.0) -> ConversationRecord:
    connections = tuple(
        Connection(
            start_s=s, end_s=s + 5.0, protocol="ISO15118-2", exchanges=(exchange("SessionSetup", s, s + 0.1, {}, {}),)
        )
        for s in starts
    )
    slac = tuple(SlacRun(start_s=r, end_s=r + 1, run_id=str(r), ev_mac="ev", requests=1) for r in runs)
    return ConversationRecord(start_s=0.0, end_s=end, frames=10, connections=connections, slac=slac)


def told(record: ConversationRecord, *found: Finding) -> dict[str, tuple[str, str]]:
    return {f.code: (f.severity, f.text) for f in within_a_record("frames", record, found)}


def test_the_first_fault_of_a_try_is_the_cause_and_later_ones_follow() -> None:
    result = told(talked(1.0), finding("precharge_not_reached", at=3.0), finding("connection_closed", at=5.0))
    assert result["precharge_not_reached"][0] == "fault"
    assert result["connection_closed"] == ("note", f"connection_closed. {FOLLOWS}")


def test_what_comes_first_counts_whatever_order_findings_are_told_in() -> None:
    result = told(talked(1.0), finding("connection_closed", at=5.0), finding("precharge_not_reached", at=3.0))
    assert result["precharge_not_reached"][0] == "fault"
    assert result["connection_closed"][0] == "note"


def test_a_fault_before_a_loop_that_ran_all_the_same_did_not_stop_it() -> None:
    loop = finding("loop_held", "normal", at=6.0, end=20.0)
    result = told(talked(1.0), finding("limits_current", at=3.0), loop)
    assert result["limits_current"] == ("suspect", f"limits_current. {WENT_ON}")


def test_a_fault_of_a_try_that_a_later_one_got_past_is_suspected_only() -> None:
    loop = finding("loop_held", "normal", at=26.0, end=40.0)
    result = told(talked(1.0, 20.0), finding("precharge_not_reached", at=3.0), loop)
    assert result["precharge_not_reached"] == ("suspect", f"precharge_not_reached. {GOT_FURTHER}")


def test_a_try_begins_with_the_matching_that_leads_to_it() -> None:
    """A fault while the second try is still matching belongs to the second, not to what went wrong in the first."""
    record = talked(1.0, 30.0, runs=(0.5, 20.0))
    result = told(record, finding("precharge_not_reached", at=3.0), finding("slac_broke_off", at=22.0))
    assert result["precharge_not_reached"][0] == result["slac_broke_off"][0] == "fault"
    alone = told(
        talked(1.0, 30.0, runs=(0.5,)), finding("precharge_not_reached", at=3.0), finding("slac_broke_off", at=22.0)
    )
    assert alone["slac_broke_off"][0] == "note"


@pytest.mark.parametrize(("apart", "severity"), [(0.1, "fault"), (0.3, "note")])
def test_faults_of_a_bus_within_a_breath_are_one_event(apart: float, severity: str) -> None:
    found = within_a_record("bus", None, [finding("can_flag", at=5.0), finding("can_lock_opened", at=5.0 + apart)])
    assert [f.severity for f in found] == ["fault", severity]


@pytest.mark.parametrize(("after", "severity"), [(TAKES_WITH_IT_S - 0.01, "note"), (TAKES_WITH_IT_S + 0.01, "fault")])
def test_a_pilot_that_is_lost_takes_the_conversation_with_it_for_a_while(after: float, severity: str) -> None:
    lost, silent = finding("lost_first", at=10.0), finding("post_silent", at=10.0, end=10.0 + after)
    found = {f.code: f for f in within_a_scene([lost, silent], scene(CHARGING, talked(1.0)))}
    assert found["post_silent"].severity == severity
    assert (PILOT_FIRST in found["post_silent"].text) == (severity == "note")


def test_what_another_lane_tells_better_is_a_note_beside_it() -> None:
    rule = next(r for r in ALL if r.yields_to)
    lane = {"pilot": CHARGING, "frames": talked(1.0)}
    beside = next(record for key, record in lane.items() if key in rule.yields_to)
    alone = within_a_scene([finding(rule.code)], scene())
    with_it = within_a_scene([finding(rule.code)], scene(beside))
    assert (alone[0].severity, with_it[0].severity) == ("fault", "note")
