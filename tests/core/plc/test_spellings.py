"""One rule for all protocols: messages by what they do, fields by either spelling, numbers with their units."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from gladwire.core.lanes.frames.measure import measure_frames
from gladwire.core.lanes.frames.plain import speak, stage_of_exchange
from gladwire.core.lanes.frames.record import Exchange, SentMessage
from gladwire.core.lanes.frames.series import _values
from gladwire.core.plc.exi.units import unit_of
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.plc.message import messages_of, read_message
from gladwire.core.scene.spine import AC_SPINE, CAN_SPINE, DC_SPINE
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.standards.v2g_codes import ISO_20, RESPONSES, kind_of, purpose_of, stage_of

EXI = Path(__file__).parents[2] / "fixtures" / "exi"
KEYS = ("sap", "din", "iso2", "iso20", "iso20_ac", "iso20_dc", "iso20_acdp", "iso20_wpt")
STAGES = {s.key for s in (*DC_SPINE, *AC_SPINE, *CAN_SPINE)}


def exchange(stem: str, asked: dict[str, object], told: dict[str, object], protocol: str = ISO_20) -> Exchange:
    return Exchange(
        start_s=1.0,
        end_s=1.1,
        stem=stem,
        protocol=protocol,
        request=SentMessage(time_s=1.0, number=0, name=f"{stem}Req", fields=asked),
        response=SentMessage(time_s=1.1, number=1, name=f"{stem}Res", fields={"ResponseCode": "OK", **told}),
    )


@pytest.mark.parametrize("key", KEYS)
def test_every_message_has_a_purpose_and_a_stage_and_can_be_spoken(key: str) -> None:
    for name in messages_of(key):
        stem = name[:-3]
        assert purpose_of(stem), name
        assert stage_of(stem, ISO_20) in STAGES
        said = speak(exchange(stem, {}, {}))
        assert said.ev or said.evse, name


@pytest.mark.parametrize("key", KEYS)
def test_every_reference_message_can_be_spoken_and_every_code_has_words(key: str) -> None:
    for line in (EXI / f"{key}.jsonl").read_text().splitlines():
        row = json.loads(line)
        if row["variant"] == "empty":
            continue
        message = read_message(bytes.fromhex(row["exi"]), (key,))
        if not message.name:
            continue
        stem = message.name[:-3]
        asked, told = (message.fields, {}) if message.request else ({}, message.fields)
        made = exchange(stem, asked, told, message.protocol)
        assert stage_of_exchange(made) in STAGES
        speak(made)
        code = message.response_code
        assert code is None or code in RESPONSES or code in ("OK", "FAILED"), code


def test_fields_are_found_in_either_spelling() -> None:
    newer = exchange(
        "DC_ChargeParameterDiscovery",
        {"BPT_DC_CPDReqEnergyTransferMode.EVMaximumVoltage": 920.0},
        {"BPT_DC_CPDResEnergyTransferMode.EVSEMaximumChargePower": 150_000.0, "X.EVSEMinimumVoltage": 150.0},
    )
    assert newer.kind == "ChargeParameterDiscovery"
    assert newer.stage == "parameters"
    assert newer.of_request("EVMaximumVoltageLimit") == 920.0
    assert newer.of_response("EVSEMaximumPowerLimit") == 150_000.0
    assert newer.of_either("EVSEMinimumVoltageLimit") == 150.0
    assert newer.of_either("EVSEMaximumVoltageLimit") is None
    older = exchange("CurrentDemand", {"DC_EVStatus.EVRESSSOC": 40}, {}, "ISO15118-2")
    assert older.of_request("EVRESSSOC") == 40
    assert (older.kind, kind_of("DC_ChargeLoop")) == ("CurrentDemand", "CurrentDemand")


def test_what_a_turn_decides() -> None:
    assert exchange("ScheduleExchange", {}, {"EVSEProcessing": "Ongoing"}).ongoing
    assert not exchange("ScheduleExchange", {}, {"EVSEProcessing": "Ongoing"}).done
    assert exchange("DC_ChargeParameterDiscovery", {}, {}).done
    assert exchange("PowerDelivery", {"ChargeProgress": "Start"}, {}).switches == "on"
    assert exchange("PowerDelivery", {"ChargeProgress": "Stop"}, {}).switches == "off"
    assert exchange("PowerDelivery", {"ChargeProgress": "Standby"}, {}).switches == ""
    assert exchange("PowerDelivery", {"ReadyToChargeState": False}, {}, "DIN70121").switches == "off"
    warned = exchange("Authorization", {}, {"ResponseCode": "WARNING_CertificateExpired"})
    assert (warned.warned, warned.failed) == (True, False)
    assert speak(warned).evse == "No: the contract certificate is out of date."


@pytest.mark.parametrize(
    ("field", "unit"),
    [
        ("EVSEMaximumChargePower", "W"), ("EVMaximumDischargeCurrent", "A"), ("EVSENominalFrequency", "Hz"),
        ("EVPresentReactivePower_L3", "var"), ("MeterInfo.ChargedEnergyReadingWh", "Wh"),
        ("DisplayParameters.PresentSOC", "%"),
        ("DisplayParameters.BatteryEnergyCapacity", "Wh"), ("EVTargetEnergyRequest", "Wh"), ("EVMinimumVoltage", "V"),
        ("DisplayParameters.RemainingTimeToTargetSOC", "s"), ("EVSEStatus.NotificationMaxDelay", "s"), ("EVSEID", ""),
        ("EVSEPresentActivePower_L2", "W"),
    ],
)  # fmt: skip
def test_fields_of_the_newer_protocol_have_their_units(field: str, unit: str) -> None:
    assert unit_of(field) == unit


def test_phases_told_apart_add_up_and_limits_before_the_loop_are_no_lane() -> None:
    at = "BPT_Scheduled_AC_CLReqControlMode.EVPresentActivePower"
    found = dict(_values({at: 3000.0, f"{at}_L2": 3100.0, f"{at}_L3": 2900.0, "DisplayParameters.PresentSOC": 61}))
    assert sorted(found.values()) == [61, 9000.0]
    assert _values({"DC_CPDReqEnergyTransferMode.EVMaximumVoltage": 920.0}) == []


def test_lanes_of_an_ac_session_tell_watts() -> None:
    plan = Plan(Vehicle20(("iso20_ac",), max_w=11_000.0), Post20(max_w=11_000.0), loop_s=20.0)
    lanes = {w.name: w for w in measure_frames(FrameCapture(tuple(play(plan).frames), "sim")).lanes}
    power = lanes["Power the vehicle takes"]
    assert power.unit == "kW"
    assert float(power.samples[-60]) == pytest.approx(10.8, abs=0.01)
    assert "State of charge" in lanes
