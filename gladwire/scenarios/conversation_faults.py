"""Faults of the conversation over power line: of vehicle, post and line, in each protocol."""

from __future__ import annotations

from copy import deepcopy

from gladwire.core.plc.frames import FrameCapture
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.simulate.plc.wire import Station
from gladwire.scenarios.scenario import Scenario, Truth

MINE = Station(bytes.fromhex("02d00d000042"))
AC20 = ("iso20_ac",)


def _spoken(key: str, plan: Plan, truth: Truth) -> Scenario:
    def makes() -> FrameCapture:
        # Peers remember what they did; each play begins with fresh ones.
        frames = play(deepcopy(plan)).frames
        return FrameCapture(tuple(frames), "scenario", first_at=plan.started_at + frames[0].time_s)

    return Scenario(key, makes, truth)


CONVERSATION_FAULTS: tuple[Scenario, ...] = (
    _spoken(
        "no answer to matching",
        Plan(listeners=(Listener(MINE, answers=False),)),
        Truth("slac_no_answer", "match", "failed_to_start"),
    ),
    _spoken(
        "no result of matching",
        Plan(listeners=(Listener(MINE, gives_result=False),)),
        Truth("slac_broke_off", "match", "failed_to_start"),
    ),
    _spoken(
        "match never confirmed",
        Plan(listeners=(Listener(MINE, confirms=False),)),
        Truth("slac_match_refused", "match", "failed_to_start"),
    ),
    _spoken("matched, not joined", Plan(joins=False), Truth("slac_not_joined", "match", "failed_to_start")),
    _spoken("discovery unanswered", Plan(discovery=False), Truth("sdp_no_answer", "link", "failed_to_start")),
    _spoken("security differs", Plan(tls_asked=True), Truth("sdp_security", "link", "failed_to_start")),
    _spoken("never connects", Plan(connects=False), Truth("tcp_never_opened", "link", "failed_to_start")),
    _spoken(
        "no protocol",
        Plan(vehicle=Vehicle(("din",)), post=Post(("iso2",))),
        Truth("no_common_protocol", "agree", "failed_to_start"),
    ),
    _spoken(
        "reset in the middle",
        Plan(hangs_up={"ServiceDiscovery": 1}),
        Truth("connection_closed", "agree", "failed_to_start"),
    ),
    _spoken(
        "unknown session",
        Plan(post=Post(fails={"ServiceDiscovery": "FAILED_UnknownSession"})),
        Truth("response_failed", "agree", "failed_to_start"),
    ),
    _spoken(
        "refused",
        Plan(post=Post(fails={"Authorization": "FAILED"})),
        Truth("authorisation_refused", "authorise", "failed_to_start"),
    ),
    _spoken(
        "never decides",
        Plan(post=Post(ongoing={"Authorization": -1}), patience=118),
        Truth("authorisation_endless", "authorise", "failed_to_start"),
    ),
    _spoken(
        "gives up waiting",
        Plan(post=Post(ongoing={"Authorization": -1}), patience=20),
        Truth("authorisation_endless", "authorise", "failed_to_start"),
    ),
    _spoken(
        "limits refused",
        Plan(post=Post(fails={"ChargeParameterDiscovery": "FAILED_WrongChargeParameter"})),
        Truth("limits_refused", "parameters", "failed_to_start"),
    ),
    _spoken(
        "limits never settled",
        Plan(post=Post(ongoing={"ChargeParameterDiscovery": -1})),
        Truth("parameters_endless", "parameters", "failed_to_start"),
    ),
    _spoken(
        "pack too low",
        Plan(vehicle=Vehicle(pack_v=118, max_v=134), hangs_up={"ChargeParameterDiscovery": 0}),
        Truth("limits_voltage", "parameters", "failed_to_start"),
    ),
    _spoken(
        "pack too high",
        Plan(vehicle=Vehicle(pack_v=690, max_v=800), post=Post(reaches_v=500)),
        Truth("limits_voltage", "parameters", "failed_to_start"),
    ),
    _spoken(
        "nothing offered",
        Plan(post=Post(max_a=0.0), hangs_up={"ChargeParameterDiscovery": 0}),
        Truth("nothing_offered", "parameters", "failed_to_start"),
    ),
    _spoken(
        "lock fault",
        Plan(vehicle=Vehicle(error="FAILED_ChargerConnectorLockFault", error_at="CableCheck")),
        Truth("ev_error", "insulation", "failed_to_start"),
    ),
    _spoken(
        "insulation fault",
        Plan(post=Post(insulation="Fault")),
        Truth("insulation_status", "insulation", "failed_to_start"),
    ),
    _spoken(
        "check never ends",
        Plan(post=Post(ongoing={"CableCheck": -1}), patience=84),
        Truth("insulation_no_verdict", "insulation", "failed_to_start"),
    ),
    _spoken(
        "volts too low", Plan(post=Post(reaches_v=210)), Truth("precharge_not_reached", "precharge", "failed_to_start")
    ),
    _spoken(
        "never closes",
        Plan(vehicle=Vehicle(never_closes=True)),
        Truth("precharge_not_used", "precharge", "failed_to_start"),
    ),
    _spoken(
        "vehicle silent",
        Plan(vehicle=Vehicle(silent_after="PreCharge")),
        Truth("vehicle_silent", "precharge", "failed_to_start"),
    ),
    _spoken(
        "will not switch",
        Plan(post=Post(fails={"PowerDelivery": "FAILED_PowerDeliveryNotApplied"})),
        Truth("switching_refused", "ramp", "failed_to_start"),
    ),
    _spoken(
        "silent at switching",
        Plan(post=Post(silent_at="PowerDelivery")),
        Truth("post_silent", "ramp", "failed_to_start"),
    ),
    _spoken("emergency", Plan(post=Post(emergency_after=20)), Truth("post_emergency", "hold", "dropped_out")),
    _spoken(
        "silent in the loop",
        Plan(vehicle=Vehicle(silent_after="CurrentDemand")),
        Truth("vehicle_silent", "hold", "dropped_out"),
    ),
    _spoken(
        "stop ignored",
        Plan(vehicle=Vehicle(ignores_stop=True), post=Post(stops_after=10), loop_s=20),
        Truth("stop_ignored", "end", "charged"),
    ),
    _spoken(
        "ISO 15118-20, schedule",
        Plan(Vehicle20(), Post20(ongoing={"ScheduleExchange": -1}), patience=170),
        Truth("parameters_endless", "parameters", "failed_to_start"),
    ),
    _spoken(
        "ISO 15118-20, services",
        Plan(Vehicle20(), Post20(fails={"ServiceSelection": "FAILED_ServiceSelectionInvalid"})),
        Truth("response_failed", "parameters", "failed_to_start"),
    ),
    _spoken(
        "ISO 15118-20, card",
        Plan(Vehicle20(), Post20(fails={"Authorization": "WARNING_EIMAuthorizationFailure"})),
        Truth("authorisation_refused", "authorise", "failed_to_start"),
    ),
    _spoken(
        "ISO 15118-20, check",
        Plan(Vehicle20(), Post20(ongoing={"DC_CableCheck": -1}), patience=84),
        Truth("insulation_no_verdict", "insulation", "failed_to_start"),
    ),
    _spoken(
        "ISO 15118-20, precharge",
        Plan(Vehicle20(), Post20(reaches_v=211.0)),
        Truth("precharge_not_reached", "precharge", "failed_to_start"),
    ),
    _spoken(
        "ISO 15118-20, silent",
        Plan(Vehicle20(), Post20(silent_at="DC_ChargeLoop")),
        Truth("post_silent", "hold", "failed_to_start"),
    ),
    _spoken(
        "ISO 15118-20, contactor",
        Plan(Vehicle20(AC20), Post20(fails={"PowerDelivery": "FAILED_ContactorError"})),
        Truth("switching_refused", "energise", "failed_to_start"),
    ),
    _spoken(
        "contract",
        Plan(Vehicle(contract=("30",)), Post(by_contract=True, fails={"PaymentDetails": "FAILED_CertChainError"})),
        Truth("contract_refused", "authorise", "failed_to_start"),
    ),
)
