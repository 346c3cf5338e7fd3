"""Signals against cantools, logs against python-can: what they write and read must come out the same here."""

from __future__ import annotations

import contextlib
from pathlib import Path
from typing import Any

import can
import cantools
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.can.decode import decode
from gladwire.core.can.log import EXTENDED, CanLog, id_words
from gladwire.core.can.names import best_for, dbc_text, is_dbc, read_names, shipped
from gladwire.core.lanes.bus.record import measure_can
from gladwire.core.lanes.bus.roles import guess
from gladwire.core.lanes.bus.series import power_of_can
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import bus

SUFFIXES = ("log", "asc", "blf", "trc")


def log_of(rows: list[tuple[int, bytes]]) -> CanLog:
    width = 8 if all(len(d) <= 8 for _, d in rows) else 64
    return CanLog(
        time_s=np.arange(len(rows)) * 0.01,
        ids=np.array([i for i, _ in rows], dtype=np.int64),
        lengths=np.array([len(d) for _, d in rows], dtype=np.uint8),
        data=np.array([list(d.ljust(width, b"\0")) for _, d in rows], dtype=np.uint8),
        format="test",
    )


def dbc(signal: str, size: int = 8, key: int = 0x123) -> str:
    return f'VERSION ""\n\nBU_: A B\n\nBO_ {key} M: {size} A\n SG_ {signal} B\n'


@given(
    start=st.integers(0, 63),
    length=st.integers(1, 64),
    little=st.booleans(),
    signed=st.booleans(),
    scale=st.sampled_from([1.0, 0.1, 0.25, -2.0]),
    offset=st.sampled_from([0.0, -40.0, 400.0]),
    data=st.lists(st.binary(min_size=8, max_size=8), min_size=1, max_size=5),
)
@settings(deadline=None, max_examples=300)
def test_any_signal_is_what_cantools_reads(
    start: int, length: int, little: bool, signed: bool, scale: float, offset: float, data: list[bytes]
) -> None:
    text = dbc(f'S : {start}|{length}@{int(little)}{"-" if signed else "+"} ({scale},{offset}) [0|0] "V"')
    try:
        reference: Any = cantools.database.load_string(text, database_format="dbc", strict=True)
    except Exception:  # a signal that does not fit its message
        return
    tracks = decode(log_of([(0x123, d) for d in data]), read_names(text, "test"))
    expected = [float(reference.decode_message(0x123, d)["S"]) for d in data]
    assert tracks[0].values.tolist() == pytest.approx(expected, rel=1e-12, abs=1e-9)


@pytest.mark.parametrize(("kind", "bits"), [(1, 32), (2, 64)])
def test_floats_are_read(kind: int, bits: int) -> None:
    text = dbc(f'S : 0|{bits}@1- (1,0) [0|0] "V"') + f"\nSIG_VALTYPE_ 291 S : {kind};\n"
    reference: Any = cantools.database.load_string(text, database_format="dbc")
    data = reference.encode_message("M", {"S": -12.625})
    assert decode(log_of([(0x123, data)]), read_names(text, "t"))[0].values.tolist() == [-12.625]


def test_the_demo_s_log_is_read_as_cantools_reads_it_multiplexed_and_motorola_signals_too() -> None:
    database: Any = cantools.database.load_string(bus.dbc().decode(), database_format="dbc")
    log = read_capture(Source(bus.retrofit("hot_pin")))
    assert isinstance(log, CanLog)
    ours: dict[str, list[float]] = {t.name: t.values.tolist() for t in decode(log, read_names(bus.dbc().decode(), "d"))}
    theirs: dict[str, list[float]] = {}
    for key, size, row in zip(log.ids.tolist(), log.lengths.tolist(), log.data, strict=True):
        message = database.get_message_by_frame_id(key)
        for name, value in message.decode(row[:size].tobytes(), decode_choices=False).items():
            theirs.setdefault(f"{message.name}.{name}", []).append(float(value))
    assert set(ours) == set(theirs)
    for name, values in theirs.items():
        assert ours[name] == pytest.approx(values), name


@pytest.mark.parametrize("suffix", SUFFIXES)
def test_each_log_format_gives_back_what_python_can_wrote(tmp_path: Path, suffix: str) -> None:
    path = tmp_path / f"bus.{suffix}"
    sent = [
        can.Message(timestamp=1_794_303_600.0 + 0.013 * n, arbitration_id=0x18FF50E5 if n % 2 else 0x102,
                    is_extended_id=bool(n % 2), data=bytes([n % 256] * (n % 9)), channel=1)
        for n in range(200)
    ]  # fmt: skip
    with can.Logger(str(path)) as writer:
        for message in sent:
            writer.on_message_received(message)
    log = read_capture(Source(path))
    assert isinstance(log, CanLog)
    assert log.format == f"can-{suffix}"
    assert log.ids.tolist() == [m.arbitration_id | (EXTENDED if m.is_extended_id else 0) for m in sent]
    assert log.lengths.tolist() == [len(m.data) for m in sent]
    assert [bytes(r[:n]) for r, n in zip(log.data, log.lengths.tolist(), strict=True)] == [bytes(m.data) for m in sent]
    assert log.time_s.tolist() == pytest.approx([0.013 * n for n in range(200)], abs=2e-3)


def test_long_frames_error_frames_and_disorder_are_met() -> None:
    lines = [
        "(1794303600.100000) can0 123##1" + "11" * 48,
        "(1794303600.000000) can0 18FF50E5#0102030405060708",
        "(1794303600.200000) can0 20000080#0000000000000000",
    ]
    log = read_capture(Source("\n".join(lines).encode()))
    assert isinstance(log, CanLog)
    assert (log.data.shape, log.errors) == ((2, 64), 1)
    assert [id_words(int(k)) for k in log.ids] == ["18FF50E5x", "123"]
    assert any("out of order" in r for r in log.remarks)
    assert log.recorded_at.startswith("2026-11-10T09:40:00")


@given(st.data())
@settings(deadline=None, max_examples=60)
def test_damaged_logs_end_in_one_sentence_or_in_what_is_whole(data: st.DataObject) -> None:
    suffix = data.draw(st.sampled_from(SUFFIXES))
    raw = bytearray(_small(suffix))
    for _ in range(data.draw(st.integers(0, 5))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(1, len(raw)))
    with contextlib.suppress(UnreadableError):
        log = read_capture(Source(bytes(raw[:cut])))
        if isinstance(log, CanLog):
            decode(log, read_names(bus.dbc().decode(), "d"))


_SMALL: dict[str, bytes] = {}


def _small(suffix: str) -> bytes:
    if suffix not in _SMALL:
        plan = bus.RetrofitPlan(lasts_s=3.0)
        _SMALL[suffix] = bus.log(plan.play(), bus.dbc().decode(), suffix)
    return _SMALL[suffix]


def test_frames_too_short_for_a_signal_are_passed_by() -> None:
    text = dbc('S : 8|16@1+ (1,0) [0|0] ""')
    tracks = decode(log_of([(0x123, b"\1\2"), (0x123, b"\1\2\3\4")]), read_names(text, "t"))
    assert [(t.time_s.tolist(), t.values.tolist()) for t in tracks] == [([0.01], [0x0302])]


def test_descriptions_are_known_by_their_lines_and_bad_ones_refused() -> None:
    assert is_dbc(bus.dbc())
    assert not is_dbc(b"Time,CP\n0,1\n")
    with pytest.raises(ValueError, match="no description of a bus"):
        read_names("BO_ nonsense\n SG_", "bad")
    with pytest.raises(ValueError, match="names no message"):
        read_names('VERSION ""\n', "empty")


def test_a_log_is_named_by_the_description_that_covers_it() -> None:
    own = read_names(bus.dbc().decode(), "own")
    keys = [m.key for m in own.messages]
    assert best_for(keys, [*shipped(), own]) is own
    assert best_for([0x100, 0x101, 0x102, 0x108, 0x109, 0x7FF], [own, *shipped()]) is shipped()[0]
    assert best_for([0x7FF, 0x7FE], [own, *shipped()]) is None


def test_the_shipped_descriptions_place_what_their_standards_lay_down() -> None:
    """CHAdeMO: IEC 61851-24 Annex A. GB/T 27930-2015. From memory of both."""
    chademo, gbt = shipped()
    rows = [
        (0x102, bytes([2, 0x9A, 0x01, 90, 0b1000, 1, 55, 0])),
        (0x109, bytes([2, 0x64, 0x01, 88, 0, 0b101, 255, 12])),
    ]
    values = {t.name: t.values[0] for t in decode(log_of(rows), chademo)}
    assert (values["VehicleRequest.TargetBatteryVoltage"], values["VehicleRequest.RequestedCurrent"]) == (410, 90)
    assert (values["VehicleRequest.FaultHighTemperature"], values["VehicleRequest.ChargingEnabled"]) == (1, 1)
    assert (values["PostStatus.OutputVoltage"], values["PostStatus.OutputCurrent"]) == (356, 88)
    assert (values["PostStatus.Charging"], values["PostStatus.ConnectorLocked"]) == (1, 1)
    rows = [(0x181056F4 | EXTENDED, bytes([0x74, 0x0E, 0xD8, 0x0E, 2])), (0x1812F456 | EXTENDED, bytes(8))]
    values = {t.name: t.values[0] for t in decode(log_of(rows), gbt)}
    assert values["BCL.RequestedVoltage"] == pytest.approx(370.0)
    assert values["BCL.RequestedCurrent"] == pytest.approx(400.0 - 380.0)
    assert values["CCS.OutputCurrent"] == pytest.approx(400.0)


def test_roles_are_guessed_from_names_of_other_makers_too() -> None:
    signals = [
        ("BMS_1.bms_pack_voltage", "V", 16), ("BMS_1.BMS_PackCurrent", "A", 16), ("BMS_2.BMS_SOC", "%", 8),
        ("BMS_2.BMS_ChgCurrentRequest", "A", 16), ("VCU.MainContactorClosed", "", 1), ("VCU.PreChargeRelay", "", 1),
        ("VCU.ContactorFault", "", 1), ("INL.PortVoltage", "Volt", 16), ("INL.PlugDetected", "", 1),
        ("BMS_3.BattTempMax", "degC", 8), ("EVSE.EVSE_AvailableCurrent", "A", 16), ("X.enabledLed", "", 8),
    ]  # fmt: skip
    found = guess((name, unit, bits, 0) for name, unit, bits in signals)
    assert found["pack_v"] == "BMS_1.bms_pack_voltage"
    assert found["amps"] == "BMS_1.BMS_PackCurrent"
    assert (found["soc"], found["asked_a"]) == ("BMS_2.BMS_SOC", "BMS_2.BMS_ChgCurrentRequest")
    assert (found["contactor"], found["precharge"]) == ("VCU.MainContactorClosed", "VCU.PreChargeRelay")
    assert (found["inlet_v"], found["plug"]) == ("INL.PortVoltage", "INL.PlugDetected")
    assert (found["pack_c"], found["post_max_a"]) == ("BMS_3.BattTempMax", "EVSE.EVSE_AvailableCurrent")
    assert "VCU.ContactorFault" not in found.values()


def test_descriptions_in_the_windows_code_page_and_logs_as_printed_are_met() -> None:
    text = dbc('PinTemperature1 : 0|8@1+ (1,-40) [0|0] "\u00b0C"')
    names = read_names(dbc_text(text.encode("cp1252")), "t")
    assert names.messages[0].signals[0].unit == "\u00b0C"
    assert read_names(dbc_text(text.encode()), "t").messages == names.messages
    printed = " (1794303600.100000)  can0  123   [3]  41 02 03\n (1794303600.200000)  vcan0  18FF50E5   [1]  FF\n"
    log = read_capture(Source(printed.encode()))
    assert isinstance(log, CanLog)
    assert [id_words(int(k)) for k in log.ids] == ["123", "18FF50E5x"]
    assert decode(log, names)[0].values.tolist() == [25.0]


def test_a_battery_manager_that_counts_charging_as_negative_still_makes_a_power_record() -> None:
    text = dbc('PackVoltage : 0|16@1+ (0.1,0) [0|0] "V" B\n SG_ PackCurrent : 16|16@1- (0.1,0) [0|0] "A"')
    rows = [(0x123, (4000).to_bytes(2, "little") + (-800).to_bytes(2, "little", signed=True) + bytes(4))] * 2000
    found = measure_can(log_of(rows), read_names(text, "t"))
    power = power_of_can(found.record, found.tracks)
    assert power is not None
    assert power.values["amps_a"].tolist() == [80.0] * len(power.time_s)
    assert power.derived
