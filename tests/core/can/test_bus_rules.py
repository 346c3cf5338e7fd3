"""Rules of a bus over courses written by hand: thresholds from both sides, and what is not known is not claimed.

Limits: IEC 61851-23 from memory of the standard (20 V before contactors close, under 5 A before they open); times and
temperatures are common practice without a source.
"""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from gladwire.core.findings import Finding, apply
from gladwire.core.lanes.bus.judges import JUDGES
from gladwire.core.lanes.bus.record import CanRecord, Course, Flag, MessageSeen
from gladwire.core.lanes.bus.roles import BY_KEY
from gladwire.core.lanes.bus.rules import RULES, closed_at, flowing, opened_at, stage_at
from gladwire.core.lanes.records import Records
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.spine import CAN_SPINE, DC_SPINE, spine_of
from gladwire.core.session.verdict import verdict_sentence
from gladwire.web.charts.bus import sequence_of

END_S = 60.0


def course(role: str, *steps: tuple[float, float], end_s: float = END_S) -> Course:
    times, values = zip(*steps, strict=True)
    return Course(role=role, signal=f"M.{role}", unit=BY_KEY[role].unit, moves=times, values=values, end_s=end_s)


def record(*courses: Course, **more: object) -> CanRecord:
    return CanRecord(start_s=0.0, end_s=END_S, frames=1000, description="test", courses=courses, **more)  # type: ignore[arg-type]


def found(seen: CanRecord, *severities: str) -> dict[str, Finding]:
    return {f.code: f for f in apply(RULES, seen) if not severities or f.severity in severities}


def volts(pack: float, inlet: float) -> tuple[Course, Course]:
    """Both sides as they stand from 9 s on, when contactors close at 10 s; the inlet dead before."""
    return course("pack_v", (0.0, pack)), course("inlet_v", (0.0, 0.0), (9.0, inlet))


CLOSED = course("contactor", (0.0, 0.0), (10.0, 1.0), (50.0, 0.0))


@pytest.mark.parametrize(("inlet", "code"), [(381.0, "can_closed"), (379.0, "can_closed_apart")])
def test_both_sides_within_twenty_volts_when_contactors_close(inlet: float, code: str) -> None:
    told = found(record(CLOSED, *volts(400.0, inlet)))
    assert code in told
    assert ({"can_closed", "can_closed_apart"} - {code}).isdisjoint(told)


@pytest.mark.parametrize(("amps", "told"), [(4.5, False), (5.5, True), (-40.0, True)])
def test_contactors_that_open_under_current(amps: float, told: bool) -> None:
    seen = record(CLOSED, course("amps", (0.0, 0.0), (12.0, amps), (50.5, 0.0)))
    assert ("can_opened_loaded" in found(seen)) == told


def test_contactors_told_by_being_open_are_understood() -> None:
    seen = record(course("contactor_open", (0.0, 1.0), (10.0, 0.0), (50.0, 1.0)))
    assert (closed_at(seen), opened_at(seen)) == (10.0, 50.0)
    assert closed_at(record(course("amps", (0.0, 0.0)))) is None


def test_a_pre_charge_that_ends_nowhere() -> None:
    seen = record(course("precharge", (0.0, 0.0), (5.0, 1.0), (17.0, 0.0)), *volts(400.0, 210.0))
    assert "with 210 V reached" in found(seen)["can_closed_apart"].text
    short = record(course("precharge", (0.0, 0.0), (55.0, 1.0)), *volts(400.0, 210.0))
    assert "can_closed_apart" not in found(short)


def test_sides_that_are_swapped_and_sides_that_only_look_so() -> None:
    swapped = record(CLOSED, course("pack_v", (0.0, 0.0), (10.0, 390.0)), course("inlet_v", (0.0, 390.0)))
    assert "can_sides_swapped" in found(swapped, "fault")
    # A log that begins with the contactors closed knows nothing of before.
    late = record(course("contactor", (0.0, 1.0)), course("pack_v", (0.0, 390.0)), course("inlet_v", (0.0, 390.0)))
    assert not found(late, "fault")


def test_a_contactor_without_effect() -> None:
    seen = record(CLOSED, course("pack_v", (0.0, 400.0)), course("inlet_v", (0.0, 0.0), (9.0, 395.0), (10.5, 120.0)))
    told = found(seen, "fault")["can_no_effect"]
    assert told.measured == "280 V apart"


@pytest.mark.parametrize(
    ("values", "code"),
    [
        ((30.0, 79.0), ""),
        ((30.0, 80.0), "can_pin_hot"),
        ((30.0, 205.0), "can_pin_sensor"),
        ((30.0, -50.0), "can_pin_sensor"),
    ],
)
def test_pin_temperatures(values: Sequence[float], code: str) -> None:
    told = found(record(course("pin_1_c", (0.0, values[0]), (20.0, values[1]))))
    assert {c for c in told if c.startswith("can_pin")} == ({code} if code else set())


def test_a_lock_that_was_open_and_one_that_opened() -> None:
    assert "can_lock_open" in found(record(CLOSED, course("lock", (0.0, 0.0), (11.0, 1.0))), "fault")
    assert "can_locked" in found(record(CLOSED, course("lock", (0.0, 0.0), (8.0, 1.0))))
    flows = course("amps", (0.0, 0.0), (12.0, 80.0), (49.0, 0.0))
    slips = record(CLOSED, flows, course("lock", (0.0, 0.0), (8.0, 1.0), (30.0, 0.0)))
    assert found(slips, "fault")["can_lock_opened"].start_s == 30.0
    after = record(CLOSED, flows, course("lock", (0.0, 0.0), (8.0, 1.0), (55.0, 0.0)))
    assert "can_lock_opened" not in found(after)


def test_a_battery_manager_that_asks_nothing_needs_twenty_seconds_of_a_plug() -> None:
    asked = course("asked_a", (0.0, 0.0))
    assert "can_asks_nothing" in found(record(asked, course("plug", (0.0, 0.0), (5.0, 1.0))))
    assert "can_asks_nothing" not in found(record(asked, course("plug", (0.0, 0.0), (45.0, 1.0))))
    assert "can_asks_nothing" not in found(record(course("asked_a", (0.0, 0.0), (50.0, 10.0))))


def message(name: str, sender: str, gap_s: float, at_s: float, cycle_s: float = 0.1, count: int = 500) -> MessageSeen:
    return MessageSeen(identifier=name, name=name, sender=sender, count=count, cycle_s=cycle_s, first_at_s=0.0,
                       last_at_s=END_S - gap_s, gap_s=gap_s, gap_at_s=at_s)  # fmt: skip


def test_messages_that_stay_away_are_told_by_sender_and_weighed_by_what_flowed() -> None:
    flows = course("amps", (0.0, 0.0), (12.0, 80.0))
    gone = (message("A", "Battery", 20.0, 40.0), message("B", "Battery", 20.1, 39.9), message("C", "Inlet", 0.4, 3.0))
    told = found(record(flows, messages=gone))["can_message_missing"]
    assert (told.severity, told.start_s) == ("fault", 40.0)
    assert "Battery (B, A)" in told.text
    idle = found(record(course("amps", (0.0, 0.0)), messages=gone))["can_message_missing"]
    assert idle.severity == "note"
    hole = (message("A", "Battery", 3.0, 20.0),)
    assert found(record(flows, messages=hole))["can_message_missing"].severity == "fault"
    rare = (message("A", "Battery", 30.0, 20.0, cycle_s=8.0, count=7),)
    assert "can_message_missing" not in found(record(flows, messages=rare))


def test_a_connector_of_which_one_side_is_heard() -> None:
    one = record(kind="connector", messages=(message("A", "Post", 0.2, 1.0),))
    assert "can_one_side" in found(one, "fault")
    both = record(kind="connector", messages=(message("A", "Post", 0.2, 1.0), message("B", "Vehicle", 0.2, 1.0)))
    assert "can_one_side" not in found(both)
    assert "can_one_side" not in found(record(messages=(message("A", "Inlet", 0.2, 1.0),)))


def test_flags_belong_to_the_stage_the_log_had_come_to() -> None:
    pre = course("precharge", (0.0, 0.0), (8.0, 1.0), (10.2, 0.0))
    flows = course("amps", (0.0, 0.0), (12.0, 80.0), (48.0, 0.0))
    seen = record(CLOSED, pre, flows)
    assert [stage_at(seen, t) for t in (3.0, 9.0, 11.0, 30.0, 55.0)] == [
        "parameters",
        "precharge",
        "ramp",
        "hold",
        "end",
    ]
    flag = Flag(name="M.OverVoltage", sender="Battery", start_s=9.0, end_s=60.0, word="1")
    told = found(record(CLOSED, pre, flows, flags=(flag,)))["can_flag"]
    assert (told.stage, told.text) == ("precharge", "Battery reports OverVoltage at 9.00 s.")


def test_current_that_dips_for_a_moment_is_one_flow() -> None:
    seen = record(course("amps", (0.0, 0.0), (10.0, 90.0), (20.0, 0.0), (20.4, 90.0), (30.0, 0.0), (40.0, -50.0)))
    assert flowing(seen) == [(10.0, 30.0), (40.0, 60.0)]


def test_error_frames_are_weighed_by_their_share() -> None:
    assert found(record(errors=5))["can_errors"].severity == "note"
    assert found(record(errors=50))["can_errors"].severity == "suspect"
    assert "can_errors" not in found(record())


def test_the_spine_follows_whose_bus_it_is_and_stages_are_left_open_without_roles() -> None:
    controller, connector = Scene(Records.of_all([record()])), Scene(Records.of_all([record(kind="connector")]))
    assert (spine_of(controller), spine_of(connector)) == (DC_SPINE, CAN_SPINE)
    assert all(judge(controller.records, ()) is None for judge in JUDGES.values())


def test_the_sequence_is_drawn_within_its_box_whatever_the_log_holds() -> None:
    assert sequence_of(record(course("amps", (0.0, 0.0)))) is None
    lamp = course("lamp", *((0.1 * n, float(n % 3)) for n in range(599)))
    drawn = sequence_of(record(lamp, CLOSED, *volts(400.0, 395.0)))
    assert drawn is not None
    assert len(drawn.rows) == 2
    for row in drawn.rows:
        assert all(drawn.left <= b.x and b.x + b.width <= drawn.width for b in row.bars)
    assert len(drawn.volts) == 2
    short = CanRecord(start_s=0.0, end_s=0.0, frames=1, courses=(course("plug", (0.0, 1.0), end_s=0.0),))
    assert sequence_of(short) is not None


@pytest.mark.parametrize(
    ("role", "words", "holds"),
    [
        ("contactor", {0: "Open", 1: "Closing", 2: "Closed", 3: "Fault"}, [False, False, True, False]),
        ("contactor", {0: "closed", 1: "open"}, [True, False]),
        ("contactor_open", {0: "closed", 1: "open"}, [False, True]),
        ("lock", {0: "unlocked", 1: "locked", 3: "SNA"}, [False, True, False, False]),
        ("plug", {0: "not connected", 1: "connected", 2: "error"}, [False, True, False]),
        ("enabled", {0: "disabled", 1: "enabled"}, [False, True]),
        ("hv_present", {}, [False, True, True]),
        ("", {0: "no fault", 1: "fault", 2: "pin sensor", 3: "OK"}, [False, True, True, False]),
        ("lamp", {0: "off", 1: "white, waits", 4: "red, fault"}, [False, True, True, True, True]),
    ],
)
def test_states_hold_by_their_own_words_where_a_description_has_them(
    role: str, words: dict[int, str], holds: list[bool]
) -> None:
    """Value 2 of a lock without a word for it, say, is judged by its words' absence: a number from 1 on is on."""
    seen = Course(role=role, signal="M.x", unit="", moves=(0.0,), values=(0.0,), end_s=1.0, choices=words)
    told = [seen.on(float(n)) for n in range(len(holds)) if n in words or not words]
    assert told == [h for n, h in enumerate(holds) if n in words or not words]


def test_contactors_of_three_states_close_when_they_say_so() -> None:
    steps = ((0.0, 0.0), (9.0, 1.0), (10.0, 2.0), (50.0, 0.0))
    three = course("contactor", *steps).model_copy(update={"choices": {0: "open", 1: "closing", 2: "closed"}})
    assert (closed_at(record(three)), opened_at(record(three))) == (10.0, 50.0)
    assert [c for c in found(record(three, *volts(400.0, 390.0))) if c.startswith("can_closed")] == ["can_closed"]


@pytest.mark.parametrize(("opens", "told"), [(32.9, False), (33.1, True), (END_S, True)])
def test_a_post_that_stopped_while_the_controller_holds_its_contactors_closed_is_a_danger(
    opens: float, told: bool
) -> None:
    """Pack voltage stands at the inlet: the text names it, and no way to it that skips the proof of open contactors."""
    seen = record(
        course("contactor", (0.0, 0.0), (10.0, 1.0), (opens, 0.0)),
        course("inlet_v", (0.0, 0.0), (9.0, 398.0)),
        course("asked_a", (0.0, 80.0)),
        course("post_max_a", (0.0, 125.0), (30.0, 0.0)),
        course("amps", (0.0, 0.0), (12.0, 80.0), (30.0, 0.0)),
    )
    finding = found(seen, "fault").get("can_post_gone")
    assert (finding is not None) == told
    if finding:
        assert "398 V of the pack stand at the inlet" in finding.text
        assert "The lock holds rightly" in finding.text
        assert finding.text.index("under 60 V") < finding.text.index("manual release")
        assert verdict_sentence(Scene(Records.of_all([seen])), (finding,)).startswith(finding.text)


def test_a_vehicle_that_stopped_asking_left_no_danger() -> None:
    seen = record(
        course("contactor", (0.0, 0.0), (10.0, 1.0)),
        course("asked_a", (0.0, 80.0), (30.5, 0.0)),
        course("amps", (0.0, 0.0), (12.0, 80.0), (30.0, 0.0)),
    )
    assert "can_post_gone" not in found(seen)


@pytest.mark.parametrize(("given", "told"), [(73.0, True), (76.0, False)])
def test_less_than_asked_and_allowed_is_told_from_a_fifth_and_five_amperes_on(given: float, told: bool) -> None:
    """Of 98 A both allow, 0.8 × 98 − 5 = 73.4 A."""
    seen = record(
        course("contactor", (0.0, 0.0), (10.0, 1.0), (50.0, 0.0)),
        course("asked_a", (0.0, 98.0)),
        course("post_max_a", (0.0, 125.0)),
        course("amps", (0.0, 0.0), (12.0, given), (48.0, 0.0)),
    )
    assert ("can_gives_less" in found(seen)) == told
