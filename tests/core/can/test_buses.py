"""Retrofit controllers and connectors over CAN, judged blind to how their logs were made."""

from __future__ import annotations

import pytest

from gladwire.core.can.names import read_names
from gladwire.core.lanes.lane import Landmark
from gladwire.core.lanes.records import Records
from gladwire.core.moments import Clock, on_clock
from gladwire.core.session.alignment import by_events, landmarks_of
from gladwire.core.settled import Settled
from gladwire.core.supplements import Described, Supplements
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import bus
from tests.build import Analysis, take

OWN = Described(read_names(bus.dbc().decode(), "inlet controller"))


def judged(
    name: str, settled: Settled | None = None, supplements: Supplements | None = None, suffix: str = "log"
) -> Analysis:
    make = bus.retrofit if name in bus.RETROFITS else bus.connector
    read = read_capture(Source(make(name, suffix)))
    return take(read, settled, supplements or Supplements(described=(OWN,))).analysis


@pytest.mark.parametrize(
    ("name", "code", "stage", "outcome", "cause"),
    [
        ("swapped", "can_sides_swapped", "precharge", "failed_to_start", "sensing_wires_swapped"),
        ("no_close", "can_closed_apart", "precharge", "failed_to_start", "precharge_not_reached_inside"),
        ("asks_nothing", "can_asks_nothing", "parameters", "failed_to_start", "battery_messages_off"),
        ("pin_open", "can_pin_sensor", "hold", "dropped_out", "pin_sensor_open"),
        ("silent", "can_message_missing", "hold", "dropped_out", "battery_manager_lost"),
        ("lock_slips", "can_lock_opened", "hold", "dropped_out", "lock_opens_by_itself"),
        ("hot", "can_flag", "hold", "dropped_out", "controller_warns"),
        ("alone", "can_one_side", "link", "failed_to_start", "connector_bus_open"),
    ],
)
def test_what_broke_it_is_named_on_its_stage(name: str, code: str, stage: str, outcome: str, cause: str) -> None:
    analysis = judged(name)
    first = min((f for f in analysis.findings if f.severity == "fault"), key=lambda f: (f.start_s, f.code != code))
    assert (first.code, first.stage) == (code, stage)
    states = {s.stage: s.state for s in analysis.stages}
    assert states[stage] == "failed"
    assert analysis.outcome == outcome
    assert analysis.causes[0].code == cause


@pytest.mark.parametrize(
    ("name", "code", "cause"),
    [
        ("hot_pin", "can_pin_hot", "pin_contact_worn"),
        ("no_hv_line", "can_hv_line_off", "hv_line_not_wired"),
        ("stopped", "can_post_stopped", "post_stops_by_itself"),
    ],
)
def test_what_is_suspected_ends_nothing(name: str, code: str, cause: str) -> None:
    analysis = judged(name)
    assert not [f for f in analysis.findings if f.severity == "fault"]
    assert code in {f.code for f in analysis.findings if f.severity == "suspect"}
    assert analysis.causes[0].code == cause
    assert analysis.outcome == ("derated" if name == "hot_pin" else "charged")


@pytest.mark.parametrize(("name", "spine"), [("healthy", 15), ("whole", 10)])
@pytest.mark.parametrize("suffix", ["log", "asc", "blf", "trc"])
def test_healthy_logs_of_every_format_prove_their_own_stages(name: str, spine: int, suffix: str) -> None:
    analysis = judged(name, suffix=suffix)
    states = {s.stage: s.state for s in analysis.stages}
    assert len(states) == spine
    assert [states[s] for s in ("lock", "link", "parameters", "ramp", "hold", "end")] == ["proven"] * 6
    assert not [f for f in analysis.findings if f.severity in ("fault", "suspect")]
    assert analysis.outcome == "charged"


def test_settled_roles_and_descriptions_come_before_guesses() -> None:
    settled = Settled(signals={"pack_v": "INLET_Measured.InletVoltage", "inlet_v": "INLET_Measured.PackVoltage"})
    analysis = judged("swapped", settled)
    assert "can_sides_swapped" not in {f.code for f in analysis.findings}
    assert analysis.bus is not None
    roles = {s.role: s.name for s in analysis.bus.signals if s.role}
    assert (roles["pack_v"], roles["inlet_v"]) == ("INLET_Measured.InletVoltage", "INLET_Measured.PackVoltage")
    assert roles["amps"] == "INLET_Measured.ChargeCurrent"  # what is not settled is still guessed
    remembered = Described(OWN.names, {"amps": "INLET_Measured.ChargeCurrent"}, "Runa Holt")
    bus = judged("healthy", supplements=Supplements(described=(remembered,))).bus
    assert bus is not None
    assert bus.settled_by == "Runa Holt"
    assert [c.role for c in bus.courses] == ["amps"]


def test_a_lamp_that_goes_red_is_told_with_its_moment() -> None:
    found = next(f for f in judged("pin_open").findings if f.code == "can_lamp")
    assert (found.severity, found.measured, found.stage) == ("note", "red, fault", "hold")
    assert found.start_s == pytest.approx(48.0, abs=0.11)


def test_without_a_description_frames_are_counted_and_nothing_is_claimed() -> None:
    analysis = judged("healthy", supplements=Supplements())
    assert analysis.bus is not None
    assert (analysis.bus.description, len(analysis.bus.messages)) == ("", 6)
    assert {f.code for f in analysis.findings} == {"can_unnamed"}
    assert analysis.outcome == "unknown"


def test_a_log_cut_short_anywhere_calls_no_healthy_session_a_fault() -> None:
    whole = bus.retrofit("healthy").splitlines(keepends=True)
    for share in (0.05, 0.18, 0.22, 0.4, 0.7, 0.93):
        read = read_capture(Source(b"".join(whole[: int(share * len(whole))])))
        analysis = take(read, None, Supplements(described=(OWN,))).analysis
        assert not [f for f in analysis.findings if f.severity == "fault"], share


def test_a_bus_ties_to_the_conversation_by_contactors_and_switching() -> None:
    said = [Landmark(30.0, "switched on", 0.01), Landmark(95.0, "switched off", 0.01)]
    sent = [Landmark(9.7, "vehicle contactors close", 0.1), Landmark(76.0, "vehicle contactors open", 0.1)]
    placed = by_events(said, sent)
    assert placed is not None
    assert placed.offset_s == pytest.approx(20.0, abs=0.6)
    record = judged("healthy").bus
    assert record is not None
    kinds = {m.kind: m.time_s for m in landmarks_of(Records.of_all([record]))}
    assert set(kinds) == {"plug in", "lock moves", "vehicle contactors close", "vehicle contactors open"}
    assert kinds["vehicle contactors close"] == pytest.approx(16.9, abs=0.11)
    later = on_clock(record, Clock(100.0))
    assert later.of("plug") is not None
    assert later.courses[0].moves[0] == pytest.approx(record.courses[0].moves[0] + 100.0)
    assert later.messages[0].gap_at_s == pytest.approx(record.messages[0].gap_at_s + 100.0)
    assert later.messages[0].gap_s == record.messages[0].gap_s
