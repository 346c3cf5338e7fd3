"""Roles of strangers' buses: named by many habits, or by words that mean nothing. What is not sure has no role."""

from __future__ import annotations

import random

import can
import pytest

from gladwire.benchmarks.dialects.buses import NAMES, proposed, written
from gladwire.core.can.names import read_names
from gladwire.core.lanes.bus.judges import story
from gladwire.core.lanes.bus.record import measure_can
from gladwire.core.lanes.bus.roles import BY_KEY
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
