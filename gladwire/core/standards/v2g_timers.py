"""Timers of the V2G messages, each with the side whose timer it is.

Source: ISO 15118-2:2013, 8.7.2 (V2G_EVCC_Msg_Timeout, V2G_SECC_Sequence_Timeout, communication set-up, ongoing, cable
check, pre-charge), ISO 15118-20:2022, 8.7 (timers of the EVCC and the SECC), and DIN SPEC 70121:2014, 9.6; from memory of
the standards.
"""

from __future__ import annotations

from gladwire.core.standards.source import DIN_70121, ISO_15118_2_TIMERS, ISO_15118_20_TIMERS, Source
from gladwire.core.standards.v2g_codes import ISO_20

_ANSWER_S = 2.0
_SLOW_ANSWERS = ("ServiceDetail", "CertificateInstallation", "CertificateUpdate", "PaymentDetails", "PowerDelivery")
_SLOW_S = 5.0
_LOOP_S = 0.25
_LOOP_20_S = 0.5  # ISO 15118-20
SEQUENCE_S = 60.0
SETUP_S = 20.0
CABLE_CHECK_S = 40.0
PRECHARGE_S = 7.0
_PRECHARGE_20_S = 10.0
ONGOING_S = {"ISO15118-2": 60.0, "DIN70121": 150.0}
SDP_EVERY_S, SDP_TIMES = 0.25, 50


def answer_max_s(protocol: str, stem: str) -> float:
    """How long the vehicle waits for the answer to `stem` + "Req"."""
    if stem == "CurrentDemand":
        return _LOOP_S
    if stem.endswith("_ChargeLoop"):
        return _LOOP_20_S
    if protocol in ("ISO15118-2", ISO_20) and stem in _SLOW_ANSWERS:
        return _SLOW_S
    return _ANSWER_S


def ongoing_max_s(protocol: str) -> float:
    """How long “Ongoing” may last before the vehicle gives up."""
    return ONGOING_S.get(protocol, 60.0)


def sequence_max_s(protocol: str, stem: str) -> float:
    """How long the post waits for the next request after the answer to `stem` + "Req"."""
    return _LOOP_20_S if protocol == ISO_20 and stem.endswith("_ChargeLoop") else SEQUENCE_S


def precharge_max_s(protocol: str) -> float:
    """How long the vehicle lets pre-charge take."""
    return _PRECHARGE_20_S if protocol == ISO_20 else PRECHARGE_S


def timer_source(protocol: str) -> Source:
    return {"DIN70121": DIN_70121, ISO_20: ISO_15118_20_TIMERS}.get(protocol, ISO_15118_2_TIMERS)
