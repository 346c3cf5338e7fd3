"""Timers of the V2G messages, each with the side whose timer it is.

Source: ISO 15118-2:2013, 8.7.2 (V2G_EVCC_Msg_Timeout, V2G_SECC_Sequence_Timeout, communication set-up, ongoing, cable
check, pre-charge), ISO 15118-20:2022, 8.7 (timers of the EVCC and the SECC), and DIN SPEC 70121:2014, 9.6; from memory of
the standards.
"""

from __future__ import annotations

from gladwire.core.standards.limit import Limit, limits_of
from gladwire.core.standards.source import DIN_70121, ISO_15118_2_TIMERS, ISO_15118_20_TIMERS, PRACTICE, Source
from gladwire.core.standards.v2g_codes import ISO_20

_ISO = ISO_15118_2_TIMERS
_SLOW_ANSWERS = ("ServiceDetail", "CertificateInstallation", "CertificateUpdate", "PaymentDetails", "PowerDelivery")
_ANSWER_S = Limit(2.0, "s", "within {}", "Answer to a message, vehicle waits", _ISO)
_SLOW_S = Limit(5.0, "s", "within {}", "Answer to some messages (ISO 15118-2, -20), vehicle waits", _ISO)
_LOOP_S = Limit(0.25, "s", "within {}", "Answer in the charge loop, vehicle waits", _ISO)
_LOOP_20_S = Limit(0.5, "s", "within {}", "Answer and next request in the loops of ISO 15118-20", ISO_15118_20_TIMERS)
SEQUENCE_S = Limit(60.0, "s", "within {}", "Next request, post waits", _ISO)
SETUP_S = Limit(20.0, "s", "within {}", "From discovery to a session, vehicle waits", _ISO)
CABLE_CHECK_S = Limit(40.0, "s", "within {}", "Cable check, vehicle waits", DIN_70121)
PRECHARGE_S = Limit(7.0, "s", "in {}", "Pre-charge (DIN, ISO 15118-2), vehicle waits", DIN_70121)
_PRECHARGE_20_S = Limit(10.0, "s", "in {}", "Pre-charge (ISO 15118-20), vehicle waits", ISO_15118_20_TIMERS)
_ONGOING_S = Limit(60.0, "s", "within {}", "“Ongoing”, vehicle waits", _ISO)
_READY_S = Limit(150.0, "s", "within {}", "Ready to charge (DIN), vehicle waits", DIN_70121)
ONGOING_S = {"ISO15118-2": _ONGOING_S, "DIN70121": _READY_S}
SDP_EVERY_S = Limit(0.25, "s", "every {}", "Discovery, vehicle asks", _ISO)
SDP_TIMES = Limit(50, "", "up to {} times", "Discovery, vehicle asks", _ISO)
SILENT_S = Limit(5.0, "s", "after {}", "A vehicle that asks nothing more is called silent", PRACTICE)
# A capture that ends sooner after something cannot say that what should follow stayed away.
SETTLED_S = Limit(1.0, "s", "after {}", "A capture can say that something stayed away", PRACTICE)

LIMITS: tuple[Limit, ...] = limits_of(globals())


def answer_max_s(protocol: str, stem: str) -> Limit:
    """How long the vehicle waits for the answer to `stem` + "Req"."""
    if stem == "CurrentDemand":
        return _LOOP_S
    if stem.endswith("_ChargeLoop"):
        return _LOOP_20_S
    if protocol in ("ISO15118-2", ISO_20) and stem in _SLOW_ANSWERS:
        return _SLOW_S
    return _ANSWER_S


def ongoing_max_s(protocol: str) -> Limit:
    """How long “Ongoing” may last before the vehicle gives up."""
    return ONGOING_S.get(protocol, _ONGOING_S)


def sequence_max_s(protocol: str, stem: str) -> Limit:
    """How long the post waits for the next request after the answer to `stem` + "Req"."""
    return _LOOP_20_S if protocol == ISO_20 and stem.endswith("_ChargeLoop") else SEQUENCE_S


def precharge_max_s(protocol: str) -> Limit:
    """How long the vehicle lets pre-charge take."""
    return _PRECHARGE_20_S if protocol == ISO_20 else PRECHARGE_S


def timer_source(protocol: str) -> Source:
    return {"DIN70121": DIN_70121, ISO_20: ISO_15118_20_TIMERS}.get(protocol, ISO_15118_2_TIMERS)
