"""Roles of strangers' buses: named by many habits, or by words that mean nothing. What is not sure has no role."""

from __future__ import annotations

import random

import can
import pytest

from gladwire.benchmarks.dialects.buses import NAMES, proposed, written
from gladwire.core.can.names import read_names
from gladwire.core.findings import apply
from gladwire.core.lanes.bus.judges import story
from gladwire.core.lanes.bus.record import CanRecord, measure_can
from gladwire.core.lanes.bus.roles import BY_KEY, is_on
from gladwire.core.lanes.bus.rules import RULES, closed_at
from gladwire.core.lanes.records import Records
from gladwire.core.recognition.words import spoken_of
from gladwire.formats.can_logs import gather


@pytest.mark.parametrize("seed", range(8))
def test_the_roles_of_a_bus_with_names_are_all_found(seed: int) -> None:
    found, right, _ = proposed(seed, named=True)
    assert found == right


@pytest.mark.parametrize("seed", range(8))
def test_without_names_only_what_the_courses_leave_no_doubt_of_has_a_role(seed: int) -> None:
    found, right, _ = proposed(seed, named=False)
    assert {role: name for role, name in found.items() if right[role] != name} == {}
    assert set(found) >= {"pack_v", "inlet_v", "soc", "amps", "asked_a"}


@pytest.mark.parametrize(
    ("name", "speaks_of"),
    [
        ("EVSE_AvailCurrent", {"post", "most", "amps"}),
        ("DCLinkVolts", {"inlet", "volts"}),
        ("BMS_ILimit", {"vehicle", "amps", "most"}),
        ("ContactPos_Temp", {"pin", "plus", "warm", "position", "aside"}),
        ("VerriegelungStatus", {"lock"}),
        ("MinCellVolt", {"wrong", "else", "volts"}),
        ("Odometer", set()),
    ],
)
def test_names_come_apart_into_what_they_speak_of(name: str, speaks_of: set[str]) -> None:
    assert spoken_of(name) == speaks_of


def test_a_log_in_which_no_signal_is_known_as_current_says_so_and_asks() -> None:
    text, frames, _ = written(random.Random(3), named=False)
    quiet = text.replace('"A"', '""').replace('"a"', '""').replace('"Amps"', '""')
    record = measure_can(gather(frames, "can-log"), read_names(quiet, "stranger")).record
    assert record.of("amps") is None
    records = Records.of_all([record])
    assert "No signal of this log is known to be the current" in story(records, ())
    assert "Settle which signal" in story(records, ())


def test_every_role_of_the_factory_is_one_of_ours() -> None:
    assert set(NAMES) <= set(BY_KEY)


@pytest.mark.parametrize(
    ("name", "unit", "highest"),
    [("AuxBattVoltage", "V", 14.2), ("LV_Batt_U", "V", 13.8), ("BatteryVoltage", "V", 14.1), ("CellVoltage", "V", 4.1),
     ("LockMotorCurrent", "A", 3.5), ("HeaterCurrent", "A", 16.0), ("DCDC_I", "A", 40.0)],
)  # fmt: skip
def test_another_circuit_is_neither_the_pack_nor_the_charge(name: str, unit: str, highest: float) -> None:
    """A 12 V battery taken for the pack would tell of a live one that it is dead."""
    text = f'VERSION ""\nBU_: A\nBO_ 400 M: 8 A\n SG_ {name} : 0|16@1+ (0.1,0) [0|0] "{unit}" A\n'
    raw = [int(highest * 10 * min(n, 50) / 50) for n in range(100)]
    frames = [
        can.Message(timestamp=1.79e9 + n / 10, arbitration_id=400, is_extended_id=False, data=v.to_bytes(8, "little"))
        for n, v in enumerate(raw)
    ]
    record = measure_can(gather(frames, "can-log"), read_names(text, "stranger")).record
    assert [s.role for s in record.signals] == [""]


@pytest.mark.parametrize("seed", range(12))
def test_states_are_read_by_their_words_in_any_language(seed: int) -> None:
    """Where 0 is “geschlossen”, the contactors are closed at 0; a word nobody knows is the opposite of the other."""
    for named in (True, False):
        _, _, record = proposed(seed, named)
        contactor, lock = record.of("contactor"), record.of("lock")
        if contactor:
            assert closed_at(record) == pytest.approx(record.start_s + 18.0, abs=0.6)
        if lock:
            assert lock.exchanges(True) == pytest.approx(record.start_s + 4.1, abs=0.6)


@pytest.mark.parametrize(
    ("role", "choices", "on"),
    [
        ("contactor", {0: "geschlossen", 1: "offen"}, 0), ("contactor", {0: "Ouvert", 1: "Fermé"}, 1),
        ("contactor", {0: "A", 1: "Closed"}, 1), ("contactor", {0: "Open", 1: "B"}, 1), ("contactor", {0: "A", 1: "B"}, 1),
        ("lock", {0: "ikke låst", 1: "låst"}, 1), ("lock", {0: "Vergrendeld", 1: "Ontgrendeld"}, 0),
        ("plug", {0: "nicht gesteckt", 1: "gesteckt"}, 1), ("enabled", {1: "ja", 0: "nein"}, 1),
        ("contactor_open", {0: "Closed", 1: "Open"}, 1),
    ],
)  # fmt: skip
def test_words_of_values(role: str, choices: dict[int, str], on: int) -> None:
    assert [is_on(role, float(v), choices) for v in (0, 1)] == [on == 0, on == 1]


def test_roles_come_with_what_speaks_for_them() -> None:
    _, _, record = proposed(3, named=True)
    why = {s.role: s.why for s in record.signals}
    assert "its name" in why["pack_v"]
    assert "follows" in why["amps"]
    assert "agrees with" in why["inlet_v"]
    assert "stands above" in why["post_max_a"]
    assert "current begins" in why["contactor"]
    assert "before" in why["lock"]


def test_where_names_mean_nothing_what_may_be_is_proposed_and_not_used() -> None:
    _, right, record = proposed(3, named=False)
    by_name = {s.name: s for s in record.signals}
    assert by_name[right["asked_v"]].proposed == "asked_v"
    assert record.of("asked_v") is None
    for role in ("post_max_a", "vehicle_max_a"):
        seen = by_name[right[role]]
        assert (seen.role, seen.proposed) == ("", "")
        assert "a limit of the post or of the vehicle" in seen.why


def test_a_contactor_is_told_without_a_name_only_by_three_relations() -> None:
    """Its step, the inlet that stands at the pack's volts, current within it alone, and volts that fall after it."""
    found = [proposed(seed, named=False) for seed in range(12)]
    told = [(roles["contactor"], right["contactor"]) for roles, right, _ in found if "contactor" in roles]
    assert len(told) > 6
    assert all(role == name for role, name in told)


def state_log(words: str, values: list[int], unit: str = "") -> CanRecord:
    signal = f' SG_ ChargeState : 0|8@1+ (1,0) [0|0] "{unit}" A'
    text = f'VERSION ""\nBU_: A\nBO_ 400 M: 8 A\n{signal}\n\nVAL_ 400 ChargeState {words} ;\n'
    frames = [
        can.Message(timestamp=1.79e9 + n / 10, arbitration_id=400, is_extended_id=False, data=v.to_bytes(8, "little"))
        for n, v in enumerate(values)
    ]
    return measure_can(gather(frames, "can-log"), read_names(text, "stranger")).record


def test_a_controller_s_own_states_are_told_in_order() -> None:
    words = '0 "Idle" 1 "Handshake" 2 "Precharge" 3 "Charging" 4 "Fault"'
    record = state_log(words, [0] * 20 + [1] * 10 + [2] * 10 + [3] * 50 + [4] * 10)
    assert [s.role for s in record.signals] == ["state"]
    text = next(f.text for f in apply(RULES, record) if f.code == "can_states")
    assert (
        "“Idle” at 0.00 s, “Handshake” at 2.00 s, “Precharge” at 3.00 s, “Charging” at 4.00 s, “Fault” at 9.00 s"
        in text
    )


def test_two_words_make_no_enumeration() -> None:
    assert [s.role for s in state_log('0 "Idle" 1 "Charging"', [0] * 20 + [1] * 20).signals] != ["state"]


@pytest.mark.parametrize(("driver", "post", "told"), [(32.0, 100.0, True), (32.0, 33.0, False), (60.0, 100.0, False)])
def test_current_at_the_driver_s_own_limit_is_a_setting_and_no_fault(driver: float, post: float, told: bool) -> None:
    names = {"ChgCurrent": 32.0, "DriverCurrentLimit": driver, "EVSE_MaxCurrent": post, "BMS_MaxCurrent": 120.0}
    lines = [f' SG_ {name} : {16 * n}|16@1+ (0.1,0) [0|0] "A" A' for n, name in enumerate(names)]
    text = "\n".join(['VERSION ""', "BU_: A", "BO_ 400 M: 8 A", *lines, ""])
    frames = []
    for n in range(600):
        raw = [0 if name == "ChgCurrent" and n < 50 else round(10 * value) for name, value in names.items()]
        data = b"".join(v.to_bytes(2, "little") for v in raw)
        frames.append(can.Message(timestamp=1.79e9 + n / 10, arbitration_id=400, is_extended_id=False, data=data))
    record = measure_can(gather(frames, "can-log"), read_names(text, "stranger")).record
    assert {s.role for s in record.signals} == {"amps", "driver_max_a", "post_max_a", "vehicle_max_a"}
    assert ("can_driver_limit" in {f.code for f in apply(RULES, record)}) == told
