"""What rules say: the numbers in their sentences, and which of two things they say at an edge."""

from __future__ import annotations

import pytest

from gladwire.core.findings import Finding, apply
from gladwire.core.lanes.bus.record import CanRecord, Course
from gladwire.core.lanes.bus.rules import RULES as BUS
from gladwire.core.lanes.bus.rules import stage_at
from gladwire.core.lanes.contactor.record import Closing, ContactorRecord
from gladwire.core.lanes.contactor.rules import RULES as CONTACTOR
from gladwire.core.lanes.contactor.rules import Switching
from gladwire.core.lanes.mains.record import MainsRecord, Span
from gladwire.core.lanes.mains.rules import RULES as MAINS
from gladwire.core.lanes.mains.subject import Ac
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.lanes.pilot.rules import RULES as PILOT
from gladwire.core.lanes.proximity.record import ProximityRecord, ProximitySegment, ProximityState
from gladwire.core.lanes.proximity.rules import RULES as PROXIMITY
from gladwire.core.moments import Clock, on_clock
from tests.core.records import ASK, course, span, stays


def said(record: PilotRecord) -> dict[str, Finding]:
    return {f.code: f for f in apply(PILOT, record)}


def changed(record: PilotRecord, number: int, **values: object) -> PilotRecord:
    segments = list(record.segments)
    segments[number] = segments[number].model_copy(update=values)
    return record.model_copy(update={"segments": tuple(segments)})


def unknown(high_v: float, nearest: str, lasts: float = 2.0) -> PilotRecord:
    """A waits, then a level that is no state."""
    record = stays(("A1", 1.0), ("B1", lasts))
    return changed(record, 1, state="unknown", nearest=nearest, high_v=high_v)


@pytest.mark.parametrize(
    ("volts", "nearest", "words"),
    [
        (7.6, "C", "lies between the states: 0.60 V outside C, the nearest"),
        (13.4, "A", "is beyond every state: 0.40 V outside A"),
        (-13.5, "F", "is beyond every state: 0.50 V outside F"),
    ],
)
def test_a_level_that_is_no_state_is_placed(volts: float, nearest: str, words: str) -> None:
    finding = said(unknown(volts, nearest))["pilot_level_between_states"]
    assert words in finding.text
    assert finding.expected.endswith(f"for {nearest}")


def test_a_level_too_low_names_the_leak_and_one_too_high_the_series_resistance() -> None:
    low = said(unknown(7.7, "B"))["pilot_level_between_states"].text
    high = said(unknown(7.6, "C"))["pilot_level_between_states"].text
    assert "in series with CP or PE would lift C this far" in high
    assert "would lift C" in low or "from CP to PE would pull B down" in low


@pytest.mark.parametrize(
    ("doubt", "words"), [(0.05, "26.60 % ± 0.05 %"), (0.001, "26.60 % ± 0.01 %"), (0.4, "26.6 % ± 0.4 %")]
)
def test_a_duty_is_told_with_as_many_digits_as_its_doubt_leaves(doubt: float, words: str) -> None:
    assert said(stays(("B2", 2.0), duty_doubt_percent=doubt))["offer"].measured == words


def test_an_offer_is_told_in_amperes() -> None:
    finding = said(stays(("B2", 2.0)))["offer"]
    assert "The post offers 16 A (26.60 ± 0.01 %)" in finding.text
    assert finding.severity == "normal"


def test_a_changed_offer_says_from_what_to_what() -> None:
    record = stays(("B2", 2.0), ("C2", 3.0), ("C2", 3.0))
    lower = changed(record, 2, duty_percent=10.0, advertised_current_a=6.0)
    finding = said(lower)["offer_changed"]
    assert (finding.expected, finding.measured) == ("16.0 A", "6.0 A")
    to_digital = changed(record, 2, duty_percent=5.0, advertised_current_a=None, offer_kind="digital")
    assert said(to_digital)["offer_changed"].measured.startswith("5.0")
    assert "offer_changed" not in said(record)


@pytest.mark.parametrize(
    ("duty", "doubt", "code"),
    [
        (98.5, 0.1, "duty_forbidden"),
        (98.5, 3.0, "duty_at_the_edge"),
        (2.0, 0.1, "duty_forbidden"),
        (7.85, 0.01, "duty_at_the_edge"),
        (7.75, 0.01, "duty_forbidden"),
    ],
)
def test_a_forbidden_duty_is_a_fault_only_where_doubt_and_finite_edges_leave_it_one(
    duty: float, doubt: float, code: str
) -> None:
    record = stays(
        ("B2", 2.0), duty_percent=duty, duty_doubt_percent=doubt, offer_kind="none", advertised_current_a=None
    )
    found = said(record)
    assert {"duty_forbidden", "duty_at_the_edge"} & set(found) == {code}
    assert found[code].severity == ("fault" if code == "duty_forbidden" else "note")


def test_the_duty_known_worst_is_the_one_told_with_the_samples_to_its_cycle() -> None:
    record = stays(("B2", 2.0), ("C2", 3.0), duty_doubt_percent=2.0)
    worst = changed(record, 1, duty_doubt_percent=4.0, duty_percent=40.0, advertised_current_a=24.0)
    worst = worst.model_copy(update={"rate_hz": 25_000.0})
    finding = said(worst)["duty_doubtful"]
    assert "At 25 kS/s there are 25 samples to the cycle" in finding.text
    assert "± 4.0 % only" in finding.text
    assert finding.measured == "± 4.0 %"
    assert "duty_doubtful" not in said(stays(("B2", 2.0), duty_doubt_percent=0.5))


def test_the_offer_with_the_most_cycles_speaks_for_its_duty() -> None:
    record = stays(("B2", 1.0), ("C2", 3.0))
    record = changed(record, 1, cycles=900, duty_percent=26.62)
    assert said(record)["offer"].start_s == 1.0
    record = changed(record, 1, cycles=50)
    assert said(record)["offer"].start_s == 0.0


def test_nothing_connected_is_a_steady_a_and_nothing_else() -> None:
    assert said(stays(("A1", 5.0)))["nothing_connected"].severity == "note"
    assert "nothing_connected" not in said(stays(("A1", 5.0), ("B1", 1.0)))
    assert "nothing_connected" not in said(stays(("A2", 5.0)))


def test_a_level_lost_while_asking_needs_a_level() -> None:
    record = stays(("B2", 1.0), ("C2", 3.0), ("D1", 3.0))
    lost = changed(record, 2, state="unknown", nearest="D", high_v=4.6)
    assert "the level left its band for 4.60 V at 4.00 s" in said(lost)["pilot_lost_while_asking"].text
    none = changed(record, 2, state="unknown", nearest="unknown", high_v=1.0)
    assert "pilot_lost_while_asking" not in said(none)


def test_a_source_as_low_with_nothing_connected_is_not_the_vehicle() -> None:
    lifted = stays(("A2", 1.0), ("B2", 2.0), low_v=-9.0)
    assert "low_side_pulled_up" not in said(lifted)
    vehicle = changed(stays(("A2", 1.0), ("B2", 2.0)), 1, low_v=-9.0)
    finding = said(vehicle)["low_side_pulled_up"]
    assert "mirrors the high side" in finding.text
    partly = changed(stays(("B2", 2.0)), 0, low_v=-4.0)
    assert "low_side_pulled_up" not in said(partly)
    assert "mirrors no high side" in said(partly)["low_side_partly_up"].text


def switching(closings: tuple[Closing, ...], start: float = 0.0, end: float = 26.0) -> dict[str, Finding]:
    line = ContactorRecord(start_s=start, end_s=end, channel="K1", switched=True, closings=closings)
    return {f.code: f for f in apply(CONTACTOR, Switching(ASK, line))}


def test_a_contactor_is_said_to_stay_open_only_where_all_the_asking_was_seen() -> None:
    assert "contactor_not_driven" in switching(())
    assert "contactor_not_driven" not in switching((), start=3.0)
    assert "contactor_not_driven" not in switching((), end=20.0)
    assert "contactor_not_driven" not in switching((Closing(start_s=5.0, end_s=22.0),))


@pytest.mark.parametrize(
    ("at", "words"), [(1.98, "closes 0 µs after"), (2.4, "closes 400 ms after"), (3.5, "closes 1.5 s after")]
)
def test_how_long_a_contactor_takes_is_told(at: float, words: str) -> None:
    found = switching((Closing(start_s=at, end_s=22.05),))
    assert words in found["contactor_closes"].text
    assert found["contactor_closes"].severity == "normal"


def pressed(*states: ProximityState) -> dict[str, Finding]:
    parts = [
        ProximitySegment(start_s=float(n), end_s=n + 1.0, value=2.77, unit="V", state=state, meaning="m")
        for n, state in enumerate(states)
    ]
    record = ProximityRecord(start_s=0.0, end_s=float(len(parts)), channel="PP", segments=tuple(parts))
    return {f.code: f for f in apply(PROXIMITY, record)}


def test_a_latch_pressed_on_the_way_in_or_out_is_how_a_plug_is_handled() -> None:
    assert "latch_pressed" not in pressed("absent", "pressed", "latched")
    assert "latch_pressed" not in pressed("latched", "pressed", "absent")
    assert "at 1.00 s for 1.0 s" in pressed("latched", "pressed", "latched")["latch_pressed"].text
    assert "latch_pressed" in pressed("latched", "pressed")


def test_segments_of_the_helper_are_what_they_say() -> None:
    """The helper's pilot is a healthy one: no rule finds fault with it."""
    record = stays(("A1", 1.0), ("B1", 1.0), ("B2", 1.0), ("C2", 5.0), ("B2", 1.0), ("B1", 1.0), ("A1", 1.0))
    assert isinstance(record.segments[0], Segment)
    assert {f.severity for f in apply(PILOT, record)} == {"normal"}


def on_bus(*courses: Course, end: float = 60.0) -> dict[str, Finding]:
    return {f.code: f for f in apply(BUS, CanRecord(start_s=0.0, end_s=end, frames=9, courses=courses))}


def test_a_pre_charge_that_never_ends_is_told_with_its_length_and_the_volts_reached() -> None:
    pre, inlet = (
        course("precharge", "", (0.0, 0.0), (5.0, 1.0), (17.0, 0.0)),
        course("inlet_v", "V", (0.0, 0.0), (16.0, 210.0)),
    )
    assert "was on for 12.0 s" in on_bus(pre)["can_closed_apart"].text
    assert "with 210 V reached" in on_bus(pre, inlet)["can_closed_apart"].text


def test_limits_over_the_bus_are_told_from_the_moment_something_is_offered() -> None:
    post, asked = course("post_max_a", "A", (0.0, 0.0), (8.0, 125.0)), course("asked_a", "A", (0.0, 0.0), (9.0, 110.0))
    finding = on_bus(post, asked)["can_limits"]
    assert (finding.start_s, finding.measured) == (8.0, "125 A")


@pytest.mark.parametrize(("asked", "folds"), [(80.0, True), (105.0, False)])
def test_a_request_that_falls_after_a_pin_got_hot_is_told_with_it(asked: float, folds: bool) -> None:
    pin = course("pin_1_c", "°C", (0.0, 30.0), (20.0, 82.0))
    wants = course("asked_a", "A", (0.0, 110.0), (30.0, asked), (58.0, 0.0))
    flows = course("amps", "A", (0.0, 0.0), (2.0, 110.0), (58.0, 0.0))
    text = on_bus(pin, wants, flows)["can_pin_hot"].text
    assert ("the request falls from 110 to 80 A" in text) == folds


def test_hunting_is_told_with_its_count_and_its_span() -> None:
    record = stays(("B2", 1.0), *[("C2", 1.0), ("B2", 1.0)] * 4)
    finding = said(record)["hunting"]
    assert "4 times in 7.0 s" in finding.text
    assert (finding.start_s, finding.end_s, finding.measured) == (1.0, 8.0, "4 requests")


def test_ventilation_is_told_from_the_first_to_the_last_time() -> None:
    finding = said(stays(("B2", 1.0), ("D2", 2.0), ("B2", 1.0), ("D2", 3.0)))["ventilation_asked"]
    assert (finding.start_s, finding.end_s) == (1.0, 7.0)


@pytest.mark.parametrize(("cycles", "told"), [(4, False), (5, True)])
def test_a_frequency_needs_five_cycles(cycles: int, told: bool) -> None:
    assert ("frequency_out" in said(stays(("B2", 2.0), cycles=cycles, frequency_hz=1100.0))) == told


def followed(first_a: float, then_a: float, after_s: float) -> dict[str, Finding]:
    """The offer falls from 16 to 6 A at 6 s; the vehicle draws first_a, and then_a from `after_s` later."""
    record = changed(stays(("B2", 1.0), ("C2", 5.0), ("C2", 20.0)), 2, duty_percent=10.0, advertised_current_a=6.0)
    levels = (
        Span(start_s=2.0, end_s=6.0 + after_s, rms=first_a, carried_by=("L1",), each=(first_a,)),
        Span(start_s=6.0 + after_s, end_s=26.0, rms=then_a, carried_by=("L1",), each=(then_a,)),
    )
    volts = (Span(start_s=1.5, end_s=26.0, rms=230.0, carried_by=("L1",), each=(230.0,)),)
    amps = (Span(start_s=2.0, end_s=26.0, rms=first_a, carried_by=("L1",), each=(first_a,)),)
    lane = MainsRecord(start_s=0.0, end_s=26.0, has_volts=True, has_amps=True, volts=volts, amps=amps, levels=levels)
    return {f.code: f for f in apply(MAINS, Ac(record, lane))}


def test_a_lower_offer_is_followed_in_time_too_late_or_never_had_to_be() -> None:
    in_time = followed(15.5, 6.0, 2.0)["offer_followed"]
    assert (in_time.severity, in_time.measured, in_time.start_s, in_time.end_s) == ("normal", "2.0 s", 6.0, 8.0)
    late = followed(15.5, 6.0, 6.0)
    assert "offer_followed" not in late
    assert late["current_over_offer"].severity == "fault"
    assert "offer_followed" not in followed(5.0, 4.0, 2.0)
    assert "offer_followed" not in followed(15.5, 12.0, 2.0)


def on_mains(pilot: PilotRecord, begins: float = 0.0, **spans: tuple[Span, ...]) -> list[Finding]:
    """What is found of mains beside a pilot, both beginning at a moment that is no zero."""
    values = {"has_volts": "volts" in spans, "has_amps": "amps" in spans, "amps": (), "levels": (), **spans}
    lane = MainsRecord(start_s=0.0, end_s=pilot.end_s, **values)  # type: ignore[arg-type]
    return list(apply(MAINS, Ac(on_clock(pilot, Clock(begins)), on_clock(lane, Clock(begins)))))


@pytest.mark.parametrize(("pause_s", "told"), [(0.0, True), (0.5, True), (0.51, False), (3.0, False)])
def test_a_level_after_a_pause_is_no_reduction(pause_s: float, told: bool) -> None:
    begins = 7.3
    levels = (span(4.0, 10.0, 15.5), span(10.0 + pause_s, 21.5, 9.0))
    found = on_mains(ASK, begins, volts=(span(2.3, 22.05, 231.0),), amps=levels, levels=levels)
    assert ("current_reduced" in {f.code for f in found}) == told


def test_each_request_is_held_against_its_own_mains() -> None:
    """The first had its mains before it asked, the second not: that is told of the second all the same."""
    twice = stays(("A1", 1), ("B2", 1), ("C2", 8), ("B2", 4), ("C2", 8), ("B2", 4))
    found = on_mains(twice, volts=(span(0.5, 10.05, 230.0), span(15.1, 22.05, 230.0)))
    assert [f.start_s for f in found if f.code == "mains_on"] == [15.1]


@pytest.mark.parametrize(("doubt", "told"), [(0.0, True), (2.0, True), (4.0, False)])
def test_a_duty_in_doubt_allows_what_its_upper_end_offers(doubt: float, told: bool) -> None:
    """26.6 % offers 16 A (IEC 61851-1, A.2: duty × 0.6 A); 30.6 % would offer 18.4 A."""
    pilot = stays(("A1", 1), ("B2", 1), ("C2", 20), ("B2", 4), duty_doubt_percent=doubt)
    flow = (span(4.0, 21.5, 19.4),)
    found = on_mains(pilot, volts=(span(2.3, 22.05, 231.0),), amps=flow, levels=flow)
    assert ("current_over_offer" in {f.code for f in found}) == told


@pytest.mark.parametrize(("opens", "told"), [(22.0, False), (23.0, False), (25.9, True)])
def test_a_line_closed_to_the_end_is_stuck_only_where_it_closed_before_the_request_ended(
    opens: float, told: bool
) -> None:
    closing = Closing(start_s=3.0, end_s=opens, until_end=True)
    assert ("contactor_stays_closed" in switching((closing,), end=opens + 0.1)) == told
    after = Closing(start_s=22.5, end_s=25.9, until_end=True)
    assert "contactor_stays_closed" not in switching((after,))


def test_every_forbidden_duty_is_looked_at() -> None:
    """A good offer before and after does not hide one between them."""
    record = stays(("B2", 1.0), ("B2", 1.0), ("B2", 1.0), ("B2", 1.0))
    wrong = {"duty_percent": 98.5, "offer_kind": "none", "advertised_current_a": None}
    record = changed(changed(record, 1, **wrong), 3, **{**wrong, "duty_percent": 2.0})
    assert [f.measured for f in apply(PILOT, record) if f.code == "duty_forbidden"] == [
        "98.50 % ± 0.01 %",
        "2.00 % ± 0.01 %",
    ]


def test_the_last_of_several_offers_keeps_its_best_cycles() -> None:
    record = stays(("B2", 1.0), ("B2", 1.0), ("C2", 1.0), ("C2", 1.0))
    lower = {"duty_percent": 10.0, "advertised_current_a": 6.0}
    record = changed(changed(changed(record, 0, cycles=500), 2, cycles=90, **lower), 3, cycles=200, **lower)
    told_of = [(f.start_s, f.measured) for f in apply(PILOT, record) if f.code == "offer"]
    assert told_of == [(0.0, "26.60 % ± 0.01 %"), (3.0, "10.00 % ± 0.01 %")]


@pytest.mark.parametrize(("cycles", "told"), [(1, False), (2, True)])
def test_an_offer_needs_two_cycles(cycles: int, told: bool) -> None:
    assert ("offer" in said(stays(("B2", 1.0), cycles=cycles))) == told


@pytest.mark.parametrize(("rest_s", "told"), [(0.0, True), (0.5, False), (0.9, False)])
def test_a_pilot_lost_for_half_a_second_is_told_only_at_the_very_end(rest_s: float, told: bool) -> None:
    parts = [("B2", 1.0), ("C2", 3.0), ("A2", 0.5)]
    record = stays(*parts, *([("C2", rest_s)] if rest_s else []))
    assert ("pilot_lost_while_asking" in said(record)) == told


@pytest.mark.parametrize(("begins", "told"), [(0.0, True), (500.0, True)])
def test_a_pilot_at_zero_throughout_is_so_wherever_its_clock_begins(begins: float, told: bool) -> None:
    record = on_clock(stays(("A1", 0.2), ("E1", 20.0)), Clock(begins))
    assert ("pilot_stuck_at_zero" in said(record)) == told


@pytest.mark.parametrize(("level", "nearest", "told"), [(1.4, "unknown", False), (7.6, "C", True)])
def test_a_level_near_no_state_is_placed_nowhere(level: float, nearest: str, told: bool) -> None:
    record = changed(stays(("A1", 1.0), ("B1", 2.0), ("C1", 2.0)), 1, state="unknown", nearest=nearest, high_v=level)
    assert ("pilot_level_between_states" in said(record)) == told


@pytest.mark.parametrize(("at", "stage"), [(12.9, "ramp"), (13.0, "hold"), (80.9, "hold"), (81.1, "end")])
def test_what_happens_within_a_second_of_the_current_belongs_to_it(at: float, stage: str) -> None:
    closed = course("contactor", "", (0.0, 0.0), (10.0, 1.0), (84.0, 0.0), end=100.0)
    flows_ = course("amps", "A", (0.0, 0.0), (13.0, 80.0), (40.0, 0.0), (60.0, 70.0), (80.0, 0.0), end=100.0)
    record = CanRecord(start_s=0.0, end_s=100.0, frames=9, courses=(closed, flows_))
    assert stage_at(record, at) == stage


@pytest.mark.parametrize(("falls_to", "told"), [(100.0, False), (99.0, True), (108.0, False)])
def test_a_request_has_to_fall_by_a_tenth_to_be_told_with_a_hot_pin(falls_to: float, told: bool) -> None:
    pin = course("pin_1_c", "°C", (0.0, 30.0), (20.0, 84.0))
    asked = course("asked_a", "A", (0.0, 110.0), (30.0, falls_to))
    flows_ = course("amps", "A", (0.0, 0.0), (12.0, 100.0))
    text = on_bus(pin, asked, flows_)["can_pin_hot"].text
    assert (f"falls from 110 to {falls_to:.0f} A" in text) == told
